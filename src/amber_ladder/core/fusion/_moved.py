"""What moved while a stack was shot: between which frames, where, and which side of it the picture shows."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import Peaks, PeakTracker

Float = NDArray[np.float32]
Mask = NDArray[np.bool_]
Side = Literal["auto", "near", "far"]

_CALM_PX = 1.5
_STANDS_OUT, _BELONGS = 2.0, 1.3  # times the change between the pairs around: for the heart of it, and for its rim
_LEAST, _LEAST_RIM = 0.012, 0.008  # of full range, encoded
_STAYS = 0.5  # of the change must be there one frame later still: a flicker is no movement
_MOVED_PX, _FAR_SHARE = 3.0, 0.5  # of the size in which it is looked for, in so much of a piece
_LEAST_SHARE, _LEAST_PX = 0.0015, 100  # of the picture in one piece
_BOTH_WAYS = 0.1  # of a piece grows brighter or darker: what moves leaves one place and takes another
_ONE_WAY = 6  # times as large is a piece that does not, and has moved all the same: farther than it is wide
_WIDER_PX = 5
_SHOWS = 0.12  # of a region: so much in focus makes a side worth showing
_SURE = 1.0
_AGREE_FRAMES = 1.0
_HELD = 0.75
_LEAST_RUN = 2
_LEAST_PIECE_PX = 150  # several of the windows over which focus is measured


@dataclass(frozen=True, slots=True)
class Moved:
    """A region (``mask``, H, W of the surface) of which frames show different things.

    ``events`` are the places of the last frames before each movement; the picture shows the frames from place ``first``
    to ``last``. Only where ``told`` (H, W) has the depth there been seen. ``soft`` (H, W) is what those frames show out
    of focus and others in focus, best the one at place ``sharp_at``; what they show there may be something else.
    """

    mask: Mask
    told: Mask
    soft: Mask
    sharp_at: int
    events: tuple[int, ...]
    first: int
    last: int


class MotionWatch:
    """Takes the frames of a stack one after the other, laid on each other, and notes where they change suddenly.

    Defocus changes a place steadily from frame to frame; what moves changes it once, and it stays so.
    """

    def __init__(self) -> None:
        self._calm: list[Float] = []  # the last four
        self._changes: list[Float] = []  # between them
        self._usual: list[float] = []
        self._place, self._z = -1, 0.0
        self.events: list[tuple[int, Mask]] = []

    def add(self, canvas: Float, z: float) -> None:
        """The next frame (H, W), encoded, 0 to 1, negative where it does not reach, and where it lies in steps."""
        outside = cv2.dilate((canvas < 0).astype(np.uint8), np.ones((9, 9), np.uint8)) > 0
        calm = np.asarray(cv2.GaussianBlur(np.maximum(canvas, 0), (0, 0), _CALM_PX), np.float32)
        calm[outside] = np.nan
        self._place += 1
        if self._calm:
            steps = np.float32(max(z - self._z, 1.0))
            change = np.abs(calm - self._calm[-1] * _brighter(self._calm[-1], calm)) / steps
            self._changes = [*self._changes[-2:], np.nan_to_num(change, nan=0.0)]
            self._usual = [*self._usual[-2:], float(np.median(self._changes[-1][::3, ::3]))]
        self._calm, self._z = [*self._calm[-3:], calm], z
        if len(self._changes) == 3:
            self._judge()

    def _judge(self) -> None:
        """The pair before the last one."""
        before, here, after = self._changes
        around = np.maximum(before, after)
        # Across missing rungs that nobody knows of all changes more: that is none of a place.
        more = max(self._usual[1] / max(self._usual[0], self._usual[2], 1e-6), 1.0)
        stays = np.abs(self._calm[3] - self._calm[0] * _brighter(self._calm[0], self._calm[3])) > _STAYS * here
        heart = (here > _STANDS_OUT * more * around) & (here > _LEAST) & stays
        heart = cv2.morphologyEx(heart.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)) > 0
        least = max(_LEAST_SHARE * heart.size, _LEAST_PX)
        if np.count_nonzero(heart) < least:
            return
        rim = ((here > _BELONGS * more * around) & (here > _LEAST_RIM)) | heart
        count, labels = cv2.connectedComponents(rim.astype(np.uint8))
        strong = np.bincount(labels[heart], minlength=count)
        brighter = np.bincount(labels[heart & (self._calm[2] > self._calm[1])], minlength=count)
        mixed = np.minimum(brighter, strong - brighter) > _BOTH_WAYS * strong
        # Frames that lie a little wrong change by their slope: what moved changes by far more.
        slope = np.maximum(_slope(self._calm[1]), _slope(self._calm[2]))
        far = here > _MOVED_PX * slope
        strong = np.where(np.bincount(labels[heart & far], minlength=count) > _FAR_SHARE * strong, strong, 0)
        # A point of light that comes into focus grows brighter alone, or darker.
        if not ((mixed & (strong >= least)) | (strong >= _ONE_WAY * least)).any():
            return
        chosen = np.isin(labels, np.flatnonzero(strong >= least / 2))
        wide = cv2.dilate(chosen.astype(np.uint8), np.ones((_WIDER_PX, _WIDER_PX), np.uint8)) > 0
        self.events.append((self._place - 2, wide))


def _slope(calm: Float) -> Float:
    filled = np.nan_to_num(calm, nan=0.0)
    across, down = (cv2.Sobel(filled, cv2.CV_32F, *order, ksize=3, scale=0.125) for order in ((1, 0), (0, 1)))
    return np.asarray(np.hypot(across, down), np.float32)


def _brighter(one: Float, two: Float) -> np.float32:
    thin = np.s_[::3, ::3]
    both = np.isfinite(one[thin]) & np.isfinite(two[thin]) & (one[thin] > 0.02)
    return np.float32(np.median(two[thin][both] / one[thin][both])) if both.any() else np.float32(1.0)


def shown_sides(
    events: Sequence[tuple[int, Mask]],
    energy_of: Callable[[int], Float],
    at: Sequence[float],
    near_first: bool,
    side: Side,
) -> tuple[list[Moved], Float, Float]:
    """Regions of what moved, which side each is shown from, and peaks (H, W) told from that side alone.

    ``events`` are places and masks (H, W), ``energy_of`` gives the focus energy of the frame at a place, laid on the
    reference, negative where it does not reach; ``at`` is where the frames lie, in usual steps. Where nothing moved,
    peaks are NaN and confidence is 0. Of the sides on which a region shows something in focus, auto takes the nearest
    to the camera: there lies what moved, before its ground.
    """
    shape, count = events[0][1].shape, len(at)
    index, confidence = np.full(shape, np.nan, np.float32), np.zeros(shape, np.float32)
    regions = _regions(events, count)
    trackers = [[PeakTracker((box[0].stop - box[0].start, box[1].stop - box[1].start)) for _ in runs]
                for _, box, _, runs in regions]  # fmt: skip
    for place in range(count):
        energy = energy_of(place)
        for (_, box, _, runs), own in zip(regions, trackers, strict=True):
            for (first, last), tracker in zip(runs, own, strict=True):
                if first <= place <= last:
                    tracker.add(np.ascontiguousarray(energy[box]))
    moved = []
    for (mask, box, places, runs), own in zip(regions, trackers, strict=True):
        peaks = [tracker.peaks(at[first : last + 1]) for (first, last), tracker in zip(runs, own, strict=True)]
        within = mask[box]
        sharp = []
        for (first, last), peak in zip(runs, peaks, strict=True):
            # Cut off by the movement: sharper still, perhaps, had it not come between.
            low, high = (0.5 if first else -1.0), (last - first - 0.5 if last < count - 1 else np.inf)
            calm = np.asarray(cv2.medianBlur(peak.index, 5), np.float32)
            seen = (peak.index > low) & (peak.index < high) & (peak.confidence > _SURE)
            sharp.append(within & _in_large_pieces(seen & (np.abs(peak.index - calm) < _AGREE_FRAMES)))
        chosen = _chosen([np.count_nonzero(one) / np.count_nonzero(within) for one in sharp], near_first, side)
        first, last = runs[chosen]
        here, peak = sharp[chosen], peaks[chosen]
        # The rest is least out of focus where the movement cut it off; of a side that reaches the end, fill it in.
        edge = last if last < count - 1 else first
        index[box][within] = np.where(here, peak.index + first, np.float32(edge))[within]
        confidence[box][within] = np.where(here, peak.confidence, _HELD if last < count - 1 else 0.0)[within]
        told, soft = np.zeros(shape, np.bool_), np.zeros(shape, np.bool_)
        told[box] = here
        soft[box], sharp_at = _only_elsewhere(sharp, peaks, runs, chosen)
        moved.append(Moved(mask, told, soft, sharp_at, places, first, last))
    return moved, index, confidence


def _only_elsewhere(
    sharp: Sequence[Mask], peaks: Sequence[Peaks], runs: Sequence[tuple[int, int]], chosen: int
) -> tuple[Mask, int]:
    """What the chosen side does not show in focus and another does, most of it, and in which frame."""
    lacking = [_in_large_pieces(one & ~sharp[chosen]) for one in sharp]  # nothing of the chosen one itself
    most = int(np.argmax([np.count_nonzero(one) for one in lacking]))
    soft = lacking[most]
    if not soft.any():
        return soft, runs[chosen][0]
    return soft, runs[most][0] + round(float(np.median(peaks[most].index[soft])))


def _regions(
    events: Sequence[tuple[int, Mask]], count: int
) -> list[tuple[Mask, tuple[slice, slice], tuple[int, ...], list[tuple[int, int]]]]:
    """Pieces in which events overlap: mask, box, the events' places, and the runs of frames between them."""
    union = np.logical_or.reduce([mask for _, mask in events])
    number, labels, stats, _ = cv2.connectedComponentsWithStats(union.astype(np.uint8))
    found = []
    for label in range(1, number):
        mask = labels == label
        left, top, width, height = (int(one) for one in stats[label, :4])
        places = tuple(sorted({place for place, one in events if (one & mask).any()}))
        edges = [-1, *places, count - 1]
        runs = [(a + 1, b) for a, b in pairwise(edges) if b - a >= _LEAST_RUN]
        found.append((mask, (slice(top, top + height), slice(left, left + width)), places, runs or [(0, count - 1)]))
    return found


