"""From the frames of a take to a series: which frames, in which order, at which depth."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

from amber_ladder.core.sorting._alike import usual_form, why_unlike
from amber_ladder.core.sorting._shot import Shot

DepthFrom = Literal["reported", "planned"]
"""Whether depths rest on what the rail reported, or merely on where it was sent."""

_GAP_SLACK = 1e-3  # relative; keeps rungs exactly one sharp depth apart from being called a gap
_MAY_STRAY = 0.25  # of the sharp depth


@dataclass(frozen=True, slots=True)
class Sorting:
    """A series that can be merged, and how it came about.

    ``order`` numbers the shots that take part, nearest first where positions are known, else as they arrived.
    ``depths_um`` are theirs, in the medium, from the nearest; None where any is unknown: then nobody knows how deep
    the stack goes. ``left_out`` numbers the others, with the reason.
    """

    order: tuple[int, ...]
    depths_um: tuple[float, ...] | None
    depth_from: DepthFrom | None
    left_out: tuple[tuple[int, str], ...]


@dataclass(frozen=True, slots=True)
class Gap:
    """A stretch (stage readings, µm) between neighbouring frames in which nothing is sharp in any frame."""

    from_um: float
    to_um: float
    after: int
    before: int


def sort(shots: Sequence[Shot], *, medium_ratio: float) -> Sorting:
    """Sort a take. ``medium_ratio`` is how far focus moves in what the specimen lies in, for each µm of the stage.

    Frames that are left out already stay so; those unlike most of the others leave. Positions count only where every
    frame that takes part has one: with a single unknown among them, order and depth are unknown for all.
    """
    usual = usual_form(shots)
    left_out = tuple(
        (number, reason)
        for number, shot in enumerate(shots)
        if (reason := shot.left_out or why_unlike(shot, usual)) is not None
    )
    gone = {number for number, _ in left_out}
    kept = [number for number in range(len(shots)) if number not in gone]
    at_um = {number: shots[number].position_um for number in kept}
    known = {number: position for number, position in at_um.items() if position is not None}
    if not kept or len(known) < len(kept):
        return Sorting(tuple(kept), None, None, left_out)
    order = sorted(kept, key=lambda number: (known[number], number))
    nearest = known[order[0]]
    depths = tuple(depth_in_medium_um(known[number] - nearest, medium_ratio) for number in order)
    reported = all(shots[number].reported_um is not None for number in order)
    return Sorting(tuple(order), depths, "reported" if reported else "planned", left_out)


def depth_in_medium_um(stage_um: float, medium_ratio: float) -> float:
    """How far focus moves in the medium for a move of the stage."""
    return stage_um * medium_ratio


def gaps(shots: Sequence[Shot], sorting: Sorting, *, sharp_um: float) -> tuple[Gap, ...]:
    """Where neighbours lie farther apart than one frame is sharp (``sharp_um``, as a stage move). Empty if unknown."""
    if sorting.depths_um is None:
        return ()
    at_um = [shots[number].position_um or 0.0 for number in sorting.order]
    return tuple(
        Gap(near, far, sorting.order[place], sorting.order[place + 1])
        for place, (near, far) in enumerate(pairwise(at_um))
        if far - near > sharp_um * (1.0 + _GAP_SLACK)
    )


def missing_rungs(rungs: int, shots: Sequence[Shot]) -> tuple[int, ...]:
    """Rungs of a ladder of which no frame was kept."""
    kept = {shot.rung for shot in shots if shot.left_out is None}
    return tuple(rung for rung in range(rungs) if rung not in kept)


def strays(shots: Sequence[Shot], *, sharp_um: float) -> tuple[int, ...]:
    """Kept frames that lie farther from their rung than a quarter of the sharp depth (as a stage move)."""
    return tuple(
        number
        for number, shot in enumerate(shots)
        if shot.left_out is None and shot.stray_um is not None and shot.stray_um > _MAY_STRAY * sharp_um
    )


def spacing_um(shots: Sequence[Shot], sorting: Sorting) -> float | None:
    """The middle distance of neighbours, as a stage move; None where positions are unknown or there is one frame."""
    if sorting.depths_um is None or len(sorting.order) < 2:
        return None
    at_um = [shots[number].position_um or 0.0 for number in sorting.order]
    steps = sorted(far - near for near, far in pairwise(at_um))
    middle = len(steps) // 2
    return steps[middle] if len(steps) % 2 else 0.5 * (steps[middle - 1] + steps[middle])
