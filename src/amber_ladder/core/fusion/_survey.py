"""The first pass over a stack: registration, brightness and focus, on frames of half the size."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.depth import Surface, surface
from amber_ladder.core.focus import PeakTracker, focus_energy
from amber_ladder.core.frames import FrameSource, Progress, ahead
from amber_ladder.core.fusion._geometry import carried_over, second_look, shrunk
from amber_ladder.core.registration import (
    IDENTITY,
    compose,
    inverse_scaled,
    register_pair,
    rescaled,
    scale_of,
    shared_rectangle,
)
from amber_ladder.errors import BadInput, UnreadablePicture

Order = Literal["auto", "near-first", "far-first"]

_HALVED_FROM_PX = 5_000_000  # below this, optical detail may be as fine as the pixels: focus is measured at full size
_REGISTERED_PX = 300_000  # enough to place a frame within a pixel of the second look, which does the rest
_NEVER_HALVED_PX = 150_000
_ALIKE = 0.35  # correlation below which two neighbours do not show the same thing
_TELLING_SCALE = 0.006  # change of scale over the stack from which its direction can be told; less may be error
_GAP_RATIO = 1.6  # against usual: two missing frames come to 1.75 and more, whole stacks stay below 1.4
_GAP_ALONE = 2.0
_GAP_SHARE = 0.002  # of the picture, sharpest in either frame beside a gap
_LEAST_STEP = 0.05


@dataclass(frozen=True, slots=True)
class Excluded:
    """A frame that was left out, and why."""

    name: str
    reason: str


@dataclass(frozen=True, slots=True)
class Survey:
    """What the first pass found. Frames are numbered as in the source; ``used`` lists those that took part.

    ``matrices`` map each used frame's px to the reference frame's px, ``gains`` bring it to the stack's brightness.
    ``corner_px`` is the standard uncertainty of each matrix at the frame's corners; ``blur_px`` the radius by which
    blur grows a step, None where it did not show: then frames are aligned by their neighbours alone. ``surface`` (at
    ``factor`` times smaller size, in reference coordinates) counts in used frames. ``crop`` is x, y, width, height in
    reference px. ``gaps`` are pairs of used frames.
    """

    used: tuple[int, ...]
    excluded: tuple[Excluded, ...]
    reference: int
    matrices: tuple[NDArray[np.float64], ...]
    gains: tuple[float, ...]
    rms_px: tuple[float, ...]
    corner_px: tuple[float, ...]
    blur_px: float | None
    factor: int
    surface: Surface
    confidence: NDArray[np.float32]
    crop: tuple[int, int, int, int]
    gaps: tuple[tuple[int, int], ...]
    near_first: bool
    order_basis: str


@dataclass
class _Chain:
    """Registration as it grows, frame by frame, all relative to the first one."""

    used: list[int]
    excluded: list[Excluded]
    matrices: list[NDArray[np.float64]]
    gains: list[float]
    rms_px: list[float]


def survey(
    frames: FrameSource,
    *,
    order: Order = "auto",
    positions_um: Sequence[float] | None = None,
    spread_px: float | None = None,
    progress: Progress,
) -> Survey:
    """Register all frames, even out their brightness and find where each place is sharpest.

    ``positions_um`` are the frames' focus positions where they are known, rising; ``spread_px`` is the standard
    deviation of the picture of a point in focus, where the optics are known.

    Raises:
        BadInput: fewer than two frames can be registered, or the frames share no area.
    """
    factor = 2 if frames.shape[0] * frames.shape[1] >= _HALVED_FROM_PX else 1
    chain, tracker = _follow(frames, factor, progress)
    if len(chain.used) < 2:
        raise BadInput("fewer than two frames can be brought together: nothing was merged")
    peaks = tracker.peaks()
    first = surface(peaks.index, peaks.confidence)
    z = _in_steps(positions_um, chain.used)
    geometry = second_look(frames, chain.used, chain.matrices, first, factor, z, spread_px, progress)
    at, scales = geometry.reference, [scale_of(matrix) for matrix in geometry.matrices]
    matrices = tuple(IDENTITY if i == at else matrix for i, matrix in enumerate(geometry.matrices))
    crop = shared_rectangle(list(matrices), frames.shape)
    if crop[2] * crop[3] == 0:
        raise BadInput("the frames share no area after alignment: are they of one stack?")
    index, confidence = carried_over(first.index, peaks.index, peaks.confidence, chain.matrices, matrices, factor)
    near_first, basis = _direction(order, scales)
    return Survey(
        used=tuple(chain.used),
        excluded=tuple(chain.excluded),
        reference=chain.used[at],
        matrices=matrices,
        gains=geometry.gains,
        rms_px=tuple(chain.rms_px),
        corner_px=geometry.corner_px,
        blur_px=geometry.blur_px,
        factor=factor,
        surface=surface(index, confidence),
        confidence=confidence,
        crop=crop,
        gaps=_gaps(peaks.drop_before, peaks.drop_after, chain.used, first),
        near_first=near_first,
        order_basis=basis,
    )


def _follow(frames: FrameSource, factor: int, progress: Progress) -> tuple[_Chain, PeakTracker]:
    count = len(frames.names)
    chain = _Chain([], [], [], [], [])
    tracker: PeakTracker | None = None
    last_small: NDArray[np.float32] | None = None
    shrink = 1
    for index, (grey, energy) in ahead(lambda i: _seen(frames, i, factor), range(count)):
        progress("register", index, 2 * count)
        if isinstance(energy, UnreadablePicture):
            chain.excluded.append(Excluded(frames.names[index], energy.reason))
            continue
        if last_small is None:
            shrink = _registration_shrink(grey.size, factor)
        small = shrunk(grey, shrink)
        pair = None
        if last_small is None or tracker is None:
            tracker = PeakTracker((grey.shape[0], grey.shape[1]))
        else:
            pair = register_pair(last_small, small)
            if pair.likeness < _ALIKE:
                reason = f"cannot be aligned with its neighbour (likeness {pair.likeness:.2f})"
                if len(chain.used) > 1:
                    chain.excluded.append(Excluded(frames.names[index], reason))
                    continue
                # Nothing has matched the first frame yet: rather it than this one is the stranger.
                chain.excluded.append(Excluded(frames.names[chain.used[0]], reason))
                chain = _Chain([], chain.excluded, [], [], [])
                tracker = PeakTracker((grey.shape[0], grey.shape[1]))
                pair = None
        if pair is None:
            matrix, gain, rms = IDENTITY, 1.0, 0.0
        else:
            matrix = compose(chain.matrices[-1], rescaled(pair.matrix, shrink * factor))
            gain, rms = chain.gains[-1] * pair.gain, pair.rms_px * shrink * factor
        chain.used.append(index)
        chain.matrices.append(matrix)
        chain.gains.append(gain)
        chain.rms_px.append(rms)
        tracker.add(_on_canvas(energy, matrix, factor), gain**2)
        last_small = small
    if tracker is None:
        raise BadInput("there is no usable frame: nothing was merged")
    return chain, tracker


def _seen(
    frames: FrameSource, index: int, factor: int
) -> tuple[NDArray[np.float32], NDArray[np.float32] | UnreadablePicture]:
    """A frame and its focus energy, or why it cannot be read."""
    try:
        grey = frames.grey(index, factor)
        return grey, focus_energy(grey)
    except UnreadablePicture as error:  # damage that shows when a frame is decoded
        return np.empty((0, 0), np.float32), error


def _registration_shrink(pixels: int, factor: int) -> int:
    """How much smaller than the focus picture frames are registered: at most half the frames' own size."""
    shrink = 2 if factor == 1 and pixels > _NEVER_HALVED_PX else 1
    while pixels / shrink**2 > _REGISTERED_PX:
        shrink *= 2
    return shrink


