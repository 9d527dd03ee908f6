"""Where in the stack each pixel was sharpest, found while the frames pass by once."""

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_TINY = np.float32(1e-12)


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
        self._previous = np.full(shape, -1.0, np.float32)
        self._sum = np.zeros(shape, np.float32)
        self._seen = np.zeros(shape, np.int16)

    def add(self, energy: Float) -> None:
        """The next frame's energy (H, W), negative where the frame does not reach."""
        _update(
            energy, self._count, self._best, self._index, self._before, self._after,
            self._previous, self._sum, self._seen,
        )  # fmt: skip
        self._count += 1

    def peaks(self) -> Peaks:
        """What was found so far."""
        best, before, after = self._best, self._before, self._after
        has_both = (before > 0) & (after > 0)
        top, left, right = (np.log(np.maximum(e, _TINY)) for e in (best, before, after))
        bend = left - 2 * top + right
        shift = np.where(has_both & (bend < -1e-6), 0.5 * (left - right) / np.minimum(bend, -1e-6), 0.0)
        index = self._index + np.clip(shift, -0.5, 0.5)
        mean = self._sum / np.maximum(self._seen, 1)
        confidence = np.where(best > 0, best / np.maximum(mean, _TINY) - 1.0, 0.0)
        index = np.where(self._index < 0, np.nan, index)
        sure = confidence > 0.5
        return Peaks(
            index.astype(np.float32),
            confidence.astype(np.float32),
            _median_by_frame(top - left, sure & (before > 0), self._index, self._count),
            _median_by_frame(top - right, sure & (after > 0), self._index, self._count),
        )


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


@numba.njit(parallel=True, nogil=True, cache=True)  # type: ignore[untyped-decorator]
def _update(
    energy: Float,
    frame: int,
    best: Float,
    index: NDArray[np.int16],
    before: Float,
    after: Float,
    previous: Float,
    total: Float,
    seen: NDArray[np.int16],
) -> None:
    for y in numba.prange(energy.shape[0]):
        for x in range(energy.shape[1]):
            e = energy[y, x]
            if e >= 0:
                if index[y, x] == frame - 1 and frame > 0:
                    after[y, x] = e
                if e > best[y, x]:
                    best[y, x] = e
                    index[y, x] = frame
                    before[y, x] = max(previous[y, x], np.float32(0))
                    after[y, x] = 0
                total[y, x] += e
                seen[y, x] += 1
            previous[y, x] = e
