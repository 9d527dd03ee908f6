"""Depth that was counted in frames, as a length."""

import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]


def depth_between(frames: Float, u_frames: Float, at: NDArray[np.float64]) -> tuple[Float, Float]:
    """Depth and its standard uncertainty, each (H, W), in the unit of ``at``: the depths of two frames or more, rising.

    ``frames`` and ``u_frames`` (H, W) count in those frames, from 0 to the last; NaN stays NaN.
    """
    depth, u = np.empty_like(frames), np.empty_like(frames)
    _between(frames, u_frames, np.asarray(at, np.float64), np.gradient(at), depth, u)
    return depth, u


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _between(
    frames: Float, u_frames: Float, at: NDArray[np.float64], step: NDArray[np.float64], depth: Float, u: Float
) -> None:
    last = len(at) - 2
    for y in numba.prange(frames.shape[0]):
        for x in range(frames.shape[1]):
            place = frames[y, x]
            if np.isnan(place):
                depth[y, x] = u[y, x] = np.nan
                continue
            i = min(max(int(place), 0), last)
            beyond = place - i
            depth[y, x] = at[i] + beyond * (at[i + 1] - at[i])
            u[y, x] = u_frames[y, x] * (step[i] + beyond * (step[i + 1] - step[i]))
