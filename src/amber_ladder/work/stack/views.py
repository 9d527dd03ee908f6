"""What the pages get to see: plain values, shaped once here for all use cases."""

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, Any, Literal

from pydantic import WithJsonSchema

from amber_ladder.core.optics import Optics, Sensor, magnification_is_measured, resolve
from amber_ladder.core.planning import Ladder, Reading, reading_at
from amber_ladder.core.sorting import depth_in_medium_um
from amber_ladder.formats.plan_json import LadderRequestJson
from amber_ladder.formats.rig_json import RigJson
from amber_ladder.store.mends import mends_of
from amber_ladder.store.models import Frame, Product, Rig, Specimen, Stack, Take, Task
from amber_ladder.work.on_disk.planning import ladder_of
from amber_ladder.work.stack.counted import counted_merge
from amber_ladder.work.stack.scale import Scale, scale_of
from amber_ladder.work.stack.series import SeriesView, repairable, series_view
from amber_ladder.work.stack.stages import StageState, stages_of
from amber_ladder.work.stack.tiles import TilesView, tiles_view

CameraTime = Annotated[
    datetime, WithJsonSchema({"type": "string", "description": "the camera's own clock, without a zone"})
]
TakeSource = Literal["bench", "files", "folder", "card", "tiles"]
TaskState = Literal["waiting", "running", "done", "failed", "stopped"]


@dataclass(frozen=True, slots=True)
class TaskView:
    """Long work, how far it is, and the worker who has it in hand."""

    id: int
    kind: str
    state: TaskState
    phase: str
    done: int
    total: int
    seconds_left: float | None
    message: str
    worker: str | None


@dataclass(frozen=True, slots=True)
class SpecimenView:
    """A specimen's label."""

    id: int
    catalogue_number: str
    name: str
    kind: str
    mount: str
    medium: str
    medium_index: float
    medium_tolerance: float | None
    locality: str
    latitude: float | None
    longitude: float | None
    place_within_m: float | None
    collector: str
    collected_on: str
    determination: str
    determined_by: str
    determined_on: str
    note: str
    width_mm: float | None
    height_mm: float | None
    depth_mm: float | None
    revision: int


@dataclass(frozen=True, slots=True)
class FrameView:
    """One original of a take."""

    id: int
    place: int
    name: str
    sha256: str
    bytes: int
    width_px: int
    height_px: int
    bits: int
    captured_at: CameraTime | None
    rung: int | None
    planned_um: float | None
    reported_um: float | None
    left_out: str | None
    faults: list[dict[str, Any]]


@dataclass(frozen=True, slots=True)
class MergeView:
    """One merge and its report, once there is one. ``counts`` marks the one that stands for the stack."""

    id: int
    number: int
    method: str
    task: TaskView
    report: dict[str, Any] | None
    depth_um: float | None
    counts: bool


@dataclass(frozen=True, slots=True)
class MendLine:
    """A mend of a take in one line: of which merge, and how often it was changed."""

    id: int
    number: int
    name: str
    merge_id: int
    revision: int


@dataclass(frozen=True, slots=True)
class TakeView:
    """One take. ``pressed`` are rungs that a key said were shot, whose frames come later."""

    id: int
    number: int
    source: TakeSource
    scene: str | None
    complete: bool
    repairable: bool
    repair_of: int | None
    devices: dict[str, Any] | None
    development: dict[str, Any] | None
    pressed: list[int]
    created_at: datetime
    task: TaskView | None
    frames: list[FrameView]
    series: SeriesView
    merges: list[MergeView]
    mends: list[MendLine]


@dataclass(frozen=True, slots=True)
class TakeLine:
    """A take in one line; ``merges`` counts those that are finished."""

    id: int
    number: int
    source: TakeSource
    frames: int
    merges: int
    created_at: datetime


@dataclass(frozen=True, slots=True)
class StackLine:
    """A stack of a specimen in one line, with its takes; ``tile`` is its number in a set of tiles, 0 for the whole."""

    id: int
    number: int
    tile_set_id: int | None
    tile: int | None
    rig_name: str
    created_at: datetime
    takes: list[TakeLine]


@dataclass(frozen=True, slots=True)
class OpticsView:
    """The figures of a rig that every stage shows."""

    magnification: float
    effective_f_number: float
    numerical_aperture: float
    sharp_depth_um: float
    detail_um: float
    airy_px: float
    pixel_um: float
    u_pixel_um: float | None
    pixel_origin: Literal["nominal", "measured"]
    field_mm: tuple[float, float]
    warnings: list[str]


@dataclass(frozen=True, slots=True)
class LadderView:
    """A planned ladder. ``readings`` are those of the knob at each rung, None where none is turned."""

    step_um: float
    step_in_medium_um: float
    depth_in_medium_um: float
    step_near_axis_um: float
    step_rim_um: float
    step_units: int | None
    readings: list[Reading] | None
    frames: int
    positions_um: list[float]
    near_um: float
    far_um: float
    sharp_depth_um: float
    sharp_depth_stage_um: float
    overlap: float
    worst_blur_px: float
    airy_px: float
    travel_um: float
    approach_from_um: float
    seconds: float
    bytes: int
    warnings: list[str]
    faults: list[str]


@dataclass(frozen=True, slots=True)
class StackView:
    """A stack with all that its stages show; ``siblings`` are all of its specimen's stacks, by number."""

    id: int
    number: int
    siblings: list[StackLine]
    specimen: SpecimenView
    rig_id: int
    rig_name: str
    rig_version: int
    revision: int
    rig: RigJson
    plan: LadderRequestJson
    optics: OpticsView
    scale: Scale
    ladder: LadderView
    created_at: datetime
    takes: list[TakeView]
    cautions_read: list[str]
    stages: list[StageState]
    tiles: TilesView | None


