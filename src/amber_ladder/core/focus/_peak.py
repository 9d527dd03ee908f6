"""Where in the stack each pixel was sharpest, found while the frames pass by once.

Detail that is out of focus by z fades as 1 / (1 + (z / w)²), so that the reciprocals of its amplitudes lie on a
parabola, lowest where focus is. It is fitted to five frames, where these truly lie. (A parabola through the logarithms
of three, as is usual, puts depths nearer to the frames: of the two on either side, the one that chance favours is taken
as the sharpest.)
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_TINY = np.float32(1e-12)
_SURE = 0.5
_Sums = tuple[Any, ...]
_NO_SUMS = (0.0,) * 8
_REACH = np.float32(2.25)  # usual steps from the sharpest frame, over which others count ever less
_LEAST = np.float32(0.1)  # what those next to it count at any distance


@dataclass(frozen=True, slots=True)
class Peaks:
    """The sharpest frame of every pixel, all (H, W).

    ``index`` is fractional, by at most half a frame from the sharpest, NaN where no frame was ever seen;
    ``confidence`` is how far the peak stands above the pixel's mean energy, 0 for none.
    ``drop_before`` and ``drop_after`` give, for each frame, the median fall of the logarithm of energy from
    the peak to the neighbouring frame, NaN where too few pixels tell.
    """

    index: Float
    confidence: Float
    drop_before: NDArray[np.float64]
    drop_after: NDArray[np.float64]


class PeakTracker:
    """Takes the focus energy of one frame after the other; memory does not depend on how many there are."""

    def __init__(self, shape: tuple[int, int]) -> None:
        self._count = 0
        self._best = np.full(shape, -1.0, np.float32)
        self._index = np.full(shape, -1, np.int16)
        # Energies of the frames next to the sharpest, and next to those.
        self._before, self._before_that = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
        self._after, self._after_that = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
        none = np.full(shape, -1.0, np.float32), np.float32(1)
        self._previous, self._previous_but_one = none, none
        self._sum = np.zeros(shape, np.float32)
        self._seen = np.zeros(shape, np.int16)

    def add(self, energy: Float, gain: float = 1.0) -> None:
        """The next frame's energy (H, W), negative where the frame does not reach; it counts ``gain`` times.

        The array is kept until the next but one, and must not change.
        """
        _update(
            energy, np.float32(gain), self._count, self._best, self._index, self._before, self._before_that,
            self._after, self._after_that, *self._previous, *self._previous_but_one, self._sum, self._seen,
        )  # fmt: skip
        self._previous, self._previous_but_one = (energy, np.float32(gain)), self._previous
        self._count += 1

    def peaks(self, places: Sequence[float] | None = None) -> Peaks:
        """What was found so far.

        ``places`` says where each frame lies in usual steps, rising; without them, frames lie one step apart.
        """
        index, confidence = np.empty_like(self._best), np.empty_like(self._best)
        at = np.asarray(range(self._count) if places is None else places, np.float32)
        if len(at) != self._count:
            raise ValueError(f"{len(at)} places for {self._count} frames")
        around = self._before_that, self._before, self._best, self._after, self._after_that
        _top(*around, self._index, at, self._sum, self._seen, index, confidence)
        # Medians of drops need no more than a hundred thousand pixels.
        thin = (slice(None, None, max(1, round((index.size / 250_000) ** 0.5))),) * 2
        frame, sure, peak = self._index[thin], confidence[thin] > _SURE, np.maximum(self._best[thin], _TINY)
        drops = []
        for beside in (self._before[thin], self._after[thin]):
            usable = sure & (beside > 0)
            drops.append(_median_by_frame(np.log(peak / np.maximum(beside, _TINY)), usable, frame, self._count))
        return Peaks(index, confidence, drops[0], drops[1])


def _median_by_frame(
    drop: Float, usable: NDArray[np.bool_], index: NDArray[np.int16], count: int
) -> NDArray[np.float64]:
    medians = np.full(count, np.nan)
    enough = max(50, usable.size // 4000)
    at, value = index[usable], drop[usable]
    order = np.argsort(at, kind="stable")
    at, value = at[order], value[order]
    bounds = np.searchsorted(at, np.arange(count + 1))
    for frame in range(count):
        own = value[bounds[frame] : bounds[frame + 1]]
        if own.size >= enough:
            medians[frame] = float(np.median(own))
    return medians


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _top(
    before_that: Float, before: Float, best: Float, after: Float, after_that: Float, frame: NDArray[np.int16],
    places: Float, total: Float, seen: NDArray[np.int16], index: Float, confidence: Float,
) -> None:  # fmt: skip
    """Where between the frames each pixel is sharpest, and how far that stands out."""
    last = len(places) - 1
    for y in numba.prange(best.shape[0]):
        for x in range(best.shape[1]):
            k = frame[y, x]
            if k < 0:
                index[y, x], confidence[y, x] = np.nan, 0.0
                continue
            shift = np.float32(0)
            if before[y, x] > 0 and after[y, x] > 0:
                left, right = places[k - 1] - places[k], places[k + 1] - places[k]
                sums = _counted(_NO_SUMS, np.float32(0), np.float32(1), np.float32(1))
                sums = _counted(sums, left, before[y, x] / best[y, x], max(_weight(left), _LEAST))
                sums = _counted(sums, right, after[y, x] / best[y, x], max(_weight(right), _LEAST))
                if k > 1 and before_that[y, x] > 0:
                    far = places[k - 2] - places[k]
                    sums = _counted(sums, far, before_that[y, x] / best[y, x], _weight(far))
                if k + 1 < last and after_that[y, x] > 0:
                    far = places[k + 2] - places[k]
                    sums = _counted(sums, far, after_that[y, x] / best[y, x], _weight(far))
                lowest = _lowest(sums)
                shift = min(max(lowest / (right if lowest > 0 else -left), np.float32(-0.5)), np.float32(0.5))
            index[y, x] = k + shift
            mean = total[y, x] / max(seen[y, x], 1)
            confidence[y, x] = best[y, x] / max(mean, _TINY) - 1.0 if best[y, x] > 0 else 0.0


@numba.njit(inline="always", error_model="numpy")  # type: ignore[untyped-decorator]
def _weight(at: np.float32) -> np.float32:
    return max(np.float32(1) - abs(at) / _REACH, np.float32(0))


@numba.njit(inline="always", error_model="numpy")  # type: ignore[untyped-decorator]
def _counted(sums: _Sums, at: np.float32, energy: np.float32, weight: np.float32) -> _Sums:
    """Moments of a least-squares parabola with one point more, at the reciprocal of its amplitude.

    Energies differ in proportion, so that reciprocals of amplitudes are the surer, the more energy there is.
    """
    faint = 1.0 / np.sqrt(energy)
    w = weight * energy
    square = at * at
    s0, s1, s2, s3, s4, f0, f1, f2 = sums
    return (
        s0 + w, s1 + w * at, s2 + w * square, s3 + w * square * at, s4 + w * square * square,
        f0 + w * faint, f1 + w * faint * at, f2 + w * faint * square,
    )  # fmt: skip


@numba.njit(inline="always", error_model="numpy")  # type: ignore[untyped-decorator]
def _lowest(sums: _Sums) -> np.float32:
    """Where the parabola is lowest; 0 where it is not bent upwards. By Cramer's rule, its bend and slope."""
    s0, s1, s2, s3, s4, f0, f1, f2 = sums
    whole = s0 * (s2 * s4 - s3 * s3) - s1 * (s1 * s4 - s2 * s3) + s2 * (s1 * s3 - s2 * s2)
    slope = s0 * (f1 * s4 - f2 * s3) - f0 * (s1 * s4 - s2 * s3) + s2 * (s1 * f2 - s2 * f1)
    bend = s0 * (s2 * f2 - s3 * f1) - s1 * (s1 * f2 - s2 * f1) + f0 * (s1 * s3 - s2 * s2)
    return np.float32(-0.5 * slope / bend) if whole > 0 and bend > 1e-9 * whole else np.float32(0)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _update(
    energy: Float, gain: np.float32, frame: int, best: Float, index: NDArray[np.int16], before: Float,
    before_that: Float, after: Float, after_that: Float, previous: Float, previous_gain: np.float32,
    previous_but_one: Float, previous_but_one_gain: np.float32, total: Float, seen: NDArray[np.int16],
) -> None:  # fmt: skip
    none, one = np.float32(0), np.int16(1)
    own, last = np.int16(frame), np.int16(frame - 1 if frame > 0 else -2)
    last_but_one = np.int16(frame - 2 if frame > 1 else -2)
    for y in numba.prange(energy.shape[0]):
        # Without branches, and so for several pixels at once.
        for x in range(energy.shape[1]):
            e, top, at = energy[y, x] * gain, best[y, x], index[y, x]
            reaches = e >= none
            rises = reaches and e > top
            beyond = e if reaches and at == last else after[y, x]
            beyond_that = e if reaches and at == last_but_one else after_that[y, x]
            after[y, x] = none if rises else beyond
            after_that[y, x] = none if rises else beyond_that
            before[y, x] = max(previous[y, x] * previous_gain, none) if rises else before[y, x]
            came = max(previous_but_one[y, x] * previous_but_one_gain, none)
            before_that[y, x] = came if rises else before_that[y, x]
            best[y, x] = e if rises else top
            index[y, x] = own if rises else at
            total[y, x] += e if reaches else none
            seen[y, x] += one if reaches else np.int16(0)
