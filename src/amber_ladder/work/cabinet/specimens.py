"""Cabinet: all specimens, found by text and kind, and how far each has come."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field, StringConstraints

from amber_ladder.formats.rig_json import RefractiveIndex, Strict
from amber_ladder.store import specimens
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Specimen, Stack, Task
from amber_ladder.work.stack.stages import StageState, goes_on_at, stages_of
from amber_ladder.work.stack.views import (
    LadderView,
    OpticsView,
    SpecimenView,
    ladder_view,
    optics_view,
    specimen_view,
    stack_ladder,
    stack_plan,
    stack_rig,
)

Line = Annotated[str, StringConstraints(strip_whitespace=True, max_length=200)]
Needed = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]


Size = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False, description="mm")]


class SpecimenEntry(Strict):
    """What a person writes on the label."""

    catalogue_number: Needed
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
    kind: Annotated[str, StringConstraints(strip_whitespace=True, to_lower=True, min_length=1, max_length=60)]
    mount: Line = ""
    medium: Annotated[str, StringConstraints(strip_whitespace=True, max_length=100)] = "air"
    medium_index: RefractiveIndex = 1.0
    locality: Line = ""
    note: Annotated[str, Field(max_length=4000)] = ""
    width_mm: Size | None = None
    height_mm: Size | None = None
    depth_mm: Size | None = None


@dataclass(frozen=True, slots=True)
class StackSummary:
    """A specimen's latest stack in one line. ``merge_id`` is the merge whose composite stands for it."""

    id: int
    number: int
    rig_name: str
    optics: OpticsView
    ladder: LadderView
    stages: list[StageState]
    goes_on_at: str
    merge_id: int | None
    busy: bool


@dataclass(frozen=True, slots=True)
class CabinetRow:
    """One specimen in the cabinet."""

    specimen: SpecimenView
    stack: StackSummary | None


@dataclass(frozen=True, slots=True)
class KindCount:
    """A kind in use and its number of specimens."""

    kind: str
    count: int


@dataclass(frozen=True, slots=True)
class CabinetView:
    """What the search found, and all kinds in use."""

    rows: list[CabinetRow]
    kinds: list[KindCount]


def browse(words: str = "", kind: str = "") -> CabinetView:
    """All specimens that match."""
    with transaction() as session:
        found = specimens.find(session, words=words, kind=kind)
        rows = [CabinetRow(specimen_view(one), _latest(one)) for one in found]
        return CabinetView(rows, [KindCount(*pair) for pair in specimens.kinds(session)])


def add_specimen(entry: SpecimenEntry) -> SpecimenView:
    """Put a specimen into the cabinet. Raises Conflict."""
    with transaction() as session:
        specimen = Specimen(**entry.model_dump())
        specimens.save(session, specimen)
        return specimen_view(specimen)


def edit_specimen(specimen_id: int, entry: SpecimenEntry) -> SpecimenView:
    """Correct a label; stacks keep the medium they were planned in. Raises NotFound, Conflict."""
    with transaction() as session:
        specimen = specimens.get(session, specimen_id)
        for name, value in entry.model_dump().items():
            setattr(specimen, name, value)
        specimens.save(session, specimen)
        return specimen_view(specimen)


def read_specimen(specimen_id: int) -> SpecimenView:
    """One label. Raises NotFound."""
    with transaction() as session:
        return specimen_view(specimens.get(session, specimen_id))


def _latest(specimen: Specimen) -> StackSummary | None:
    if not specimen.stacks:
        return None
    stack = specimen.stacks[-1]
    rig, plan = stack_rig(stack), stack_plan(stack)
    ladder, optics = stack_ladder(stack)
    busy = any(task.state in ("waiting", "running") for task in _tasks(stack))
    return StackSummary(
        stack.id,
        stack.number,
        stack.rig_name,
        optics_view(rig, optics),
        ladder_view(ladder, optics, plan),
        stages_of(stack),
        goes_on_at(stack, busy=busy),
        _shown_merge(specimen.stacks),
        busy,
    )


def _tasks(stack: Stack) -> list[Task]:
    shooting = [take.task for take in stack.takes if take.task]
    return [*shooting, *(product.task for take in stack.takes for product in take.products)]


def _shown_merge(stacks: list[Stack]) -> int | None:
    finished = [
        merge.id for stack in stacks for take in stack.takes for merge in take.merges if merge.task.state == "done"
    ]
    return max(finished, default=None)
