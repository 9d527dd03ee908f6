"""What a plan would give, before anything is saved: the ladder, other ways, a burst by hand, what melts."""

from dataclasses import dataclass
from typing import Annotated

from pydantic import Field

from amber_ladder.core import planning
from amber_ladder.core.optics import Check, Subject, check_rig, resolve
from amber_ladder.core.planning import ByHand, Framing, Turn, Vanishing, Way, Worth
from amber_ladder.core.sorting import depth_in_medium_um
from amber_ladder.errors import BadInput
from amber_ladder.formats.plan_json import LadderRequestJson, Overlap
from amber_ladder.formats.rig_json import RigJson, Strict
from amber_ladder.formats.validated import between
from amber_ladder.store import rigs
from amber_ladder.store.database import transaction
from amber_ladder.work.on_disk.planning import ladder_of
from amber_ladder.work.stack.views import LadderView, in_medium, ladder_view

_TURNS_DEG = (2.0, 5.0, 10.0, 20.0, 30.0)
Millimetres = Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False, description="mm")]


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
    overlap: Overlap = 0.3


class VanishingEntry(Strict):
    """A snow crystal and the air around it."""

    air_celsius: Annotated[float, Field(ge=-60, le=30, allow_inf_nan=False)]
    humidity: Annotated[float, Field(allow_inf_nan=False, description="share"), between(0, 1, "%", 100)]
    size_um: Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)]
    allowed_um: Annotated[float, Field(gt=0, le=1e5, allow_inf_nan=False)]


class WaysEntry(Strict):
    """What other ways are compared for. ``rig`` is the one that is planned with; the shelf's are added."""

    plan: LadderRequestJson
    medium_index: Annotated[float, Field(ge=1, le=3)] = 1.0
    subject: SubjectEntry = SubjectEntry()
    minutes: Annotated[float, Field(gt=0, le=1e4, allow_inf_nan=False)] | None = None


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
    edge: list[tuple[float, float]]
    source: str
    limits: str


def try_out(rig: RigJson, plan: LadderRequestJson, subject: SubjectEntry | None = None) -> PlanPreview:
    """The ladder as it would be, without saving anything. Raises BadInput."""
    core = rig.to_core()
    optics = resolve(core)
    ladder = ladder_of(plan, core, optics)
    depth_um = depth_in_medium_um(ladder.far_um - plan.near_um, ladder.medium_ratio)
    size = (subject or SubjectEntry()).to_core()
    across_um = min(size.width_mm or optics.field_mm[0], optics.field_mm[0]) * 1e3
    return PlanPreview(
        ladder_view(ladder, optics, plan),
        planning.loose_framing(core, optics, travel_um=ladder.travel_um, moves=plan.moves),
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
        shelf = [(rig.id, rig.name, in_medium(rig, entry.medium_index)) for rig in rigs.everything(session)]
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
    return VanishingView(found.seconds, found.how, list(found.edge), planning.SOURCE, planning.LIMITS)


def _way_view(way: Way, rig_id: int, rig_name: str) -> WayView:
    own = {name: getattr(way, name) for name in WayView.__slots__ if not name.startswith("rig_")}
    return WayView(rig_id=rig_id, rig_name=rig_name, **own)