def task_view(task: Task) -> TaskView:
    """A task."""
    return TaskView(**{name: getattr(task, name) for name in TaskView.__slots__})


def specimen_view(specimen: Specimen) -> SpecimenView:
    """A specimen."""
    return SpecimenView(**{name: getattr(specimen, name) for name in SpecimenView.__slots__})


def frame_view(frame: Frame) -> FrameView:
    """A frame."""
    return FrameView(**{name: getattr(frame, name) for name in FrameView.__slots__})


def merge_view(merge: Product) -> MergeView:
    """A merge."""
    return MergeView(
        merge.id,
        merge.number,
        merge.settings["method"],
        task_view(merge.task),
        merge.report,
        merge.report.get("depth_um") if merge.report else None,
        merge is counted_merge(merge.take.stack),
    )


def take_view(take: Take) -> TakeView:
    """A take with its frames and merges."""
    rig = stack_rig(take.stack).to_core()
    return _take_view(take, ladder_of(stack_plan(take.stack), rig, resolve(rig)), rig.sensor)


def _take_view(take: Take, ladder: Ladder, sensor: Sensor) -> TakeView:
    return TakeView(
        take.id,
        take.number,
        take.source,  # type: ignore[arg-type]
        take.scene,
        take.complete,
        repairable(take),
        (take.run or {}).get("repair_of"),
        take.devices,
        take.development,
        [int(one["rung"]) for one in (take.run or {}).get("pressed", ())],
        take.created_at,
        task_view(take.task) if take.task else None,
        [frame_view(frame) for frame in take.frames],
        series_view(take, ladder, sensor),
        [merge_view(merge) for merge in take.merges],
        [MendLine(one.id, one.number, one.name, one.merge_id, one.revision) for one in mends_of(take)],
    )


def in_medium(rig: Rig, medium_index: float) -> RigJson:
    """A rig of the shelf with a specimen in this medium under it."""
    return RigJson.model_validate({**rig.definition, "medium_index": medium_index})


def stack_rig(stack: Stack) -> RigJson:
    """The rig as it was when the ladder was saved, in the medium the specimen lay in."""
    return RigJson.model_validate(stack.rig)


def stack_plan(stack: Stack) -> LadderRequestJson:
    """The plan as it was saved."""
    return LadderRequestJson.model_validate(stack.plan)


def optics_view(rig: RigJson, optics: Optics) -> OpticsView:
    """Figures of a rig."""
    measured = rig.measured if rig.measured and rig.measured.magnification else None
    relative = (measured.u_magnification or 0.0) / optics.magnification if measured else None
    return OpticsView(
        optics.magnification,
        optics.effective_f_number,
        optics.numerical_aperture,
        optics.sharp_depth_um.total,
        optics.detail_um,
        optics.airy_px,
        optics.pixel_um,
        optics.pixel_um * relative if relative else None,
        "measured" if magnification_is_measured(rig.to_core()) else "nominal",
        optics.field_mm,
        list(optics.warnings),
    )


def ladder_view(ladder: Ladder, optics: Optics, plan: LadderRequestJson) -> LadderView:
    """A ladder."""
    knob = plan.to_knob()
    return LadderView(
        ladder.step_um,
        ladder.step_in_medium_um,
        depth_in_medium_um(ladder.far_um - plan.near_um, ladder.medium_ratio),
        ladder.step_near_axis_um,
        ladder.step_rim_um,
        round(ladder.step_um / plan.focus_unit.um_per_unit) if plan.focus_unit else None,
        [reading_at(knob, one) for one in ladder.positions_um] if knob else None,
        ladder.frames,
        list(ladder.positions_um),
        plan.near_um,
        ladder.far_um,
        ladder.sharp_depth_um,
        ladder.sharp_depth_stage_um,
        ladder.overlap,
        ladder.worst_blur_px,
        optics.airy_px,
        ladder.travel_um,
        ladder.approach_from_um,
        ladder.seconds,
        ladder.bytes,
        list(ladder.warnings),
        list(ladder.faults),
    )


def stack_ladder(stack: Stack) -> tuple[Ladder, Optics]:
    """A stack's ladder and optics, from the rig and plan it keeps."""
    rig = stack_rig(stack).to_core()
    optics = resolve(rig)
    return ladder_of(stack_plan(stack), rig, optics), optics


def stack_line(stack: Stack) -> StackLine:
    """A stack in one line."""
    takes = [
        TakeLine(
            take.id,
            take.number,
            take.source,  # type: ignore[arg-type]
            take.frame_count,
            sum(merge.task.state == "done" for merge in take.merges),
            take.created_at,
        )
        for take in stack.takes
    ]
    return StackLine(stack.id, stack.number, stack.tile_set_id, stack.tile, stack.rig_name, stack.created_at, takes)


def stack_view(stack: Stack) -> StackView:
    """A stack."""
    rig, plan = stack_rig(stack), stack_plan(stack)
    ladder, optics = stack_ladder(stack)
    return StackView(
        stack.id,
        stack.number,
        [stack_line(one) for one in stack.specimen.stacks],
        specimen_view(stack.specimen),
        stack.rig_id,
        stack.rig_name,
        stack.rig_version,
        stack.revision,
        rig,
        plan,
        optics_view(rig, optics),
        scale_of(stack),
        ladder_view(ladder, optics, plan),
        stack.created_at,
        [_take_view(take, ladder, rig.to_core().sensor) for take in stack.takes],
        [str(one["key"]) for one in stack.cautions_read],
        stages_of(stack),
        tiles_view(stack),
    )
