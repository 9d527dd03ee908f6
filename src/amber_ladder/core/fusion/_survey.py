"""What a stack holds: where its frames lie, how bright they are, and where each place is sharpest."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.depth import Surface, surface
from amber_ladder.core.focus import WIDE, focus_energy
from amber_ladder.core.frames import FrameSource, Progress
from amber_ladder.core.fusion._first_look import Chain, Excluded, follow, on_canvas
from amber_ladder.core.fusion._gaps import GAP_RATIO, by_falls, by_places, falls
from amber_ladder.core.fusion._geometry import carried_over, second_look
from amber_ladder.core.fusion._growth import Growth
from amber_ladder.core.fusion._moved import Moved, Side, shown_sides
from amber_ladder.core.fusion._small import SmallPictures
from amber_ladder.core.fusion._unsure import corner_px, shown_px
from amber_ladder.core.light import Speck
from amber_ladder.core.registration import IDENTITY, scale_of, shared_rectangle
from amber_ladder.errors import BadInput

Order = Literal["auto", "near-first", "far-first"]

_HALVED_FROM_PX = 5_000_000  # below this, optical detail may be as fine as the pixels: focus is measured at full size
_TELLING_SCALE = 0.006  # change of scale over the stack from which its direction can be told; less may be error
_LEAST_STEP = 0.05
_OWN_FRAMES = 0.4  # within which a place kept the depth that was seen there


@dataclass(frozen=True, slots=True)
class Survey:
    """What the first pass found. Frames are numbered as in the source; ``used`` lists those that took part.

    ``places`` are where the used ones lie, in steps from the first; where positions are not known, every frame but
    copies is taken to lie one step on, be it used or not. ``matrices`` map each used frame's px to the reference
    frame's px, ``gains`` bring it to the stack's brightness. ``corner_px`` is the standard uncertainty of each
    matrix at the frame's corners, ``shown_px`` where the frame is shown; ``blur_px`` the radius by which blur grows
    a step, None where it did not show: then frames are aligned by their neighbours alone. ``growth`` is of the
    picture from step to step. ``surface`` (at ``factor`` times smaller size, in reference coordinates) counts in
    used frames. ``crop`` is x, y, width, height in reference px. ``gaps`` are pairs of used frames, ``moved`` is
    what they show differently. ``specks`` are places of the sensor, ``grain`` is the standard deviation of one
    frame's noise, of full range.
    """

    used: tuple[int, ...]
    places: tuple[float, ...]
    excluded: tuple[Excluded, ...]
    reference: int
    matrices: tuple[NDArray[np.float64], ...]
    gains: tuple[float, ...]
    rms_px: tuple[float, ...]
    corner_px: tuple[float, ...]
    shown_px: tuple[float, ...]
    blur_px: float | None
    growth: Growth
    factor: int
    surface: Surface
    confidence: NDArray[np.float32]
    crop: tuple[int, int, int, int]
    gaps: tuple[tuple[int, int], ...]
    moved: tuple[Moved, ...]
    specks: tuple[Speck, ...]
    grain: float
    near_first: bool
    order_basis: str

    @property
    def blur_between_px(self) -> float:
        """By how much blur differs, at any place, between some of the frames; 0 where blur did not show."""
        return _blur_between(self.blur_px, self.places)


def _blur_between(blur_px: float | None, places: Sequence[float]) -> float:
    return (blur_px or 0.0) * (places[-1] - places[0]) / 2.0  # of what lies in the middle, at least


def survey(
    frames: FrameSource,
    *,
    order: Order = "auto",
    positions_um: Sequence[float] | None = None,
    numbers: Sequence[int] | None = None,
    spread_px: float | None = None,
    blur_px: float | None = None,
    growth: tuple[float, float] | None = None,
    side: Side = "auto",
    progress: Progress,
) -> Survey:
    """Register all frames, even out their brightness and find where each place is sharpest.

    ``positions_um`` are the frames' focus positions where they are known, rising; else ``numbers`` count them as they
    were shot, so that one which does not come here leaves its place empty. ``spread_px`` is the standard deviation of
    the picture of a point in focus, where the optics are known, ``blur_px`` the radius by which blur grows a usual
    step, where the positions are known too; ``growth`` the least and the most by which the picture can grow a step, as
    a share of its size. What moved is shown by the frames on one ``side`` of the movement: those
    nearer to the camera, the farther ones, or those that show it in focus (auto).

    Raises:
        BadInput: fewer than two frames can be registered, or the frames share no area.
    """
    factor = 2 if frames.shape[0] * frames.shape[1] >= _HALVED_FROM_PX else 1
    small = SmallPictures(frames, factor)
    chain, tracker, wide_tracker = follow(frames, factor, small, progress)
    if len(chain.used) < 2:
        why = "; ".join(f"{one.name} {one.reason}" for one in chain.excluded[:3])
        raise BadInput(f"fewer than two frames can be brought together: nothing was merged (left out: {why})")
    if positions_um is None:
        places = _counted(numbers or range(len(frames.names)), chain)
    else:
        places = _in_steps(positions_um, chain.used)
    peaks, wide = tracker.peaks(places), wide_tracker.peaks(places)
    # Frames are aligned by what fine detail tells: the wider window reaches over edges.
    first = surface(peaks.index, peaks.confidence, len(chain.used))
    sharp = first.sharp_in(len(chain.used))
    fall = falls(peaks.drop_before, peaks.drop_after, sharp)
    missing = by_falls(fall, sharp) if positions_um is None else by_places(places, sharp)
    leaps = missing if positions_um is None else []
    geometry = second_look(
        small, chain.used, chain.matrices, first, factor, places, leaps, spread_px, blur_px, growth, progress
    )
    at, scales = geometry.reference, [scale_of(matrix) for matrix in geometry.matrices]
    matrices = tuple(IDENTITY if i == at else matrix for i, matrix in enumerate(geometry.matrices))
    crop = shared_rectangle(list(matrices), frames.shape)
    if crop[2] * crop[3] == 0:
        raise BadInput("the frames share no area after alignment: are they of one stack?")
    index, confidence = carried_over(first.index, peaks.index, peaks.confidence, chain.matrices, matrices, factor)
    size = (wide.index.shape[1], wide.index.shape[0])
    frame = np.asarray(cv2.resize(first.index, size, interpolation=cv2.INTER_NEAREST), np.float32)
    wide_index, wide_confidence = carried_over(
        frame, wide.index, wide.confidence, chain.matrices, matrices, factor * WIDE
    )
    near_first, basis = _direction(order, scales)
    gaps = tuple((chain.used[i], chain.used[i + 1]) for i in missing)
    # Where focus may have leapt, all changes at once: what moved there cannot be told.
    leapt = np.nan_to_num(fall, nan=0.0).max(axis=1) > GAP_RATIO
    told = [(place, mask) for place, mask in geometry.moved if not leapt[place]]
    events = _within(told, tuple(edge // factor for edge in crop))
    moved: list[Moved] = []
    if events:

        def energy_of(place: int) -> NDArray[np.float32]:
            progress("register", 2 * len(frames.names), 2 * len(frames.names))
            energy = focus_energy(frames.grey(chain.used[place], factor)) * np.float32(geometry.gains[place] ** 2)
            return on_canvas(energy, matrices[place], factor)

        moved, own, sure = shown_sides(events, energy_of, places, near_first, side)
        within = np.logical_or.reduce([one.mask for one in moved])
        index, confidence = np.where(within, own, index), np.where(within, sure, confidence)
        touched = cv2.resize(within.astype(np.float32), size, interpolation=cv2.INTER_AREA)
        wide_confidence[touched > 0] = 0
    whole = surface(index, confidence, len(chain.used), (wide_index, wide_confidence))
    for one in moved:
        np.clip(whole.index, one.first, one.last, out=whole.index, where=one.mask)
        own_depth = one.told & (np.abs(whole.index - index) < _OWN_FRAMES)
        np.logical_and(whole.known, own_depth, out=whole.known, where=one.mask)
    blur_between = _blur_between(geometry.blur_px, places)
    return Survey(
        used=tuple(chain.used),
        places=tuple(places),
        excluded=tuple(sorted(chain.excluded, key=lambda one: frames.names.index(one.name))),
        reference=chain.used[at],
        matrices=matrices,
        gains=geometry.gains,
        rms_px=tuple(chain.rms_px),
        corner_px=tuple(corner_px(geometry.covariances).tolist()),
        shown_px=tuple(shown_px(geometry.covariances, matrices, whole, factor, frames.shape, crop).tolist()),
        blur_px=geometry.blur_px,
        growth=geometry.growth,
        factor=factor,
        surface=whole,
        confidence=confidence,
        crop=crop,
        gaps=gaps,
        moved=tuple(moved),
        specks=tuple(chain.specks.specks(blur_between)),
        grain=chain.specks.grain(),
        near_first=near_first,
        order_basis=basis,
    )


def _within(
    events: Sequence[tuple[int, NDArray[np.bool_]]], box: tuple[int, ...]
) -> list[tuple[int, NDArray[np.bool_]]]:
    """Only what all frames share: beyond, no side need reach."""
    x, y, width, height = box
    kept = []
    for place, mask in events:
        inside = np.zeros_like(mask)
        inside[y : y + height, x : x + width] = mask[y : y + height, x : x + width]
        if inside.any():
            kept.append((place, inside))
    return kept


def _counted(numbers: Sequence[int], chain: Chain) -> list[float]:
    """A frame that was left out was a step all the same; a copy of the one before it was none."""
    at = [numbers[index] - sum(copy < index for copy in chain.copies) for index in chain.used]
    return [float(one - at[0]) for one in at]


def usual_step(positions_um: Sequence[float] | NDArray[np.float64]) -> float | None:
    """How far neighbours usually lie apart; None where none do."""
    between = np.diff(np.asarray(positions_um, np.float64))
    return float(np.median(between[between > 0])) if (between > 0).any() else None


def _in_steps(positions_um: Sequence[float], used: Sequence[int]) -> list[float]:
    """Focus positions of the used frames in usual steps from the first."""
    at = np.array([positions_um[index] for index in used], np.float64)
    between = np.maximum(np.diff(at), 0.0)
    usual = usual_step(at) or 1.0
    # A rung that was shot again lies where it lay before: a little apart, so that the order stays told.
    steps = np.maximum(between / usual, _LEAST_STEP)
    return [0.0, *np.cumsum(steps).tolist()]


def _direction(order: Order, scales: list[float]) -> tuple[bool, str]:
    if order != "auto":
        return order == "near-first", "given"
    # On a rail the picture grows as focus goes deeper, so later frames cover less of the first one.
    growth = scales[0] / scales[-1] - 1.0
    if abs(growth) < _TELLING_SCALE:
        return True, "assumed: the picture hardly changes size"
    return (
        growth > 0,
        f"the picture {'grows' if growth > 0 else 'shrinks'} by {abs(growth):.1%}, taken as a rail's",
    )
