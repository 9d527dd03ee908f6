"""A take as a series: what is known of where its frames lie, and what follows from that."""

from dataclasses import dataclass

from amber_ladder.core.optics import Sensor
from amber_ladder.core.planning import Ladder
from amber_ladder.core.sorting import (
    DepthFrom,
    Shot,
    Sorting,
    form_of,
    gaps,
    missing_rungs,
    sort,
    spacing_um,
    strays,
)
from amber_ladder.store.models import Take
from amber_ladder.store.tasks import RUN

_COVERED = 0.985
_UNKNOWN = "Where these frames lie is not known: depth counts frames, not µm."


@dataclass(frozen=True, slots=True)
class GapView:
    """A stretch of the stage's travel, µm, in which no frame is sharp."""

    from_um: float
    to_um: float


@dataclass(frozen=True, slots=True)
class HoleView:
    """Frames that are missing between two others, as the pictures tell; ``um`` (of the stage) at the planned step."""

    after: str
    before: str
    missing: int
    um: float


@dataclass(frozen=True, slots=True)
class LeftOutView:
    """A frame that takes no part, and why."""

    frame_id: int
    name: str
    reason: str


@dataclass(frozen=True, slots=True)
class SeriesView:
    """What is known of a take. ``used`` frames can be merged; ``left_out`` are the others.

    ``step_um`` (of the stage), ``overlap`` and ``depth_um`` (in the medium) are those of the frames as they lie, None
    where that is not known; ``depth_from`` says whether positions were reported or are merely the planned ones,
    ``order_said`` how they are ordered, in words. ``rungs_um`` is the take's own ladder, empty where it has none.
    ``coverage`` is the share of the planned depth that frames by hand hold, by chance.
    """

    used: int
    left_out: list[LeftOutView]
    order_said: str
    rungs_um: list[float]
    missing: list[int]
    gaps: list[GapView]
    holes: list[HoleView]
    depth_from: DepthFrom | None
    step_um: float | None
    overlap: float | None
    depth_um: float | None
    coverage: float | None
    warnings: list[str]


def shots_of(take: Take) -> list[Shot]:
    """What was shot, in the order of arrival."""
    return [
        Shot(
            frame.name,
            frame.width_px,
            frame.height_px,
            frame.bits,
            frame.rung,
            frame.planned_um,
            frame.reported_um,
            tuple(str(fault["kind"]) for fault in frame.faults),
            frame.left_out,
        )
        for frame in take.frames
    ]


def sorted_take(take: Take, ladder: Ladder) -> tuple[list[Shot], Sorting]:
    """A take's frames, and how they are sorted by what is known of them."""
    shots = shots_of(take)
    return shots, sort(shots, medium_ratio=ladder.medium_ratio)


def series_view(take: Take, ladder: Ladder, sensor: Sensor) -> SeriesView:
    """A take as a series."""
    shots, sorting = sorted_take(take, ladder)
    rungs = rungs_um(take, ladder)
    sharp_um = ladder.sharp_depth_stage_um
    step_um = spacing_um(shots, sorting)
    return SeriesView(
        len(sorting.order),
        [LeftOutView(take.frames[number].id, shots[number].name, reason) for number, reason in sorting.left_out],
        _order(take, sorting),
        rungs,
        list(missing_rungs(len(rungs), shots)) if take.complete else [],
        [GapView(one.from_um, one.to_um) for one in gaps(shots, sorting, sharp_um=sharp_um)] if take.complete else [],
        holes_of(take, ladder),
        sorting.depth_from,
        step_um,
        1.0 - step_um / sharp_um if step_um is not None else None,
        sorting.depths_um[-1] if sorting.depths_um else None,
        (take.run or {}).get("coverage"),
        _warnings(take, shots, sorting, sharp_um, sensor) if sorting.order else [],
    )


def holes_of(take: Take, ladder: Ladder) -> list[HoleView]:
    """Frames that a take from a card lacks, from near to far where that is known."""
    return [
        HoleView(one["after"], one["before"], one["missing"], one["missing"] * ladder.step_um)
        for one in (take.run or {}).get("holes", ())
    ]


def repairable(take: Take) -> bool:
    """Whether the bench can shoot beside it what it lacks: it was shot there rung by rung, not by the worker."""
    by_the_bench = take.task is None or take.task.kind == RUN
    return take.source == "bench" and "positions_um" in (take.run or {}) and by_the_bench


