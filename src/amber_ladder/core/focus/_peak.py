"""Where in the stack each pixel was sharpest, found while the frames pass by once."""

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_TINY = np.float32(1e-12)
_SURE = 0.5


@dataclass(frozen=True, slots=True)
class Peaks:
    """The sharpest frame of every pixel, all (H, W).

    ``index`` is fractional (a parabola through the logarithms of three neighbours), NaN where no frame was
    ever seen; ``confidence`` is how far the peak stands above the pixel's mean energy, 0 for none.
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
        self._before = np.zeros(shape, np.float32)
        self._after = np.zeros(shape, np.float32)
        self._previous, self._previous_gain = np.full(shape, -1.0, np.float32), np.float32(1)
        self._sum = np.zeros(shape, np.float32)
        self._seen = np.zeros(shape, np.int16)

    def add(self, energy: Float, gain: float = 1.0) -> None:
        """The next frame's energy (H, W), negative where the frame does not reach; it counts ``gain`` times.

        The array is kept until the next one, and must not change.
        """
        _update(
            energy, np.float32(gain), self._count, self._best, self._index, self._before, self._after,
            self._previous, self._previous_gain, self._sum, self._seen,
        )  # fmt: skip
        self._previous, self._previous_gain = energy, np.float32(gain)
        self._count += 1

    def peaks(self) -> Peaks:
        """What was found so far."""
        index, confidence = np.empty_like(self._best), np.empty_like(self._best)
        _top(self._best, self._before, self._after, self._index, self._sum, self._seen, index, confidence)
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
    best: Float,
    before: Float,
    after: Float,
    frame: NDArray[np.int16],
    total: Float,
    seen: NDArray[np.int16],
    index: Float,
    confidence: Float,
) -> None:
    """Where the parabola through the logarithms of three frames is highest, and how far that stands out."""
    for y in numba.prange(best.shape[0]):
        for x in range(best.shape[1]):
            if frame[y, x] < 0:
                index[y, x], confidence[y, x] = np.nan, 0.0
                continue
            top, shift = max(best[y, x], _TINY), 0.0
            if before[y, x] > 0 and after[y, x] > 0:
                left, right = np.log(max(before[y, x], _TINY) / top), np.log(max(after[y, x], _TINY) / top)
                bend = left + right
                if bend < -1e-6:
                    shift = min(max(0.5 * (left - right) / bend, -0.5), 0.5)
            index[y, x] = frame[y, x] + shift
            mean = total[y, x] / max(seen[y, x], 1)
            confidence[y, x] = best[y, x] / max(mean, _TINY) - 1.0 if best[y, x] > 0 else 0.0


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _update(
    energy: Float,
    gain: np.float32,
    frame: int,
    best: Float,
    index: NDArray[np.int16],
    before: Float,
    after: Float,
    previous: Float,
    previous_gain: np.float32,
    total: Float,
    seen: NDArray[np.int16],
) -> None:
    none, one = np.float32(0), np.int16(1)
    own, last = np.int16(frame), np.int16(frame - 1 if frame > 0 else -2)
    for y in numba.prange(energy.shape[0]):
        # Without branches, and so for several pixels at once.
        for x in range(energy.shape[1]):
            e, top, at = energy[y, x] * gain, best[y, x], index[y, x]
            reaches = e >= none
            rises = reaches and e > top
            beyond = e if reaches and at == last else after[y, x]
            after[y, x] = none if rises else beyond
            before[y, x] = max(previous[y, x] * previous_gain, none) if rises else before[y, x]
            best[y, x] = e if rises else top
            index[y, x] = own if rises else at
            total[y, x] += e if reaches else none
            seen[y, x] += one if reaches else np.int16(0)
