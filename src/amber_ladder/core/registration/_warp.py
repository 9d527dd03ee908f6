"""Moving pictures by fractions of a pixel without moving them by anything else.

OpenCV's cubic kernel (a = −0.75) does not reproduce a straight line: at a third of a pixel it displaces smooth detail
by 0.04 px, always the same way, and that adds up from pair to pair; its other kernels round places to 1/32 px.
"""

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration._similarity import Matrix, inverse

Float = NDArray[np.float32]

_TAPS, _CUBIC = 6, 4


def warp(plane: Float, matrix: Matrix) -> Float:
    """A plane (H, W) where ``matrix`` puts it, by Lagrange's interpolation through six pixels across and down.

    Beyond its border the plane is repeated.
    """
    out = np.empty_like(plane)
    _move(plane, inverse(matrix), out)
    return out


def warped_picture(picture: NDArray[Any], matrix: Matrix, gain: float, largest: int) -> NDArray[Any]:
    """RGB (H, W, 3) where ``matrix`` puts it, at the stack's brightness, in its own type.

    Catmull–Rom (Keys 1981, a = −1/2). Beyond its border the picture is mirrored. ``largest`` is the type's highest
    value.
    """
    out = np.empty_like(picture)
    _warp_rows(np.ascontiguousarray(picture), inverse(matrix), np.float32(gain), np.float32(largest), out)
    return out


@numba.njit(parallel=True, nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _warp_rows(picture: NDArray[Any], back: Matrix, gain: np.float32, largest: np.float32, out: NDArray[Any]) -> None:
    """Frames of a stack lie nearly alike: along a row whole pixels keep their distance over long runs, in which only

    fractions change. There neighbours in memory are computed at once.
    """
    height, width, _ = picture.shape
    flat, flat_out = picture.reshape(height, 3 * width), out.reshape(height, 3 * width)
    pixel = np.empty(3 * width, np.float32)
    for m in range(3 * width):
        pixel[m] = m // 3
    a, b, c = back[0]
    d, e, f = back[1]
    for y in numba.prange(height):
        x = 0
        while x < width:
            u, v = a * x + b * y + c, d * x + e * y + f
            i, j = int(np.floor(u)), int(np.floor(v))
            run = min(_run(u - i, a - 1.0), _run(v - j, d), width - x)
            if 1 <= j < height - 2 and 1 <= i < width - 2:
                run = min(run, width - 2 - i)
                _along(flat[j - 1 : j + 3], 3 * (i - 1), np.float32(u - i), np.float32(a - 1.0), np.float32(v - j),
                       np.float32(d), gain, largest, pixel[: 3 * run], flat_out[y, 3 * x : 3 * (x + run)])  # fmt: skip
            else:
                run = 1
                _one(picture, u, v, gain, largest, out[y, x])
            x += run


@numba.njit(nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _along(
    rows: NDArray[Any],
    start: int,
    across: np.float32,
    wider: np.float32,
    down: np.float32,
    turned: np.float32,
    gain: np.float32,
    largest: np.float32,
    pixel: Float,
    out: NDArray[Any],
) -> None:
    one, half, two_and_half = np.float32(1), np.float32(0.5), np.float32(2.5)
    more = np.float32(1.5)
    top, above, below, last = rows[0, start:], rows[1, start:], rows[2, start:], rows[3, start:]
    for m in range(len(out)):
        t = across + pixel[m] * wider
        s = one - t
        w0, w3 = -half * t * s * s, -half * s * t * t
        w1, w2 = one + t * t * (more * t - two_and_half), one + s * s * (more * s - two_and_half)
        q = down + pixel[m] * turned
        r = one - q
        total = -half * q * r * r * (w0 * top[m] + w1 * top[m + 3] + w2 * top[m + 6] + w3 * top[m + 9])
        middle = w0 * above[m] + w1 * above[m + 3] + w2 * above[m + 6] + w3 * above[m + 9]
        total += (one + q * q * (more * q - two_and_half)) * middle
        middle = w0 * below[m] + w1 * below[m + 3] + w2 * below[m + 6] + w3 * below[m + 9]
        total += (one + r * r * (more * r - two_and_half)) * middle
        total -= half * r * q * q * (w0 * last[m] + w1 * last[m + 3] + w2 * last[m + 6] + w3 * last[m + 9])
        out[m] = np.int32(min(max(total * gain, np.float32(0)), largest) + half)


@numba.njit(nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _one(picture: NDArray[Any], u: float, v: float, gain: np.float32, largest: np.float32, out: NDArray[Any]) -> None:
    """A pixel near the border."""
    i, j = int(np.floor(u)), int(np.floor(v))
    across, down = np.empty(_CUBIC, np.float32), np.empty(_CUBIC, np.float32)
    cubic_weights(np.float32(u - i), across)
    cubic_weights(np.float32(v - j), down)
    for k in range(3):
        total = np.float32(0)
        for q in range(_CUBIC):
            row = _mirrored(j - 1 + q, picture.shape[0])
            for p in range(_CUBIC):
                total += down[q] * across[p] * picture[row, _mirrored(i - 1 + p, picture.shape[1]), k]
        out[k] = min(max(total * gain, np.float32(0)), largest) + np.float32(0.5)


@numba.njit(nogil=True, cache=True, inline="always")  # type: ignore[untyped-decorator]
def _run(fraction: float, change: float) -> int:
    """For how many pixels a fraction stays between 0 and 1 when it changes by so much a pixel."""
    if abs(change) < 1e-9:
        return 1 << 30
    return max(1, int((1.0 - fraction if change > 0 else fraction) / abs(change)))


@numba.njit(nogil=True, cache=True, inline="always")  # type: ignore[untyped-decorator]
def _mirrored(at: int, length: int) -> int:
    at = -1 - at if at < 0 else at
    at = 2 * length - 1 - at if at >= length else at
    return min(max(at, 0), length - 1)


@numba.njit(nogil=True, cache=True, fastmath=True, inline="always")  # type: ignore[untyped-decorator]
def cubic_weights(t: np.float32, out: Float) -> None:
    """Catmull–Rom weights for a point ``t`` beyond the second of four pixels."""
    s = np.float32(1) - t
    half = np.float32(0.5)
    out[0] = -half * t * s * s
    out[1] = np.float32(1) + t * t * (np.float32(1.5) * t - np.float32(2.5))
    out[2] = np.float32(1) + s * s * (np.float32(1.5) * s - np.float32(2.5))
    out[3] = -half * s * t * t


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
