"""How much detail a frame has around each place of a level: its squared detail in brightness, averaged over a window.

A wide window is averaged at a half, a quarter … of the size: what it holds is smooth, and nine pixels across are enough
for any. Counted without sign, places in a row need no check for being negative, and neighbours are computed at once.
"""

from typing import Any, NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.fusion._levels import mirrored

Float = NDArray[np.float32]

_REACH = 4  # pixels averaged beyond the middle, on either side
_WIDEST = 1.6  # standard deviation that these still hold


class Window(NamedTuple):
    """Weights (5,) of pixels from the window's middle on, at a size that was halved so many times."""

    weights: Float
    halved: int

    @property
    def reach(self) -> int:
        """Pixels beyond a place that it reaches."""
        return int(_REACH << self.halved)


def window(spread_px: float) -> Window:
    """A Gaussian window of this standard deviation.

    Halved and enlarged again by lines, what is averaged is spread by a third of (size² − 1), in px², as it is.
    """
    halved = 0
    while (own := np.sqrt(max(spread_px**2 - (4.0**halved - 1.0) / 3.0, 0.0)) / 2.0**halved) > _WIDEST:
        halved += 1
    weights = np.exp(-0.5 * (np.arange(_REACH + 1) / own) ** 2)
    return Window(np.asarray(weights / (2 * weights.sum() - weights[0]), np.float32), halved)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def activity(
    plane: NDArray[Any], coarser: NDArray[np.uint16], gains: tuple[np.float32, np.float32], window: Window,
    rows: tuple[int, int], columns: tuple[int, int],
) -> tuple[Float, int, int]:  # fmt: skip
    """Squared detail of brightness in a frame's own pixels, averaged: a part of it, and its first row and column.

    It holds at least ``rows`` and ``columns`` (first, last). In the frame's own pixels: moved first, it would lose some
    where it is moved by half a pixel. ``gains`` are for the ``plane`` and for the one of half the size.
    """
    # Of what is halved n times a pixel more each time is needed on either side to enlarge it again.
    halved, margin = window.halved, _REACH + min(window.halved, 2)
    top, left = (rows[0] >> halved) - margin, (columns[0] >> halved) - margin
    height, width = (rows[1] >> halved) + margin + 1 - top, (columns[1] >> halved) + margin + 1 - left
    side = 1 << halved
    first, start = top * side >> 1, left * side >> 1
    size = ((((top + height) * side + 1) >> 1) - first, (((left + width) * side + 1) >> 1) - start)
    squares = _squared(plane, coarser, gains[1] / gains[0], first, start, size)
    for _ in range(halved):
        squares = _halved(squares)
    if halved == 0:
        squares = squares[
            top - 2 * first : top - 2 * first + height, left - 2 * start : left - 2 * start + width
        ].copy()
    wide = _averaged(squares, window.weights * (gains[0] * gains[0] / np.float32(side * side)))
    top, left = top + _REACH, left + _REACH
    for _ in range(halved):
        wide, top, left = _enlarged(wide), 2 * (top + 1), 2 * (left + 1)
    return wide, top, left


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _squared(
    plane: NDArray[Any], coarser: NDArray[np.uint16], least: np.float32, top: int, left: int, size: tuple[int, int]
) -> Float:
    """Squared detail in a window that begins at twice ``top``, ``left`` and is twice as large as ``size``."""
    rows, columns = size
    if top > 0 and top + rows < len(coarser) and left > 0 and left + columns < coarser.shape[1] and (
        2 * (top + rows) <= len(plane) and 2 * (left + columns) <= plane.shape[1]
    ):  # fmt: skip
        y, x = top, left
    else:
        plane = _mirrored_window(plane, 2 * top - 2, 2 * left - 2, 2 * rows + 2, 2 * columns + 2)
        coarser = _mirrored_window(coarser, top - 1, left - 1, rows + 2, columns + 2)
        y, x = 1, 1
    half, eighth, most = np.float32(0.5), np.float32(0.125), np.float32(0.75)
    one, two = np.uint64(1), np.uint64(2)
    wide, beyond = np.uint64(columns), np.uint64(columns + 2)
    on, under = np.empty(columns + 2, np.float32), np.empty(columns + 2, np.float32)
    out = np.empty((2 * rows, 2 * columns), np.float32)
    b = np.uint64(x - 1)
    e, f = np.uint64(2 * x), np.uint64(2 * x + 1)
    for q in range(rows):
        j, i, k = np.uint64(y + q), np.uint64(2 * (y + q)), np.uint64(2 * q)
        for m in range(beyond):
            here, below = least * np.float32(coarser[j, b + m]), least * np.float32(coarser[j + one, b + m])
            on[m] = eighth * (least * np.float32(coarser[j - one, b + m]) + below) + most * here
            under[m] = half * (here + below)
        for m in range(wide):
            detail = np.float32(plane[i, e + two * m]) - eighth * (on[m] + on[m + two]) - most * on[m + one]
            out[k, two * m] = detail * detail
            detail = np.float32(plane[i, f + two * m]) - half * (on[m + one] + on[m + two])
            out[k, two * m + one] = detail * detail
        for m in range(wide):
            detail = (
                np.float32(plane[i + one, e + two * m]) - eighth * (under[m] + under[m + two]) - most * under[m + one]
            )
            out[k + one, two * m] = detail * detail
            detail = np.float32(plane[i + one, f + two * m]) - half * (under[m + one] + under[m + two])
            out[k + one, two * m + one] = detail * detail
    return out


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _mirrored_window(plane: NDArray[Any], top: int, left: int, rows: int, columns: int) -> NDArray[Any]:
    """A window that may reach beyond a plane, which is mirrored there."""
    out = np.empty((rows, columns), plane.dtype)
    for q in range(rows):
        row = plane[mirrored(top + q, len(plane))]
        for k in range(columns):
            out[q, k] = row[mirrored(left + k, len(row))]
    return out


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _halved(fine: Float) -> Float:
    """Sums of two by two pixels."""
    out = np.empty((len(fine) >> 1, fine.shape[1] >> 1), np.float32)
    one, two = np.uint64(1), np.uint64(2)
    for q in range(np.uint64(len(out))):
        i = two * q
        for k in range(np.uint64(out.shape[1])):
            m = two * k
            out[q, k] = (fine[i, m] + fine[i, m + one]) + (fine[i + one, m] + fine[i + one, m + one])
    return out


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _averaged(plane: Float, weights: Float) -> Float:
    """Averaged with ``weights`` across and down, of which only those across are to sum up to anything but 1."""
    w0, w1, w2, w3, w4 = weights[0], weights[1], weights[2], weights[3], weights[4]
    n1, n2, n3, n4 = np.uint64(1), np.uint64(2), np.uint64(3), np.uint64(4)
    n5, n6, n7, n8 = np.uint64(5), np.uint64(6), np.uint64(7), np.uint64(8)
    rows, columns = len(plane), plane.shape[1] - 2 * _REACH
    across, out = np.empty((rows, columns), np.float32), np.empty((rows - 2 * _REACH, columns), np.float32)
    for q in range(np.uint64(rows)):
        for k in range(np.uint64(columns)):
            across[q, k] = (
                w0 * plane[q, k + n4] + w1 * (plane[q, k + n3] + plane[q, k + n5])
                + w2 * (plane[q, k + n2] + plane[q, k + n6]) + w3 * (plane[q, k + n1] + plane[q, k + n7])
                + w4 * (plane[q, k] + plane[q, k + n8])
            )  # fmt: skip
    whole = np.float32(1) / (w0 + np.float32(2) * (w1 + w2 + w3 + w4))
    w0, w1, w2, w3, w4 = whole * w0, whole * w1, whole * w2, whole * w3, whole * w4
    for q in range(np.uint64(len(out))):
        for k in range(np.uint64(columns)):
            out[q, k] = (
                w0 * across[q + n4, k] + w1 * (across[q + n3, k] + across[q + n5, k])
                + w2 * (across[q + n2, k] + across[q + n6, k]) + w3 * (across[q + n1, k] + across[q + n7, k])
                + w4 * (across[q, k] + across[q + n8, k])
            )  # fmt: skip
    return out


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _enlarged(coarse: Float) -> Float:
    """Twice as large, by lines between the middles of pixels, without those at the border."""
    rows, columns = len(coarse) - 2, coarse.shape[1] - 2
    near, far = np.float32(0.75), np.float32(0.25)
    one, two = np.uint64(1), np.uint64(2)
    before, after = np.empty(columns + 2, np.float32), np.empty(columns + 2, np.float32)
    out = np.empty((2 * rows, 2 * columns), np.float32)
    for q in range(np.uint64(rows)):
        for k in range(np.uint64(columns + 2)):
            here = near * coarse[q + one, k]
            before[k], after[k] = here + far * coarse[q, k], here + far * coarse[q + two, k]
        for k in range(np.uint64(columns)):
            out[two * q, two * k] = near * before[k + one] + far * before[k]
            out[two * q, two * k + one] = near * before[k + one] + far * before[k + two]
        for k in range(np.uint64(columns)):
            out[two * q + one, two * k] = near * after[k + one] + far * after[k]
            out[two * q + one, two * k + one] = near * after[k + one] + far * after[k + two]
    return out