def rungs_um(take: Take, ladder: Ladder) -> list[float]:
    """The positions of a take's own ladder: as it was run, or the plan's where its files were matched to that."""
    run = take.run or {}
    if "positions_um" in run:
        return [float(one) for one in run["positions_um"]]
    return list(ladder.positions_um) if any(frame.rung is not None for frame in take.frames) else []


def fills_sensor(shot: Shot, sensor: Sensor) -> bool:
    """Whether a frame has the sensor's own pixels, in either orientation: else the rig's scale is not the frame's."""
    width, height, _ = form_of(shot)
    return (width, height) in ((sensor.width_px, sensor.height_px), (sensor.height_px, sensor.width_px))


def _order(take: Take, sorting: Sorting) -> str:  # noqa: PLR0911 - one for each way to know it
    if sorting.depth_from == "reported":
        return "Nearest first, by where the rail said it was."
    pressed = (take.run or {}).get("pressed_take")
    if sorting.depth_from == "planned" and pressed is not None:
        return f"Nearest first, by the rungs that take {pressed} called, and a key said were shot."
    if take.source == "card":
        return _order_on_card(take, planned=sorting.depth_from == "planned")
    if sorting.depth_from == "planned" and take.source == "files":
        return "By file name, taken to be one for each planned rung, nearest first."
    if sorting.depth_from == "planned" and "folder" in (take.run or {}):
        return "Nearest first, by the rungs whose turn it was."
    if sorting.depth_from == "planned":
        return "Nearest first, by where the rail was sent."
    return "By file name; which end is near is not known." if take.source != "bench" else "As they arrived."


def _order_on_card(take: Take, *, planned: bool) -> str:
    told = take.run or {}
    if told.get("focus_order"):
        end = "nearest first" if told.get("from_near") else "which end is near is not known"
        u = 100 * max(one["u"] for one in told["focus_order"])
        return f"In the order of focus, worked out from the pictures (u {u:.0f} % of the depth or less); {end}."
    if told["order"] == "unknown":
        return "As they were shot; which end is near is not known."
    shot = "" if told["order"] == "near-first" else ", though shot farthest first"
    rungs = "; taken to be one for each planned rung" if planned else ""
    return f"Nearest first{shot}, told from the pictures ({told['order_basis']}){rungs}."


def _warnings(take: Take, shots: list[Shot], sorting: Sorting, sharp_um: float, sensor: Sensor) -> list[str]:
    found: list[str] = []
    run = take.run or {}
    found += [
        f"The {end} end was not reached: it is still sharp in the last frame there. Shoot more of it, if the specimen "
        "still lies there: no merge can mend this."
        for end in ("near", "far")
        if run.get(f"{end}_reached") is False
    ]
    if "pressed_take" in run and not any(frame.rung is not None for frame in take.frames):
        found.append(
            f"Take {run['pressed_take']} noted {run['presses']} presses of the key, and here are {len(take.frames)} "
            "files: which belongs to which rung nobody knows. Throw this take away, and bring all files of the series "
            "and no others."
        )
    for one in run.get("doubts", ()):
        rung = one["rung"] + 1
        why = (
            f"Rung {rung} shows the same as the frame before it: the focus was not moved, or came back"
            if one["kind"] == "same"
            else f"Before rung {rung} the pictures lie as far apart as if {one['count']} were missing: rungs were "
            "passed over, or something moved"
        )
        found.append(f"{why}. Positions from there on are in doubt.")
    coverage = run.get("coverage")
    if coverage is not None and coverage < _COVERED:
        found.append(
            f"These {len(sorting.order)} frames cover {100 * coverage:.0f} % of the planned depth, by chance: the rest "
            "is soft in every one of them. Shoot another burst, or take the picture for what it is."
        )
    if sorting.depths_um is None:
        found.append(_UNKNOWN)
    far_off = [shots[number].stray_um or 0.0 for number in strays(shots, sharp_um=sharp_um)]
    if far_off:
        told = "" if sorting.depth_from == "reported" else ", where it said so"
        found.append(
            f"{len(far_off)} of {len(sorting.order)} frames lie up to {max(far_off):.1f} µm from their rungs, more "
            f"than a quarter of the sharp depth ({sharp_um:.1f} µm): a click of the rail is too coarse for this "
            f"ladder, or something held it. Depth goes by where the rail said it was{told}."
        )
    first = shots[sorting.order[0]]
    if not fills_sensor(first, sensor):
        found.append(
            f"The frames are {first.width_px} × {first.height_px} px, the rig's sensor {sensor.width_px} × "
            f"{sensor.height_px}: their scale is not known."
        )
    return found
