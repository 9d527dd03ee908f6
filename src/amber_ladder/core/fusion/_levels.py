"""The pyramid's arithmetic: halving, what a level holds beyond the next one, and the choice between frames.

A level is worked through in tiles small enough for a processor's own memory, each by one thread: squared detail,
its mean over the window and the comparison with the best so far never become pictures of their own.
"""

from typing import Any

import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_TILE_PX = 64
_RED, _GREEN, _BLUE = np.float32(0.299), np.float32(0.587), np.float32(0.114)


def halved(picture: NDArray[Any]) -> Float:
    """RGB (H, W, 3) of any type at half the size, rounded up, through Burt's 1-4-6-4-1, mirrored at the border."""
    height, width, _ = picture.shape
    out = np.empty(((height + 1) // 2, (width + 1) // 2, 3), np.float32)
    _halve(picture.reshape(height, 3 * width), out)
    return out


def brightness(picture: NDArray[Any]) -> Float:
    """Rec. 601 brightness (H, W) of RGB (H, W, 3), in its own units."""
    out = np.empty(picture.shape[:2], np.float32)
    _weigh(picture, out)
    return out


def window(spread_px: float) -> Float:
    """One half of a Gaussian's weights from its middle on; an even number of them lies beyond that."""
    reach = 2 * int(np.ceil(1.5 * spread_px))
    weights = np.exp(-0.5 * (np.arange(reach + 1) / spread_px) ** 2)
    return np.asarray(weights / (2 * weights.sum() - weights[0]), np.float32)


def tiles_of(shape: tuple[int, int], reach: int, wanted: NDArray[np.uint8] | None) -> NDArray[np.int64]:
    """Tiles (N, 4) of a level as top, bottom, left, right; only those in which anything is ``wanted`` (H, W)."""
    side = max(_TILE_PX, 4 * reach)
    edges = [list(range(0, length, side)) for length in shape]
    tiles = [
        (top, min(top + side, shape[0]), left, min(left + side, shape[1])) for top in edges[0] for left in edges[1]
    ]
    if wanted is not None:
        tiles = [one for one in tiles if wanted[one[0] : one[1], one[2] : one[3]].any()]
    return np.array(tiles, np.int64).reshape(-1, 4)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _halve(rows: NDArray[Any], out: Float) -> None:
    height, width = rows.shape[0], rows.shape[1] // 3
    four, six, whole = np.float32(4), np.float32(6), np.float32(1 / 256)
    for j in numba.prange(out.shape[0]):
        middle = rows[2 * j]
        a, b = rows[_mirrored(2 * j - 2, height)], rows[_mirrored(2 * j - 1, height)]
        c, d = rows[_mirrored(2 * j + 1, height)], rows[_mirrored(2 * j + 2, height)]
        total = np.empty(3 * width, np.float32)
        for m in range(3 * width):
            total[m] = (
                np.float32(a[m]) + np.float32(d[m]) + four * (np.float32(b[m]) + np.float32(c[m]))
                + six * np.float32(middle[m])
            )  # fmt: skip
        for i in range(out.shape[1]):
            x = 2 * i
            if 2 <= x < width - 2:
                for k in range(3):
                    m = 3 * x + k
                    near, far = total[m - 3] + total[m + 3], total[m - 6] + total[m + 6]
                    out[j, i, k] = whole * (far + four * near + six * total[m])
            else:
                for k in range(3):
                    near = total[3 * _mirrored(x - 1, width) + k] + total[3 * _mirrored(x + 1, width) + k]
                    far = total[3 * _mirrored(x - 2, width) + k] + total[3 * _mirrored(x + 2, width) + k]
                    out[j, i, k] = whole * (far + four * near + six * total[3 * x + k])


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _weigh(picture: NDArray[Any], out: Float) -> None:
    red, green, blue = _RED, _GREEN, _BLUE
    for y in numba.prange(out.shape[0]):
        for x in range(out.shape[1]):
            out[y, x] = red * picture[y, x, 0] + green * picture[y, x, 1] + blue * picture[y, x, 2]


@numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")  # type: ignore[untyped-decorator]
def _mirrored(at: int, length: int) -> int:
    at = -at if at < 0 else at
    at = 2 * length - 2 - at if at >= length else at
    return min(max(at, 0), length - 1)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def take(
    present: NDArray[Any],
    coarser: Float,
    coarser_grey: Float,
    covered: NDArray[np.uint8],
    weights: Float,
    tiles: NDArray[np.int64],
    place: np.int16,
    detail: Float,
    best: Float,
    winner: NDArray[np.int16],
    all_detail: Float,
    total: Float,
    seen: Float,
) -> None:
    """Take the detail of one level (H, W, 3) of a frame where it has more than the best so far.

    How much it has is its squared detail in brightness, averaged with ``weights``; ``winner`` may be empty. Where
    ``all_detail``, ``total`` and ``seen`` are not, what it has is also added to what all frames have.
    """
    reach = len(weights) - 1
    for tile in numba.prange(len(tiles)):
        top, bottom, left, right = tiles[tile]
        blurred = _blurred_across(present, coarser_grey, top - reach, bottom + reach, left, right, weights)
        activity = np.empty(right - left, np.float32)
        mixed = np.empty(3 * (((right - left) >> 1) + 4), np.float32)
        for y in range(top, bottom):
            _blurred_down(blurred, y - top + reach, weights, activity)
            _mix_rows(coarser, y, left, mixed)
            own, ours, theirs = present[y, left:right], detail[y, left:right], best[y, left:right]
            for k in range(right - left):
                if not covered[y, left + k]:
                    continue
                if activity[k] > theirs[k]:
                    theirs[k] = activity[k]
                    if winner.size:
                        winner[y, left + k] = place
                    _beyond(own, mixed, k, ours)
                if seen.size:
                    seen[y, left + k] += np.float32(1)
                    total[y, left + k] += activity[k]
                    for c in range(3):
                        all_detail[y, left + k, c] += np.float32(own[k, c]) - between(coarser, y, left + k, c)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def average(
    present: NDArray[Any],
    coarser: Float,
    covered: NDArray[np.uint8],
    calm: NDArray[np.uint8],
    index: Float,
    finer: float,
    place: np.int16,
    reach: np.float32,
    detail: Float,
    winner: NDArray[np.int16],
) -> None:
    """Add a frame's share of the detail of one level (H, W, 3) where ``calm`` (H, W) is not 0.

    Its share falls from 1 / ``reach`` to 0 as its place lies up to ``reach`` from the surface's ``index``, of which
    ``finer`` px are one of this level's.
    """
    rows, columns = index.shape
    for y in numba.prange(present.shape[0]):
        j = min(int(y * finer), rows - 1)
        for x in range(present.shape[1]):
            if not calm[y, x] or not covered[y, x]:
                continue
            apart = abs(index[j, min(int(x * finer), columns - 1)] - np.float32(place))
            if apart >= reach:
                continue
            if winner.size and apart <= np.float32(0.5):
                winner[y, x] = place
            share = (np.float32(1) - apart / reach) / reach
            for c in range(3):
                detail[y, x, c] += share * (np.float32(present[y, x, c]) - between(coarser, y, x, c))


@numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")  # type: ignore[untyped-decorator]
def _beyond(own: NDArray[Any], mixed: Float, k: int, out: Float) -> None:
    """What a pixel of a row holds beyond the coarser level."""
    m = 3 * ((k >> 1) + 1)
    if k & 1:
        half = np.float32(0.5)
        out[k, 0] = np.float32(own[k, 0]) - half * (mixed[m] + mixed[m + 3])
        out[k, 1] = np.float32(own[k, 1]) - half * (mixed[m + 1] + mixed[m + 4])
        out[k, 2] = np.float32(own[k, 2]) - half * (mixed[m + 2] + mixed[m + 5])
    else:
        eighth, most = np.float32(0.125), np.float32(0.75)
        out[k, 0] = np.float32(own[k, 0]) - (eighth * (mixed[m - 3] + mixed[m + 3]) + most * mixed[m])
        out[k, 1] = np.float32(own[k, 1]) - (eighth * (mixed[m - 2] + mixed[m + 4]) + most * mixed[m + 1])
        out[k, 2] = np.float32(own[k, 2]) - (eighth * (mixed[m - 1] + mixed[m + 5]) + most * mixed[m + 2])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _mix_rows(coarser: Float, y: int, left: int, out: Float) -> None:
    """The coarser level's RGB between its rows, from the column before that of the even column ``left`` on."""
    rows, columns, _ = coarser.shape
    j, first = y >> 1, (left >> 1) - 1
    low, high = max(first, 0), min(first + len(out) // 3, columns)
    above, here, below = coarser[max(j - 1, 0), low:], coarser[j, low:], coarser[min(j + 1, rows - 1), low:]
    half, eighth, most = np.float32(0.5), np.float32(0.125), np.float32(0.75)
    inside = out[3 * (low - first) :].reshape(-1, 3)
    if y & 1:
        for i in range(high - low):
            for c in range(3):
                inside[i, c] = half * (here[i, c] + below[i, c])
    else:
        for i in range(high - low):
            for c in range(3):
                inside[i, c] = eighth * (above[i, c] + below[i, c]) + most * here[i, c]
    for c in range(3):
        for i in range(first, low):
            out[3 * (i - first) + c] = out[3 * (low - first) + c]
        for i in range(high, first + len(out) // 3):
            out[3 * (i - first) + c] = out[3 * (high - 1 - first) + c]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _blurred_across(
    present: NDArray[Any], coarser: Float, top: int, bottom: int, left: int, right: int, weights: Float
) -> Float:
    """Squared detail of some rows, each averaged along itself."""
    reach, columns = len(weights) - 1, right - left
    across = columns + 2 * reach
    line, square = np.empty(across // 2 + 4, np.float32), np.empty(across, np.float32)
    grey, out = np.empty(across, np.float32), np.empty((bottom - top, columns), np.float32)
    red, green, blue = _RED, _GREEN, _BLUE
    for q in range(bottom - top):
        y = _mirrored(top + q, present.shape[0])
        start, end = max(left - reach, 0), min(right + reach, present.shape[1])
        own = present[y, start:end]
        for k in range(end - start):
            grey[k] = red * own[k, 0] + green * own[k, 1] + blue * own[k, 2]
        _square(grey[: end - start], coarser, y, left - reach, present.shape[1], line, square)
        row, weight, here = out[q], weights[0], square[reach:]
        for k in range(columns):
            row[k] = weight * here[k]
        for t in range(1, reach + 1):
            weight, before, after = weights[t], square[reach - t :], square[reach + t :]
            for k in range(columns):
                row[k] += weight * (before[k] + after[k])
    return out


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _blurred_down(rows: Float, at: int, weights: Float, out: Float) -> None:
    """A row, averaged with those above and below."""
    weight, here = weights[0], rows[at]
    for k in range(len(out)):
        out[k] = weight * here[k]
    for t in range(1, len(weights)):
        weight, above, below = weights[t], rows[at - t], rows[at + t]
        for k in range(len(out)):
            out[k] += weight * (above[k] + below[k])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _square(own: Float, coarser: Float, y: int, start: int, width: int, line: Float, out: Float) -> None:
    """Squared detail of a row from the even column ``start`` on, mirrored where that lies outside its ``width``.

    ``own`` are its pixels that lie inside.
    """
    rows, columns = coarser.shape
    j, first = y >> 1, (start >> 1) - 1
    above, here, below = coarser[max(j - 1, 0)], coarser[j], coarser[min(j + 1, rows - 1)]
    low, high = max(first, 0), min(first + len(line), columns)
    half, eighth, most = np.float32(0.5), np.float32(0.125), np.float32(0.75)
    count, between_columns = high - low, line[low - first :]
    above, here, below = above[low:], here[low:], below[low:]
    if y & 1:
        for i in range(count):
            between_columns[i] = half * (here[i] + below[i])
    else:
        for i in range(count):
            between_columns[i] = eighth * (above[i] + below[i]) + most * here[i]
    for i in range(first, low):
        line[i - first] = line[low - first]
    for i in range(high, first + len(line)):
        line[i - first] = line[high - 1 - first]
    inside, end = max(0, -start), min(len(out), width - start)
    squares = out[inside:]
    before, at, after = line[inside >> 1 :], line[(inside >> 1) + 1 :], line[(inside >> 1) + 2 :]
    for m in range((end - inside) >> 1):
        even = own[2 * m] - (eighth * (before[m] + after[m]) + most * at[m])
        odd = own[2 * m + 1] - half * (at[m] + after[m])
        squares[2 * m] = even * even
        squares[2 * m + 1] = odd * odd
    if end & 1:
        m = (end - inside) >> 1
        even = own[2 * m] - (eighth * (before[m] + after[m]) + most * at[m])
        squares[2 * m] = even * even
    for k in range(inside):
        out[k] = out[_mirrored(start + k, width) - start]
    for k in range(end, len(out)):
        out[k] = out[_mirrored(start + k, width) - start]


@numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")  # type: ignore[untyped-decorator]
def between(coarse: Float, y: int, x: int, c: int) -> Any:
    """Value of the next coarser level at a pixel of this one: the 1-4-6-4-1 kernel, borders repeated."""
    rows, columns = coarse.shape[0], coarse.shape[1]
    j, i = y >> 1, x >> 1
    j0, j1 = max(j - 1, 0), min(j + 1, rows - 1)
    i0, i1 = max(i - 1, 0), min(i + 1, columns - 1)
    if x & 1:
        above = np.float32(0.5) * (coarse[j0, i, c] + coarse[j0, i1, c])
        here = np.float32(0.5) * (coarse[j, i, c] + coarse[j, i1, c])
        below = np.float32(0.5) * (coarse[j1, i, c] + coarse[j1, i1, c])
    else:
        side = np.float32(0.125)
        middle = np.float32(0.75)
        above = side * (coarse[j0, i0, c] + coarse[j0, i1, c]) + middle * coarse[j0, i, c]
        here = side * (coarse[j, i0, c] + coarse[j, i1, c]) + middle * coarse[j, i, c]
        below = side * (coarse[j1, i0, c] + coarse[j1, i1, c]) + middle * coarse[j1, i, c]
    if y & 1:
        return np.float32(0.5) * (here + below)
    return np.float32(0.125) * (above + below) + np.float32(0.75) * here


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def quiet(
    detail: Float, best: Float, all_detail: Float, total: Float, seen: Float, calm: float, believed: float
) -> None:
    """Detail in which no frame stands out, by ``believed`` times the mean, gives way to the mean of all."""
    one, none = np.float32(1), np.float32(0)
    for y in numba.prange(best.shape[0]):
        for x in range(best.shape[1]):
            if seen[y, x] <= 0 or total[y, x] <= 0:
                continue
            stands = best[y, x] * seen[y, x] / total[y, x] - one
            say = np.float32(calm) * max(one - stands / np.float32(believed), none)
            for c in range(3):
                detail[y, x, c] += say * (all_detail[y, x, c] / seen[y, x] - detail[y, x, c])


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def expand_onto(coarse: Float, detail: Float) -> None:
    """Add the next coarser level to the detail of one."""
    for y in numba.prange(detail.shape[0]):
        for x in range(detail.shape[1]):
            for c in range(3):
                detail[y, x, c] += between(coarse, y, x, c)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def widen(warped: NDArray[Any], reach: NDArray[np.uint8], low: NDArray[Any], high: NDArray[Any]) -> None:
    """The lowest and highest tone that any frame has at a place which it reaches."""
    rows, width = reach.shape[0], 3 * reach.shape[1]
    flat, darkest, brightest = warped.reshape(rows, width), low.reshape(rows, width), high.reshape(rows, width)
    for y in numba.prange(rows):
        x = 0
        while x < reach.shape[1]:
            if not reach[y, x]:
                x += 1
                continue
            end = x + 1
            while end < reach.shape[1] and reach[y, end]:
                end += 1
            own, least, most = flat[y, 3 * x : 3 * end], darkest[y, 3 * x : 3 * end], brightest[y, 3 * x : 3 * end]
            for m in range(3 * (end - x)):
                least[m] = min(least[m], own[m])
                most[m] = max(most[m], own[m])
            x = end
