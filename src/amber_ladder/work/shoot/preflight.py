"""The list before a run: what a person at the bench would look at, in the order they would."""

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from amber_ladder.core.planning import Caution, Reach
from amber_ladder.devices.protocols import Flash
from amber_ladder.errors import BadInput, OutOfReach
from amber_ladder.store.base import now
from amber_ladder.store.models import Take
from amber_ladder.work.shoot.opening import watched_folder
from amber_ladder.work.shoot.orders import SIMULATED, BenchSettings
from amber_ladder.work.shoot.setup import Setup, TileOn
from amber_ladder.work.shoot.views import EndsView, PreflightItem, RoomView, StageView, TestFrameView

_LATELY = timedelta(minutes=30)  # hands may be on the bench again after that
_ROOM_FACTOR = 1.3  # frames that are shot again take room too
_UNKNOWN_BYTES = 40_000_000
_MOST_CLIPPED = 0.01
_OLD_MINUTES = 30.0
CAUTION = "caution:"  # before the key of a caution that is still to be read
_BY_THE_BODY = (
    ("stabiliser", "Stabiliser off", "A stabiliser at work shifts the picture between frames."),
    ("autofocus", "Autofocus as the body's manual asks for its own bracketing", "Some want it on, some off."),
    ("fixed", "Exposure, sensitivity and white balance fixed", "Else frames differ in brightness and colour."),
    ("other-brackets", "No other bracketing switched on", "Exposure brackets would mix with the focus steps."),
    ("release", "Silent shutter or a delayed release", "A finger on the body shakes the first frames."),
    ("separator", "A folder of its own for this series, or a dark frame before it", "It finds the border later."),
)  # fmt: skip
_BY_KNOB = (
    ("nearest", "The knob reads what the plan says when the nearest point is in focus", "Else all rungs are off."),
    ("clear", "Nothing touches the specimen over the whole ladder", "Try it slowly, before the first frame."),
    ("one-way", "Every rung is reached by turning one way", "Play goes into whatever is turned back to."),
    ("fixed", "Exposure, sensitivity and white balance fixed", "Else frames differ in brightness and colour."),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class RigOnBench:
    """The rig that somebody said is on the bench."""

    rig_id: int
    name: str
    version: int


def items(
    setup: Setup,
    bench: BenchSettings,
    reach: Reach,
    rail_trouble: str | None,
    unread: list[Caution],
    free_bytes: int,
    *,
    on_bench: RigOnBench | None,
    ends: EndsView | None,
    test: TestFrameView | None,
    room: RoomView | None,
    flash: Flash | None,
    stage: StageView | None = None,
) -> list[PreflightItem]:
    """The list for a stack."""
    driven = setup.plan.mover == "rail"
    found = [
        *([_rail(rail_trouble)] if driven else []),
        _rig(setup, on_bench),
        *([_limits(setup, reach)] if driven else []),
        _space(setup, free_bytes),
        *([_stage(setup.tile, stage)] if setup.tile and stage else []),
        *([_ends(setup, ends)] if driven else []),
        *([] if driven and bench.camera == SIMULATED else [_folder(bench)]),
    ]
    if not driven and bench.camera == SIMULATED:
        pass  # the stand-in's light is right, and nobody can judge it beforehand
    elif bench.camera == SIMULATED:
        found += [_light(test, flash), _room(room)]
    else:
        found.append(
            PreflightItem("light", "Light was judged on the camera", "confirm", "Fixed exposure, nothing washed out.")
        )
    found += _cautions(unread)
    asked = {"body": _BY_THE_BODY, "knob": _BY_KNOB, "rail": ()}[setup.plan.mover]
    found += [PreflightItem(key, title, "confirm", detail) for key, title, detail in asked]
    if setup.plan.mover == "body":
        found.append(PreflightItem("enter", "The body is told what to shoot", "confirm", _to_enter(setup)))
    return found


def unconfirmed(found: list[PreflightItem], confirmed: list[str]) -> list[str]:
    """What is in the way of a run and why, and the titles of what was not confirmed."""
    return [
        f"{item.title.rstrip('.')}: {item.detail.rstrip('.')}" if item.state == "stop" else item.title.rstrip(".")
        for item in found
        if item.state == "stop" or (item.state == "confirm" and item.key not in confirmed)
    ]


def was_lately(take: Take) -> bool:
    """Whether a run did something lately that was written down."""
    signs = [frame.captured_at.astimezone(UTC) for frame in take.frames if frame.captured_at]
    return max([take.created_at, *signs]) > datetime.now(UTC) - _LATELY


def _to_enter(setup: Setup) -> str:
    unit = setup.plan.focus_unit
    assert unit is not None
    ladder, timing = setup.ladder, setup.plan.timing
    before = setup.plan.near_um - ladder.positions_um[0]
    nearer = f"{round(before / unit.um_per_unit)} steps nearer than " if before > 0 else ""
    wait_s = timing.settle_s + max(timing.recycle_s, timing.transfer_s)
    step = round(ladder.step_um / unit.um_per_unit)
    return (
        f"{ladder.frames} frames, step {step}, from near to far, starting at {nearer}the nearest point; {wait_s:.2g} s "
        "between frames."
    )


def _rail(trouble: str | None) -> PreflightItem:
    if trouble:
        return PreflightItem("rail", "The rail answers", "stop", trouble)
    return PreflightItem("rail", "The rail answers", "fine", "It is connected and says where it is.")


def _folder(bench: BenchSettings) -> PreflightItem:
    title = "Frames come into a folder that is there"
    try:
        folder = watched_folder(bench)
    except BadInput as error:
        return PreflightItem("folder", title, "stop", str(error))
    if not folder.is_dir():
        return PreflightItem("folder", title, "stop", f"{folder} is gone: make it again, or name another.")
    return PreflightItem("folder", title, "fine", f"{folder} is watched.")


def _rig(setup: Setup, on_bench: RigOnBench | None) -> PreflightItem:
    title = "The rig that was planned with is on the bench"
    if on_bench is None:
        return PreflightItem(
            "rig", title, "confirm",
            f"Nobody said which rig is on the bench; this ladder was planned for {setup.rig_name}. Say so under Rigs, "
            "or look.",
        )  # fmt: skip
    if on_bench.rig_id != setup.rig_id:
        return PreflightItem(
            "rig", title, "confirm",
            f"{on_bench.name} is on the bench, this ladder was planned for {setup.rig_name}: step, sharp depth and "
            "scale would not be those of the plan.",
        )  # fmt: skip
    if on_bench.version != setup.rig_version:
        return PreflightItem(
            "rig", title, "confirm",
            f"{on_bench.name} was changed since this ladder was planned (version {setup.rig_version}, now "
            f"{on_bench.version}).",
        )  # fmt: skip
    return PreflightItem("rig", title, "fine", f"{on_bench.name}, version {on_bench.version}.")


def _stage(tile: TileOn, stage: StageView) -> PreflightItem:
    title = f"The field lies on tile {tile.number}"
    right, down = tile.place_um
    if stage.by == "hand":
        where = f"{right / 1e3:.3f} mm right and {down / 1e3:.3f} mm down of tile 1."
        return PreflightItem("stage", title, "confirm", where if tile.number > 1 else "All others are placed from it.")
    if stage.trouble:
        return PreflightItem("stage", title, "stop", stage.trouble)
    if stage.off_um is None:
        return PreflightItem("stage", title, "stop", "Nobody said where the tiles lie: drive there and say so.")
    if not stage.on_tile:
        return PreflightItem("stage", title, "stop", f"The stage is {stage.off_um:.0f} µm away: let it go there.")
    return PreflightItem("stage", title, "fine", f"The stage is {stage.off_um:.0f} µm from where it lies.")


def _limits(setup: Setup, reach: Reach) -> PreflightItem:
    positions = setup.ladder.positions_um
    try:
        reach.check(positions[0])
        reach.check(positions[-1])
    except OutOfReach as error:
        return PreflightItem("limits", "The ladder lies within the limits", "stop", str(error))
    free = reach.free_um(positions[-1])
    detail = (
        f"At the last rung {free / 1e3:.2f} mm stay free before the specimen."
        if free is not None
        else "The working distance is not known: watch the front of the lens."
    )
    return PreflightItem(
        "limits", "The ladder lies within the limits", "fine" if free is not None else "confirm", detail
    )


def _space(setup: Setup, free_bytes: int) -> PreflightItem:
    each = setup.plan.bytes_per_frame or _UNKNOWN_BYTES
    needed = setup.ladder.frames * each * _ROOM_FACTOR
    detail = f"{needed / 1e9:.2g} GB are needed at most, {free_bytes / 1e9:.3g} GB are free."
    return PreflightItem("space", "Room on the disk", "fine" if needed < free_bytes else "stop", detail)


def _ends(setup: Setup, ends: EndsView | None) -> PreflightItem:
    title = "Both ends are passed"
    if ends is None:
        return PreflightItem(
            "ends", title, "confirm", "The ends were not looked for: find them, or be sure that nothing is sharp there."
        )
    positions = setup.ladder.positions_um
    missing = [
        f"{what} end by {short:.0f} µm"
        for what, short in (("near", positions[0] - ends.near_um), ("far", ends.far_um - positions[-1]))
        if short > 0.0
    ]
    if missing:
        return PreflightItem(
            "ends", title, "confirm", f"The ladder misses the {' and the '.join(missing)}: use the ends found."
        )
    return PreflightItem("ends", title, "fine", "The ladder reaches beyond all that was sharp.")


def _light(test: TestFrameView | None, flash: Flash | None) -> PreflightItem:
    title = "Light is tested"
    if test is None or flash is None or test.power != flash.power:
        return PreflightItem("light", title, "confirm", "No test frame was shot at this power.")
    if not test.in_focus:
        return PreflightItem("light", title, "confirm", "Nothing was in focus in the test frame: it tells little.")
    minutes = (now() - test.shot_at).total_seconds() / 60.0
    if minutes > _OLD_MINUTES:
        return PreflightItem("light", title, "confirm", f"The test frame is {minutes:.0f} minutes old.")
    if max(test.reading.clipped) > _MOST_CLIPPED:
        share = 100 * max(test.reading.clipped)
        return PreflightItem("light", title, "confirm", f"{share:.1f} % of the test frame is washed out.")
    if test.reading.change_stops > 1.0:
        return PreflightItem(
            "light", title, "confirm", f"The test frame is {test.reading.change_stops:.1f} stops too dark."
        )
    return PreflightItem("light", title, "fine", f"{test.reading.headroom_stops:.1f} stops below clipping.")


def _room(room: RoomView | None) -> PreflightItem:
    title = "Without flash it is black"
    if room is None:
        return PreflightItem("room", title, "confirm", "No frame was shot with the flash off.")
    if not room.black and room.stops is not None:
        return PreflightItem(
            "room",
            title,
            "confirm",
            f"Room light lies {-room.stops:.1f} stops below the flash: switch lamps off, or shade.",
        )
    return PreflightItem("room", title, "fine", "No room light is seen.")


def _cautions(unread: list[Caution]) -> list[PreflightItem]:
    """Each by itself: what is ticked in one go is not read."""
    if not unread:
        return [PreflightItem("cautions", "Cautions are read", "fine", "All that apply are ticked.")]
    return [PreflightItem(f"{CAUTION}{one.key}", one.title, "confirm", one.text) for one in unread]