def _in_large_pieces(mask: Mask) -> Mask:
    """Without what noise may have joined."""
    opened = cv2.morphologyEx(mask.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    _, labels, stats, _ = cv2.connectedComponentsWithStats(np.asarray(opened))
    large = stats[:, cv2.CC_STAT_AREA] >= _LEAST_PIECE_PX
    large[0] = False
    return np.asarray(large[labels], np.bool_)


def _chosen(shares: Sequence[float], near_first: bool, side: Side) -> int:
    order = range(len(shares)) if near_first else range(len(shares) - 1, -1, -1)
    if side != "auto":
        return order[0] if side == "near" else order[-1]
    return next((run for run in order if shares[run] > _SHOWS), int(np.argmax(shares)))


def barred(moved: Sequence[Moved], place: int, shape: tuple[int, int]) -> NDArray[np.uint8] | None:
    """255 where the frame at a place shows what another side shows differently, (H, W) of the frames; None: nowhere."""
    wrong = [one.mask for one in moved if not one.first <= place <= one.last]
    if not wrong:
        return None
    mask = np.logical_or.reduce(wrong).astype(np.uint8) * np.uint8(255)
    return np.asarray(cv2.resize(mask, (shape[1], shape[0]), interpolation=cv2.INTER_NEAREST), np.uint8)
