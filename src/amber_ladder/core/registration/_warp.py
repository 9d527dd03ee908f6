"""Moving pictures by fractions of a pixel without moving them by anything else.

OpenCV's cubic kernel (a = −0.75) does not reproduce a straight line: at a third of a pixel it displaces smooth detail
by 0.04 px, always the same way, and that adds up from pair to pair; its other kernels round places to 1/32 px.
"""

import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration._similarity import Matrix, inverse

Float = NDArray[np.float32]

_TAPS = 6


def warp(plane: Float, matrix: Matrix) -> Float:
    """A plane (H, W) where ``matrix`` puts it, by Lagrange's interpolation through six pixels across and down.

    Beyond its border the plane is repeated.
    """
    out = np.empty_like(plane)
    _move(plane, inverse(matrix), out)
    return out


@numba.njit(nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _move(plane: Float, back: Matrix, out: Float) -> None:
    height, width = out.shape
    a, b, c = back[0]
    d, e, f = back[1]
    for y in range(height):
        across, down = np.empty(_TAPS, np.float32), np.empty(_TAPS, np.float32)
        for x in range(width):
            u, v = a * x + b * y + c, d * x + e * y + f
            i, j = int(np.floor(u)), int(np.floor(v))
            _weights(np.float32(u - i), across)
            _weights(np.float32(v - j), down)
            total = np.float32(0)
            if 2 <= i < width - 3 and 2 <= j < height - 3:
                for q in range(_TAPS):
                    row = np.float32(0)
                    for p in range(_TAPS):
                        row += across[p] * plane[j - 2 + q, i - 2 + p]
                    total += down[q] * row
            else:
                for q in range(_TAPS):
                    row = np.float32(0)
                    at = min(max(j - 2 + q, 0), height - 1)
                    for p in range(_TAPS):
                        row += across[p] * plane[at, min(max(i - 2 + p, 0), width - 1)]
                    total += down[q] * row
            out[y, x] = total


@numba.njit(nogil=True, cache=True, fastmath=True, inline="always")  # type: ignore[untyped-decorator]
def _weights(t: np.float32, out: Float) -> None:
    """Lagrange's weights of pixels −2 to 3 for a point ``t`` beyond the third of them."""
    m2, m1, p1, p2, p3 = t + np.float32(2), t + np.float32(1), t - np.float32(1), t - np.float32(2), t - np.float32(3)
    out[0] = m1 * t * p1 * p2 * p3 * np.float32(-1 / 120)
    out[1] = m2 * t * p1 * p2 * p3 * np.float32(1 / 24)
    out[2] = m2 * m1 * p1 * p2 * p3 * np.float32(-1 / 12)
    out[3] = m2 * m1 * t * p2 * p3 * np.float32(1 / 12)
    out[4] = m2 * m1 * t * p1 * p3 * np.float32(-1 / 24)
    out[5] = m2 * m1 * t * p1 * p2 * np.float32(1 / 120)
