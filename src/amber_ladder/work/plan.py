"""Plan: from what is wanted and a rig on the shelf to a saved ladder, with what it costs and what else would do."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from amber_ladder.core import planning
from amber_ladder.core.optics import Check, Subject, check_rig, resolve
from amber_ladder.core.planning import ByHand, Caution, Circumstances, Framing, Turn, Vanishing, Way, Worth
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.plan_json import LadderRequestJson, Position
from amber_ladder.formats.rig_json import FNumber, RigJson, Strict
from amber_ladder.store import rigs, specimens, stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.models import Rig as StoredRig
from amber_ladder.store.models import Specimen, Stack, now
from amber_ladder.work.views import LadderView, StackView, ladder_view, stack_plan, stack_rig, stack_view

_TURNS_DEG = (2.0, 5.0, 10.0, 20.0, 30.0)
Millimetres = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False, description="mm")]


class PlanEntry(Strict):
    """A ladder for a specimen on a rig of the shelf, its lens or iris set to another f-number if one is given."""

    rig_id: int
    plan: LadderRequestJson
    marked_f_number: FNumber | None = None


class SubjectEntry(Strict):
    """The specimen's stated size."""

    width_mm: Millimetres | None = None
    height_mm: Millimetres | None = None
    depth_mm: Millimetres | None = None

    def to_core(self) -> Subject:
        """As the core sees it."""
        return Subject(self.width_mm, self.height_mm, self.depth_mm)


class ByHandEntry(Strict):
    """A burst by hand: what the camera and the hand can do, and what must be covered (µm of the medium)."""

    depth_um: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
    sharp_um: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
    frames_per_second: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)]
    sweep_um_per_s: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
    overlap: Annotated[float, Field(ge=0, le=0.95, allow_inf_nan=False)] = 0.3


class VanishingEntry(Strict):
    """A snow crystal and the air around it."""

    air_celsius: Annotated[float, Field(ge=-60, le=30, allow_inf_nan=False)]
    humidity: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
    size_um: Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)]
    allowed_um: Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)]


class WaysEntry(Strict):
    """What other ways are compared for. ``rig`` is the one that is planned with; the shelf's are added."""

    plan: LadderRequestJson
    medium_index: Annotated[float, Field(ge=1, le=3)] = 1.0
    subject: SubjectEntry = SubjectEntry()
    minutes: Annotated[float, Field(gt=0, le=1e4, allow_inf_nan=False)] | None = None


class EndsEntry(Strict):
    """The nearest and the farthest wanted point, as stage readings in µm."""

    near_um: Position
    far_um: Position


class CautionEntry(Strict):
    """A caution that was read."""

    key: Annotated[str, Field(max_length=40)]


@dataclass(frozen=True, slots=True)
class PlanPreview:
    """A ladder as it would be, and what it means for framing, turning and the worth of a stack at all."""

    ladder: LadderView
    framing: Framing
    turns: list[Turn]
    worth: Worth
    checks: list[Check]
    circle_um: float | None


@dataclass(frozen=True, slots=True)
class WayView:
    """A row of the table of other ways."""

    rig_id: int
    rig_name: str
    marked_f_number: float | None
    single_frame: bool
    effective_f_number: float
    detail_um: float
    airy_px: float
    step_um: float | None
    frames: int
    tiles: int
    seconds: float
    bytes: int
    mark: str


@dataclass(frozen=True, slots=True)
class VanishingView:
    """How long a crystal keeps its shape, with the model's source and limits."""

    seconds: float | None
    how: str
    source: str
    limits: str


def try_out(rig: RigJson, plan: LadderRequestJson, subject: SubjectEntry | None = None) -> PlanPreview:
    """The ladder as it would be, without saving anything. Raises BadInput."""
    core = rig.to_core()
    optics = resolve(core)
    ladder = plan.plan(core, optics)
    stage_um = ladder.far_um - plan.near_um
    depth_um = stage_um * ladder.step_in_medium_um / ladder.step_um
    size = (subject or SubjectEntry()).to_core()
    across_um = min(size.width_mm or optics.field_mm[0], optics.field_mm[0]) * 1e3
    return PlanPreview(
        ladder_view(ladder, optics, plan),
        planning.loose_framing(core, optics, depth_um=ladder.travel_um * optics.medium_index, moves=plan.moves),
        list(
            planning.turning(
                depth_um=depth_um, across_um=across_um, step_um=ladder.step_in_medium_um, by_degrees=_TURNS_DEG
            )
        ),
        planning.is_it_worth_it(core, optics, depth_um, plan.sharpness.to_core()),
        [check for check in check_rig(core, optics, size) if check.key != "optics"],
        planning.circle_um(core, plan.sharpness.to_core()),
    )


def other_ways(entry: WaysEntry) -> list[WayView]:
    """The shelf's rigs and apertures compared for the same depth. Raises BadInput for a plan without an end."""
    if entry.plan.far_um is None:
        raise BadInput("other ways are compared over a known depth: set the far point", field="far_um")
    with transaction() as session:
        shelf = [(rig.id, rig.name, _in_medium(rig, entry.medium_index)) for rig in rigs.everything(session)]
    ways = planning.other_ways(
        [definition.to_core() for _, _, definition in shelf],
        planning.Wanted(
            near_um=entry.plan.near_um,
            sharp_um=0.0,
            far_um=entry.plan.far_um,
            overlap=entry.plan.overlap,
            spare_rungs=entry.plan.spare_rungs,
        ),
        rail=entry.plan.to_rail(),
        timing=entry.plan.timing.to_core(),
        bytes_per_frame=entry.plan.bytes_per_frame,
        sharpness=entry.plan.sharpness.to_core(),
        subject=entry.subject.to_core(),
        budget_s=entry.minutes * 60 if entry.minutes else entry.plan.budget_s,
    )
    return [_way_view(way, *shelf[way.rig_index][:2]) for way in ways]