def _on_canvas(energy: NDArray[np.float32], matrix: NDArray[np.float64], factor: int) -> NDArray[np.float32]:
    if matrix is IDENTITY:
        return energy
    size = (energy.shape[1], energy.shape[0])
    small = inverse_scaled(matrix, factor)
    return np.asarray(cv2.warpAffine(energy, small, size, flags=cv2.INTER_LINEAR, borderValue=-1e6), np.float32)


def _in_steps(positions_um: Sequence[float] | None, used: Sequence[int]) -> list[float]:
    """Focus positions of the used frames in usual steps; without positions, one step is taken to lie between two."""
    if positions_um is None:
        return [float(place) for place in range(len(used))]
    at = np.array([positions_um[index] for index in used], np.float64)
    between = np.maximum(np.diff(at), 0.0)
    usual = float(np.median(between[between > 0])) if (between > 0).any() else 1.0
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


def _gaps(
    before: NDArray[np.float64], after: NDArray[np.float64], used: list[int], found: Surface
) -> tuple[tuple[int, int], ...]:
    """Neighbours between which sharpness falls much faster than elsewhere: rungs are missing there."""
    known = np.concatenate([before[np.isfinite(before)], after[np.isfinite(after)]])
    if known.size < 6:
        return ()
    usual = float(np.median(known))
    # What lies at missing rungs is sharpest in the frames beside them; a few peaks of noise are no witnesses.
    sharp = np.bincount(np.rint(found.index[found.known]).astype(np.intp), minlength=len(used)) / found.index.size

    def missing(i: int) -> bool:
        drops = np.array([after[i], before[i + 1]])
        told = np.maximum(drops[np.isfinite(drops) & (sharp[i : i + 2] > _GAP_SHARE)] / usual, 1e-3)
        # What only one side tells may be the last thing in focus.
        return told.size > 0 and bool(np.exp(np.log(told).mean()) > (_GAP_RATIO if told.size == 2 else _GAP_ALONE))

    return tuple((used[i], used[i + 1]) for i in range(len(used) - 1) if missing(i))
