"""The pyramid's arithmetic: planes, halves of them, and the way back.

Pictures are held plane by plane, red, green, blue and their brightness, so that neighbours in memory are computed at
once.
"""

from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]


def split(picture: NDArray[Any], planes: NDArray[Any]) -> None:
    """Red, green, blue and Rec. 601 brightness (4, H, W) of RGB (H, W, 3), in its own type."""
    cv2.split(picture, [planes[0], planes[1], planes[2]])
    cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY, dst=planes[3])


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def halve(planes: NDArray[Any], half: NDArray[np.uint16]) -> None:
    """Planes (N, H, W) at half the size, rounded up, through Burt's 1-4-6-4-1, mirrored at the border.

    Planes of 8 bits become 256ths of a tone, those of 16 bits stay as they are.
    """
    count, height, width = planes.shape
    rows, columns = half.shape[1:]
    whole = np.float32(1 if planes.itemsize == 1 else 1 / 256)
    for at in numba.prange(count * rows):
        plane, j = planes[at // rows], at % rows
        total = np.empty(width + (width & 1), np.float32)
        _five_rows(
            plane[mirrored(2 * j - 2, height)], plane[mirrored(2 * j - 1, height)], plane[2 * j],
            plane[mirrored(2 * j + 1, height)], plane[mirrored(2 * j + 2, height)], whole, total,
        )  # fmt: skip
        if width & 1:
            total[width] = total[max(width - 2, 0)]
        even, odd = np.empty(columns + 2, np.float32), np.empty(columns + 1, np.float32)
        _alternate(total, even[1:], odd[1:])
        odd[0], even[0], even[columns + 1] = odd[1], even[min(2, columns)], total[mirrored(2 * columns, width)]
        _five_along(even, even[1:], even[2:], odd, odd[1:], half[at // rows, j])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _five_rows(
    a: NDArray[Any], b: NDArray[Any], middle: NDArray[Any], c: NDArray[Any], d: NDArray[Any], whole: np.float32,
    out: Float,
) -> None:  # fmt: skip
    four, six = np.float32(4), np.float32(6)
    for m in range(len(middle)):
        outer, inner = np.float32(a[m]) + np.float32(d[m]), np.float32(b[m]) + np.float32(c[m])
        out[m] = whole * (outer + four * inner + six * np.float32(middle[m]))


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _alternate(line: Float, even: Float, odd: Float) -> None:
    for i in range(len(line) >> 1):
        even[i], odd[i] = line[2 * i], line[2 * i + 1]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _five_along(before: Float, here: Float, after: Float, left: Float, right: Float, out: NDArray[np.uint16]) -> None:
    four, six, half = np.float32(4), np.float32(6), np.float32(0.5)
    for i in range(len(out)):
        out[i] = np.int32(before[i] + after[i] + four * (left[i] + right[i]) + six * here[i] + half)


@numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")  # type: ignore[untyped-decorator]
def mirrored(at: int, length: int) -> int:
    """A place along a line of this length, mirrored at its ends, which are not repeated."""
    at = -at if at < 0 else at
    at = 2 * length - 2 - at if at >= length else at
    return min(max(at, 0), length - 1)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def half_way(one: Float, two: Float, out: Float) -> None:
    """The coarser level between two of its rows."""
    half = np.float32(0.5)
    for i in range(len(out)):
        out[i] = half * (one[i] + two[i])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def nearly_on(above: Float, here: Float, below: Float, out: Float) -> None:
    """The coarser level on one of its rows, smoothed by those beside it."""
    eighth, most = np.float32(0.125), np.float32(0.75)
    for i in range(len(out)):
        out[i] = eighth * (above[i] + below[i]) + most * here[i]


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def expand_onto(coarse: Float, detail: Float) -> None:
    """Add the next coarser level (3, h, w), repeated beyond its border, to the detail of one (3, H, W)."""
    count, height, _ = detail.shape
    rows, columns = coarse.shape[1], coarse.shape[2]
    for at in numba.prange(count * height):
        plane, y = coarse[at // height], at % height
        j, line = y >> 1, np.empty(columns + 2, np.float32)
        here, below, inside = plane[j], plane[min(j + 1, rows - 1)], line[1 : columns + 1]
        if y & 1:
            half_way(here, below, inside)
        else:
            nearly_on(plane[max(j - 1, 0)], here, below, inside)
        line[0], line[columns + 1] = inside[0], inside[columns - 1]
        _more(line, line[1:], line[2:], detail[at // height, y])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _more(before: Float, here: Float, after: Float, out: Float) -> None:
    half, eighth, most = np.float32(0.5), np.float32(0.125), np.float32(0.75)
    for m in range(len(out) >> 1):
        out[2 * m] += eighth * (before[m] + after[m]) + most * here[m]
        out[2 * m + 1] += half * (here[m] + after[m])
    if len(out) & 1:
        m = len(out) >> 1
        out[2 * m] += eighth * (before[m] + after[m]) + most * here[m]


def finished(planes: Float, dtype: np.dtype[Any]) -> NDArray[Any]:
    """RGB (H, W, 3) of a whole-number type from its planes (3, H, W)."""
    out = np.empty((*planes.shape[1:], 3), dtype)
    _interleave(planes, np.float32(np.iinfo(dtype).max), out)
    return out


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _interleave(planes: Float, largest: np.float32, out: NDArray[Any]) -> None:
    for y in numba.prange(out.shape[0]):
        for x in range(out.shape[1]):
            for c in range(3):
                out[y, x, c] = np.int32(min(max(planes[c, y, x], np.float32(0)), largest) + np.float32(0.5))
