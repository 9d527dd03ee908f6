"""Cabinet: all specimens, found by text and kind, and how far each has come."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Literal

from pydantic import Field, StringConstraints

from amber_ladder.errors import Stale
from amber_ladder.formats.label_json import CollectionJson, Line
from amber_ladder.formats.rig_json import RefractiveIndex
from amber_ladder.store import specimens
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Specimen, Stack, Task
from amber_ladder.work.journal import added, changing
from amber_ladder.work.stack.counted import counted_merge
from amber_ladder.work.stack.scale import scale_of
from amber_ladder.work.stack.stages import StageState, goes_on_at, stages_of
from amber_ladder.work.stack.views import (
    SpecimenView,
    StackLine,
    specimen_view,
    stack_ladder,
    stack_line,
)

Needed = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=60)]


_OFFERED_FOR = ("mount", "locality", "collector", "determination", "determined_by")
_OFFERED = 40

Size = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False, description="mm")]


class SpecimenEntry(CollectionJson):
    """What a person writes on the label. The index is known to ± ``medium_tolerance``; None where nobody says."""

    catalogue_number: Needed
    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=200)]
    kind: Annotated[str, StringConstraints(strip_whitespace=True, to_lower=True, min_length=1, max_length=60)]
    mount: Line = ""
    medium: Annotated[str, StringConstraints(strip_whitespace=True, max_length=100)] = "air"
    medium_index: RefractiveIndex = 1.0
    medium_tolerance: Annotated[float, Field(ge=0, le=0.5, allow_inf_nan=False)] | None = None
    locality: Line = ""
    note: Annotated[str, Field(max_length=4000)] = ""
    width_mm: Size | None = None
    height_mm: Size | None = None
    depth_mm: Size | None = None


@dataclass(frozen=True, slots=True)
class StackSummary:
    """A specimen's latest stack at a glance. Steps in µm, of the stage and in the medium."""

    id: int
    rig_name: str
    effective_f_number: float
    step_um: float
    step_in_medium_um: float
    pixel_um: float
    pixel_origin: Literal["nominal", "measured"]
    stages: list[StageState]
    goes_on_at: str
    busy: bool


@dataclass(frozen=True, slots=True)
class CabinetRow:
    """One specimen in the cabinet: its latest stack, and all of them in one line each, by number.

    ``merge_id`` is the merge whose composite stands for it; ``worked_at`` when anything was last begun for it.
    """

    specimen: SpecimenView
    stack: StackSummary | None
    stacks: list[StackLine]
    merge_id: int | None
    worked_at: datetime


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
    """All specimens that match, the one that was worked on last first."""
    with transaction(steady=True) as session:
        rows = [_row(one) for one in specimens.find(session, words=words, kind=kind)]
        rows.sort(key=lambda row: row.worked_at, reverse=True)
        return CabinetView(rows, [KindCount(*pair) for pair in specimens.kinds(session)])


def add_specimen(entry: SpecimenEntry) -> SpecimenView:
    """Put a specimen into the cabinet. Raises Conflict."""
    with transaction() as session:
        specimen = Specimen(**entry.model_dump())
        specimens.save(session, specimen)
        added(session, f"{specimen.catalogue_number} {specimen.name} added", specimen)
        return specimen_view(specimen)


def edit_specimen(specimen_id: int, entry: SpecimenEntry, *, seen: int | None = None) -> SpecimenView:
    """Correct a label; stacks keep the medium they were planned in.

    ``seen`` is the revision that the correction started from. Raises NotFound, Conflict, and Stale.
    """
    with transaction() as session:
        specimen = specimens.get(session, specimen_id, locked=True)
        if seen is not None and seen != specimen.revision:
            raise Stale("this label")
        with changing(session, f"label of {specimen.catalogue_number} corrected", specimen):
            specimen.revision += 1
            for name, value in entry.model_dump().items():
                setattr(specimen, name, value)
            specimens.save(session, specimen)
        return specimen_view(specimen)


def read_specimen(specimen_id: int) -> SpecimenView:
    """One label. Raises NotFound."""
    with transaction() as session:
        return specimen_view(specimens.get(session, specimen_id))


def offered() -> dict[str, list[str]]:
    """What was written on labels before, by entry, what was used last first: to be chosen instead of typed."""
    with transaction() as session:
        return {name: specimens.written(session, name, _OFFERED) for name in _OFFERED_FOR}


def _row(specimen: Specimen) -> CabinetRow:
    of_stacks = [time for stack in specimen.stacks for time in _begun(stack)]
    return CabinetRow(
        specimen_view(specimen),
        _summary(_latest(specimen.stacks)) if specimen.stacks else None,
        [stack_line(stack) for stack in specimen.stacks],
        _shown_merge(specimen.stacks),
        max([specimen.created_at, *of_stacks]),
    )


def _latest(planned: Sequence[Stack]) -> Stack:
    """The stack that stands for a specimen: the latest, and of a set of tiles their whole."""
    last = planned[-1]
    return next((one for one in planned if one.tile == 0 and one.tile_set_id == last.tile_set_id), last)


def _begun(stack: Stack) -> list[datetime]:
    takes = [take.created_at for take in stack.takes]
    return [stack.created_at, *takes, *(product.created_at for take in stack.takes for product in take.products)]


def _summary(stack: Stack) -> StackSummary:
    ladder, optics = stack_ladder(stack)
    busy = any(task.state in ("waiting", "running") for task in _tasks(stack))
    scale = scale_of(stack)
    return StackSummary(
        stack.id,
        stack.rig_name,
        optics.effective_f_number,
        ladder.step_um,
        ladder.step_in_medium_um,
        scale.um_per_px,
        scale.origin,
        stages_of(stack),
        goes_on_at(stack, busy=busy),
        busy,
    )


def _tasks(stack: Stack) -> list[Task]:
    shooting = [take.task for take in stack.takes if take.task]
    return [*shooting, *(product.task for take in stack.takes for product in take.products)]


def _shown_merge(stacks: list[Stack]) -> int | None:
    """The counted merge of the latest stack that has one."""
    counted = (counted_merge(stack) for stack in reversed(stacks))
    return next((merge.id for merge in counted if merge), None)
