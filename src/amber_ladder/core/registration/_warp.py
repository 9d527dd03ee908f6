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

CUBIC = 4
"""Pixels in a row that Catmull–Rom weighs."""
_TAPS = 6
_BAND_PX, _BLOCK_PX = 64, 512


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
    _warp_blocks(np.ascontiguousarray(picture), inverse(matrix), np.float32(gain), np.float32(largest), out)
    return out


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _warp_blocks(picture: NDArray[Any], back: Matrix, gain: np.float32, largest: np.float32, out: NDArray[Any]) -> None:
    """First along the rows, then along the columns (Catmull & Smith 1980), in blocks that stay in a processor's memory.

    Frames of a stack lie nearly alike: whole pixels keep their distance over long runs, in which only fractions change.
    There neighbours in memory are computed at once.
    """
    height, width, _ = picture.shape
    flat, flat_out = picture.reshape(height, 3 * width), out.reshape(height, 3 * width)
    pixel = (np.arange(3 * _BLOCK_PX) // 3).astype(np.float32)
    a, b, c = back[0]
    d, e, f = back[1]
    wider = a - b * d / e
    blocks = -(-width // _BLOCK_PX)
    for block in numba.prange(blocks * -(-height // _BAND_PX)):
        top, left = block // blocks * _BAND_PX, block % blocks * _BLOCK_PX
        bottom, right = min(top + _BAND_PX, height), min(left + _BLOCK_PX, width)
        low, count = rows_under(back, (top, bottom), (left, right))
        between = np.empty((count, 3 * (right - left)), np.float32)
        for q in range(len(between)):
            row, x = flat[mirrored(low + q, height)], left
            while x < right:
                u = wider * x + b * (low + q - f) / e + c
                i = int(np.floor(u))
                run = min(steady_run(u - i, wider - 1.0), right - x)
                if 1 <= i < width - 2:
                    run = min(run, width - 2 - i)
                    _four_along(row[3 * (i - 1) :], np.float32(u - i), np.float32(wider - 1.0), pixel,
                                between[q, 3 * (x - left) : 3 * (x - left + run)])  # fmt: skip
                else:
                    run = 1
                    _four_near(row, i, np.float32(u - i), width, between[q, 3 * (x - left) :])
                x += run
        for y in range(top, bottom):
            x = left
            while x < right:
                v = d * x + e * y + f
                j = int(np.floor(v))
                run = min(steady_run(v - j, d), right - x)
                _four_down(between[j - 1 - low : j + 3 - low], 3 * (x - left), np.float32(v - j), np.float32(d), pixel,
                           gain, largest, flat_out[y, 3 * x : 3 * (x + run)])  # fmt: skip
                x += run


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _four_along(row: NDArray[Any], across: np.float32, wider: np.float32, pixel: Float, out: Float) -> None:
    """A run of RGB pixels, flat: the first lies ``across`` beyond the second of a row, each next one ``wider`` more."""
    one, half, more, most = np.float32(1), np.float32(0.5), np.float32(1.5), np.float32(2.5)
    before, here, after, last = row, row[3:], row[6:], row[9:]
    for m in range(len(out)):
        t = across + pixel[m] * wider
        s = one - t
        out[m] = (
            (one + t * t * (more * t - most)) * here[m] + (one + s * s * (more * s - most)) * after[m]
            - half * t * s * (s * before[m] + t * last[m])
        )  # fmt: skip


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _four_near(row: NDArray[Any], i: int, t: np.float32, width: int, out: Float) -> None:
    """A pixel near the border."""
    weights = np.empty(CUBIC, np.float32)
    cubic_weights(t, weights)
    for k in range(3):
        total = np.float32(0)
        for p in range(CUBIC):
            total += weights[p] * row[3 * mirrored(i - 1 + p, width) + k]
        out[k] = total


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _four_down(
    rows: Float, start: int, down: np.float32, turned: np.float32, pixel: Float, gain: np.float32,
    largest: np.float32, out: NDArray[Any],
) -> None:  # fmt: skip
    one, half, more, most = np.float32(1), np.float32(0.5), np.float32(1.5), np.float32(2.5)
    above, here, below, last = rows[0, start:], rows[1, start:], rows[2, start:], rows[3, start:]
    for m in range(len(out)):
        t = down + pixel[m] * turned
        s = one - t
        total = (
            (one + t * t * (more * t - most)) * here[m] + (one + s * s * (more * s - most)) * below[m]
            - half * t * s * (s * above[m] + t * last[m])
        )  # fmt: skip
        out[m] = np.int32(min(max(total * gain, np.float32(0)), largest) + half)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def along_run(
    rows: NDArray[Any],
    start: int,
    across: np.float32,
    wider: np.float32,
    down: np.float32,
    turned: np.float32,
    pixel: Float,
    out: Float,
) -> None:
    """A run of RGB pixels, flat, from four rows: the first lies ``across`` and ``down`` beyond whole pixels.

    Each next one lies ``wider`` and ``turned`` farther; ``pixel`` counts pixels in a flat row.
    """
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
        out[m] = total


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def one_pixel(
    picture: NDArray[Any], u: float, v: float, gain: np.float32, largest: np.float32, out: NDArray[Any]
) -> None:
    """RGB at a place of a picture, which is mirrored beyond its border."""
    i, j = int(np.floor(u)), int(np.floor(v))
    across, down = np.empty(CUBIC, np.float32), np.empty(CUBIC, np.float32)
    cubic_weights(np.float32(u - i), across)
    cubic_weights(np.float32(v - j), down)
    for k in range(3):
        total = np.float32(0)
        for q in range(CUBIC):
            row = mirrored(j - 1 + q, picture.shape[0])
            for p in range(CUBIC):
                total += down[q] * across[p] * picture[row, mirrored(i - 1 + p, picture.shape[1]), k]
        out[k] = min(max(total * gain, np.float32(0)), largest) + np.float32(0.5)


@numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")  # type: ignore[untyped-decorator]
def steady_run(fraction: float, change: float) -> int:
    """For how many pixels a fraction stays between 0 and 1 when it changes by so much a pixel."""
    if abs(change) < 1e-9:
        return 1 << 30
    return max(1, int((1.0 - fraction if change > 0 else fraction) / abs(change)))


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def rows_under(back: Matrix, rows: tuple[int, int], columns: tuple[int, int]) -> tuple[int, int]:
    """The first row, and how many, that four pixels down reach under a window (first, end) to which ``back`` leads."""
    d, e, f = back[1]
    ends = d * columns[0], d * (columns[1] - 1)
    first = int(np.floor(min(ends[0], ends[1]) + e * rows[0] + f)) - 1
    return first, int(np.floor(max(ends[0], ends[1]) + e * (rows[1] - 1) + f)) + 3 - first


@numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")  # type: ignore[untyped-decorator]
def mirrored(at: int, length: int) -> int:
    """A place along a line of this length, mirrored beyond its ends, which are repeated."""
    at = -1 - at if at < 0 else at
    at = 2 * length - 1 - at if at >= length else at
    return min(max(at, 0), length - 1)


@numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")  # type: ignore[untyped-decorator]
def cubic_weights(t: np.float32, out: Float) -> None:
    """Catmull–Rom weights for a point ``t`` beyond the second of four pixels."""
    s = np.float32(1) - t
    half = np.float32(0.5)
    out[0] = -half * t * s * s
    out[1] = np.float32(1) + t * t * (np.float32(1.5) * t - np.float32(2.5))
    out[2] = np.float32(1) + s * s * (np.float32(1.5) * s - np.float32(2.5))
    out[3] = -half * s * t * t


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _move(plane: Float, back: Matrix, out: Float) -> None:
    """First along the rows, then along the columns (Catmull & Smith 1980): six pixels each instead of 36.

    In row j of what comes between lies what a column of the result takes from there.
    """
    height, width = out.shape
    a, b, c = back[0]
    d, e, f = back[1]
    pixel = np.arange(width).astype(np.float32)
    between = np.empty((height, width), np.float32)
    wider = a - b * d / e
    for j in range(height):
        x = 0
        while x < width:
            u = wider * x + b * (j - f) / e + c
            i = int(np.floor(u))
            run = min(steady_run(u - i, wider - 1.0), width - x)
            if 2 <= i < width - 3:
                run = min(run, width - 3 - i)
                row = plane[j, i - 2 :]
                _through_six(row, row[1:], row[2:], row[3:], row[4:], row[5:], np.float32(u - i),
                             np.float32(wider - 1.0), pixel, between[j, x : x + run])  # fmt: skip
            else:
                run = 1
                between[j, x] = _one_along(plane[j], i, np.float32(u - i))
            x += run
    for y in range(height):
        x = 0
        while x < width:
            v = d * x + e * y + f
            j = int(np.floor(v))
            run = min(steady_run(v - j, d), width - x)
            if 2 <= j < height - 3:
                _through_six(
                    between[j - 2, x:], between[j - 1, x:], between[j, x:], between[j + 1, x:], between[j + 2, x:],
                    between[j + 3, x:], np.float32(v - j), np.float32(d), pixel, out[y, x : x + run],
                )  # fmt: skip
            else:
                for m in range(run):
                    out[y, x + m] = _one_along(between[:, x + m], j, np.float32(v - j) + pixel[m] * np.float32(d))
            x += run


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _through_six(
    one: Float, two: Float, three: Float, four: Float, five: Float, six: Float, beyond: np.float32, change: np.float32,
    pixel: Float, out: Float,
) -> None:  # fmt: skip
    """A run of points by Lagrange's interpolation, each between six pixels: the first ``beyond`` the third of them.

    The lines are cut off by the caller, each by itself: of what is counted as m + 1 numba is not sure that it is not
    negative, and a part of several rows does not lie in one piece; either would be read pixel by pixel.
    """
    for m in range(len(out)):
        t = beyond + pixel[m] * change
        out[m] = (
            _weight(t, 0) * one[m] + _weight(t, 1) * two[m] + _weight(t, 2) * three[m]
            + _weight(t, 3) * four[m] + _weight(t, 4) * five[m] + _weight(t, 5) * six[m]
        )  # fmt: skip


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _one_along(line: Float, i: int, t: np.float32) -> np.float32:
    """A pixel near the border, which is repeated beyond."""
    total = np.float32(0)
    for p in range(_TAPS):
        total += _weight(t, p) * line[min(max(i - 2 + p, 0), len(line) - 1)]
    return total


@numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")  # type: ignore[untyped-decorator]
def _weight(t: np.float32, tap: int) -> np.float32:
    """Lagrange's weight of pixel ``tap`` − 2, of −2 to 3, for a point ``t`` beyond the third of them."""
    m2, m1, p1, p2, p3 = t + np.float32(2), t + np.float32(1), t - np.float32(1), t - np.float32(2), t - np.float32(3)
    if tap == 0:
        return m1 * t * p1 * p2 * p3 * np.float32(-1 / 120)
    if tap == 1:
        return m2 * t * p1 * p2 * p3 * np.float32(1 / 24)
    if tap == 2:
        return m2 * m1 * p1 * p2 * p3 * np.float32(-1 / 12)
    if tap == 3:
        return m2 * m1 * t * p2 * p3 * np.float32(1 / 12)
    if tap == 4:
        return m2 * m1 * t * p1 * p3 * np.float32(-1 / 24)
    return m2 * m1 * t * p1 * p2 * np.float32(1 / 120)