def by_hand(entry: ByHandEntry) -> ByHand:
    """How many frames by hand, how many are kept, and how long to hold. Raises BadInput."""
    return planning.plan_by_hand(**entry.model_dump())


def vanishing(entry: VanishingEntry) -> VanishingView:
    """How long a snow crystal keeps its shape. Raises BadInput."""
    found: Vanishing = planning.time_to_shrink(**entry.model_dump())
    return VanishingView(found.seconds, found.how, planning.SOURCE, planning.LIMITS)


def cautions(specimen_id: int) -> list[Caution]:
    """What to mind with this specimen. Raises NotFound."""
    with transaction() as session:
        return list(planning.cautions_for(circumstances(specimens.get(session, specimen_id))))


def tick_caution(stack_id: int, entry: CautionEntry) -> StackView:
    """Note that a caution was read; once is enough. Raises NotFound, and BadInput for one that does not apply."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        applying = {one.key: one.title for one in planning.cautions_for(circumstances(stack.specimen))}
        if entry.key not in applying:
            raise BadInput(f"no caution is called {entry.key!r} here", field="key")
        if entry.key not in {one["key"] for one in stack.cautions_read}:
            read = {"key": entry.key, "title": applying[entry.key], "read_at": now().isoformat(timespec="seconds")}
            stack.cautions_read = [*stack.cautions_read, read]
            session.flush()
        return stack_view(stack, len(stack.specimen.stacks))


def save_ladder(specimen_id: int, entry: PlanEntry) -> StackView:
    """Start a stack: the rig and the medium are copied into it. Raises BadInput, NotFound."""
    with transaction() as session:
        specimen = specimens.get(session, specimen_id)
        stack = Stack()
        _fill(stack, rigs.get(session, entry.rig_id), entry, specimen.medium_index)
        stacks.add_stack(session, specimen, stack)
        session.expire_all()
        return stack_view(stacks.get_stack(session, stack.id), len(specimen.stacks))


def change_ladder(stack_id: int, entry: PlanEntry) -> StackView:
    """Plan anew what was not shot yet. Raises BadInput, NotFound, and Conflict once frames exist."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        if stack.takes:
            raise Conflict("this ladder has been shot: its plan stays as it was. Save the change as a new stack.")
        _fill(stack, rigs.get(session, entry.rig_id), entry, stack.specimen.medium_index)
        session.flush()
        return stack_view(stack, len(stack.specimen.stacks))


def set_ends(stack_id: int, entry: EndsEntry) -> StackView:
    """Plan anew between these ends; the spacing stays. Raises BadInput, NotFound, Conflict once frames exist."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        if stack.takes:
            raise Conflict("this ladder has been shot: its plan stays as it was. Save the change as a new stack.")
        before = stack_plan(stack)
        spaced = before.overlap is not None or before.step_um is not None
        count = {} if spaced else {"frames": before.frames, "budget_s": before.budget_s}
        ends = {"near_um": entry.near_um, "far_um": entry.far_um, "frames": None, "budget_s": None, **count}
        after = LadderRequestJson.model_validate({**before.model_dump(exclude_none=True), **ends})
        rig = stack_rig(stack).to_core()
        after.plan(rig, resolve(rig))  # refuses what cannot be planned before anything is kept
        stack.plan = after.model_dump(mode="json", exclude_none=True)
        session.flush()
        return stack_view(stack, len(stack.specimen.stacks))


def read_stack(stack_id: int) -> StackView:
    """A stack with all that its stages show. Raises NotFound."""
    with transaction() as session:
        stack = stacks.get_stack(session, stack_id)
        return stack_view(stack, len(stack.specimen.stacks))


def _in_medium(rig: StoredRig, medium_index: float) -> RigJson:
    return RigJson.model_validate({**rig.definition, "medium_index": medium_index})


def _fill(stack: Stack, rig: StoredRig, entry: PlanEntry, medium_index: float) -> None:
    definition = _in_medium(rig, medium_index)
    name = rig.name
    if entry.marked_f_number is not None:
        definition = _stopped(definition, entry.marked_f_number)
        name = f"{rig.name[:100]}, at f/{entry.marked_f_number:.3g}"
    core = definition.to_core()
    entry.plan.plan(core, resolve(core))  # refuses what cannot be planned before anything is kept
    stack.rig_id, stack.rig_name, stack.rig_version = rig.id, name, rig.version
    stack.rig = definition.model_dump(mode="json", exclude_none=True)
    stack.plan = entry.plan.model_dump(mode="json", exclude_none=True)


def _stopped(definition: RigJson, f_number: float) -> RigJson:
    """The same rig with its lens, or the iris of its tube lens, at another f-number. Raises BadInput without one."""
    field = {"lens": "f_number", "infinity_objective": "tube_f_number"}.get(definition.train.kind)
    if field is None:
        raise BadInput("this rig has no iris to set", field="marked_f_number")
    return definition.model_copy(update={"train": definition.train.model_copy(update={field: f_number})})


def circumstances(specimen: Specimen) -> Circumstances:
    """What a specimen's label tells of its hazards."""
    return Circumstances(
        specimen.kind, specimen.name, specimen.mount, specimen.medium, specimen.locality, specimen.note
    )


def _way_view(way: Way, rig_id: int, rig_name: str) -> WayView:
    own = {name: getattr(way, name) for name in WayView.__slots__ if not name.startswith("rig_")}
    return WayView(rig_id=rig_id, rig_name=rig_name, **own)
