"""The choice between frames, level by level of the pyramid.

A frame's own pyramid is made as it was shot; what it shows of a level is moved to its place only where it may win, in
strips small enough for a processor's own memory, each by one thread: the moved picture, its squared detail, the mean of
that over the window and the comparison with the best so far never become pictures of their own.
"""

from typing import Any, NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.fusion._activity import Window, activity
from amber_ladder.core.registration import steady_run, window_of

Float = NDArray[np.float32]
Matrix = NDArray[np.float64]

_NOTHING = np.float32(-2)  # less than any activity, and than the worst of what is best so far


class Shown(NamedTuple):
    """A frame at one scale as it was shot, red, green, blue and brightness (4, H, W), and at half of that.

    ``back`` leads from the reference frame to it, ``gain`` brings its tones to the stack's; so do the others at half of
    the scale.
    """

    planes: NDArray[Any]
    coarser: NDArray[np.uint16]
    back: Matrix
    coarser_back: Matrix
    gain: np.float32
    coarser_gain: np.float32


class Asked(NamedTuple):
    """Where a frame speaks: within each row's ``spans`` (H, 2: from, to) where it is not ``wrong`` (H, W, or empty).

    Where ``plain`` (H, W, or empty) is not 0 nothing is chosen: a frame's share there falls from 1 / ``reach`` to 0 as
    its ``place`` lies up to ``reach`` from the ``surface``.
    """

    place: np.int16
    spans: NDArray[np.int32]
    wrong: NDArray[np.uint8]
    plain: NDArray[np.uint8]
    surface: Float
    reach: np.float32


class Won(NamedTuple):
    """What one level (H, W) holds so far: detail (3, H, W), how much that is, and the place of whom it is from.

    ``all_detail``, ``total`` and ``seen`` are what all frames have together, and how many. They, and ``winner``, may be
    empty.
    """

    detail: Float
    best: Float
    winner: NDArray[np.int16]
    all_detail: Float
    total: Float
    seen: Float


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def take(shown: Shown, asked: Asked, strips: NDArray[np.int64], window: Window, won: Won) -> None:
    """Take a frame's detail of one level where it has more than the best so far.

    How much it has is its squared detail in brightness, averaged over the ``window``.
    """
    longest = 0
    for strip in range(len(strips)):
        longest = max(longest, strips[strip, 3] - strips[strip, 2])
    pixel = np.arange(longest + 4).astype(np.float32)
    for strip in numba.prange(len(strips)):
        top, bottom, left, right = strips[strip]
        shape, none = (bottom - top, right - left), (0, 0)
        better = np.zeros(shape, np.float32)
        averaged = asked.plain.size and _any(asked.plain[top:bottom], left, right)
        share = np.zeros(shape if averaged else none, np.float32)
        speaks = np.zeros(shape if won.seen.size else none, np.float32)
        hit = np.zeros(right - left, np.float32)
        low, high = _choose(shown, asked, window, won, top, left, pixel, better, share, speaks, hit)
        if high <= low:
            continue
        first, last = 0, len(hit)
        while hit[first] <= 0:
            first += 1
        while hit[last - 1] <= 0:
            last -= 1
        first -= first & 1
        _give(shown, top, left, (low, high), (first, last), pixel, better, share, speaks, won)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _any(mask: NDArray[np.uint8], left: int, right: int) -> bool:
    most = np.uint8(0)
    for row in mask:
        for one in row[left:right]:
            most = max(most, one)
    return bool(most > 0)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _choose(
    shown: Shown, asked: Asked, window: Window, won: Won, top: int, left: int, pixel: Float, better: Float,
    share: Float, speaks: Float, hit: Float,
) -> tuple[int, int]:  # fmt: skip
    """Where in a strip a frame has a part, as what (rows, columns, all), and ``hit``: in which columns.

    Returns from which row to which.
    """
    rows, columns = better.shape
    (a, b, c), (d, e, f) = shown.back
    # Where the strip lies in the frame, with a pixel more: there all is averaged, before anything is moved.
    far_x, far_y = (left, left + columns - 1), (top, top + rows - 1)
    u, v = (
        min(a * far_x[0], a * far_x[1]) + min(b * far_y[0], b * far_y[1]) + c,
        (min(d * far_x[0], d * far_x[1]) + min(e * far_y[0], e * far_y[1]) + f),
    )
    u_end = max(a * far_x[0], a * far_x[1]) + max(b * far_y[0], b * far_y[1]) + c
    v_end = max(d * far_x[0], d * far_x[1]) + max(e * far_y[0], e * far_y[1]) + f
    averaged, above, first = activity(
        shown.planes[3], shown.coarser[3], (shown.gain, shown.coarser_gain), window,
        (int(np.floor(v)), int(np.floor(v_end)) + 1), (int(np.floor(u)), int(np.floor(u_end)) + 1),
    )  # fmt: skip
    own = np.empty(columns, np.float32)
    low, high = rows, 0
    for q in range(rows):
        y = top + q
        start, end = max(asked.spans[y, 0], left) - left, min(asked.spans[y, 1], left + columns) - left
        if end <= start:
            continue
        _moved(averaged, a * left + b * y + c - first, a, d * left + e * y + f - above, d, pixel, own)
        here, within, count = slice(left + start, left + end), own[start:end], np.float32(0)
        if asked.wrong.size:
            _silence(asked.wrong[y, here], within)
        if share.size:
            count += _averaged(asked, y, left + start, within, share[q, start:end], hit[start:end], won)
        if won.seen.size:
            count += _count(within, won.total[y, here], won.seen[y, here], speaks[q, start:end], hit[start:end])
        count += _compare(within, won.best[y, here], better[q, start:end], hit[start:end])
        if won.winner.size:
            _credit(better[q, start:end], asked.place, won.winner[y, here])
        if count > 0:
            low, high = min(low, q), q + 1
    return low, high


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _moved(plane: Float, u: float, wider: float, v: float, turned: float, pixel: Float, out: Float) -> None:
    """A row of a smooth plane that begins at ``u``, ``v`` and goes on by ``wider``, ``turned`` a pixel, by lines."""
    at = 0
    while at < len(out):
        x, y = u + at * wider, v + at * turned
        i = max(min(int(np.floor(x)), plane.shape[1] - 2), 0)
        j = max(min(int(np.floor(y)), len(plane) - 2), 0)
        run = min(steady_run(x - i, wider - 1.0), steady_run(y - j, turned), len(out) - at)
        run = max(min(run, plane.shape[1] - 1 - i), 1)
        _by_lines(
            plane[j, i:], plane[j, i + 1 :], plane[j + 1, i:], plane[j + 1, i + 1 :], np.float32(x - i),
            np.float32(wider - 1.0), np.float32(y - j), np.float32(turned), pixel, out[at : at + run],
        )  # fmt: skip
        at += run


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _by_lines(
    one: Float, two: Float, three: Float, four: Float, across: np.float32, wider: np.float32, down: np.float32,
    turned: np.float32, pixel: Float, out: Float,
) -> None:  # fmt: skip
    for m in range(len(out)):
        t, s = across + pixel[m] * wider, down + pixel[m] * turned
        upper, lower = one[m] + t * (two[m] - one[m]), three[m] + t * (four[m] - three[m])
        out[m] = upper + s * (lower - upper)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _give(
    shown: Shown, top: int, left: int, rows: tuple[int, int], columns: tuple[int, int], pixel: Float, better: Float,
    share: Float, speaks: Float, won: Won,
) -> None:  # fmt: skip
    """Put a frame's part of a strip where it has any: in its ``rows`` and ``columns``, of which the first is even."""
    (low, high), (first, last) = rows, columns
    own = np.empty((3, high - low, last - first), np.float32)
    _beyond(shown, top + low, left + first, won.best.shape, pixel, own)
    _replace(own, better, (low, first), (top + low, left + first), won.detail)
    if share.size:
        _add(own, share, (low, first), (top + low, left + first), won.detail)
    if speaks.size:
        _add(own, speaks, (low, first), (top + low, left + first), won.all_detail)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _beyond(shown: Shown, top: int, left: int, level: tuple[int, int], pixel: Float, out: Float) -> None:
    """What a window (3, rows, columns) of a ``level`` (its height, width) holds beyond the coarser level.

    It begins at ``top`` and the even column ``left``. The coarser level is repeated beyond its border.
    """
    window_of(shown.planes, shown.back, shown.gain, top, left, pixel, out)
    _, rows, columns = out.shape
    # What of the coarser level is needed, and what there is of that.
    above, start = (top >> 1) - 1, (left >> 1) - 1
    size = (((top + rows - 1) >> 1) + 2 - above, ((columns + 1) >> 1) + 2)
    first, begin = max(above, 0), max(start, 0)
    end, stop = min(above + size[0], (level[0] + 1) >> 1), min(start + size[1], (level[1] + 1) >> 1)
    coarse = np.empty((3, end - first, stop - begin), np.float32)
    window_of(shown.coarser, shown.coarser_back, shown.coarser_gain, first, begin, pixel, coarse)
    if coarse.shape[1] < size[0] or coarse.shape[2] < size[1]:
        coarse = _repeated(coarse, first - above, begin - start, size)
    half, eighth, most = np.float32(0.5), np.float32(0.125), np.float32(0.75)
    one, two = np.uint64(1), np.uint64(2)
    line, wide = np.empty(size[1], np.float32), np.uint64(columns >> 1)
    for at in range(3 * rows):
        c, q = np.uint64(at // rows), np.uint64(at % rows)
        y = top + at % rows
        j = np.uint64((y >> 1) - above)
        if y & 1:
            for k in range(np.uint64(size[1])):
                line[k] = half * (coarse[c, j, k] + coarse[c, j + one, k])
        else:
            for k in range(np.uint64(size[1])):
                line[k] = eighth * (coarse[c, j - one, k] + coarse[c, j + one, k]) + most * coarse[c, j, k]
        for m in range(wide):
            out[c, q, two * m] -= eighth * (line[m] + line[m + two]) + most * line[m + one]
            out[c, q, two * m + one] -= half * (line[m + one] + line[m + two])
        if columns & 1:
            out[c, q, two * wide] -= eighth * (line[wide] + line[wide + two]) + most * line[wide + one]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _repeated(planes: Float, above: int, before: int, size: tuple[int, int]) -> Float:
    """Planes (3, H, W) whose border is repeated ``above`` and ``before`` them, and as far as ``size`` beyond."""
    _, height, width = planes.shape
    out = np.empty((3, size[0], size[1]), np.float32)
    for q in range(size[0]):
        for k in range(size[1]):
            for c in range(3):
                out[c, q, k] = planes[c, min(max(q - above, 0), height - 1), min(max(k - before, 0), width - 1)]
    return out


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _silence(wrong: NDArray[np.uint8], own: Float) -> None:
    for k in range(len(own)):
        own[k] = own[k] if wrong[k] == 0 else _NOTHING


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _averaged(asked: Asked, y: int, left: int, own: Float, share: Float, hit: Float, won: Won) -> np.float32:
    """A frame's share in each pixel of a row that is plain, where it speaks; there it is not compared."""
    finer, reach, count = len(asked.surface) / len(won.best), asked.reach, np.float32(0)
    index, most = asked.surface[min(int(y * finer), len(asked.surface) - 1)], asked.surface.shape[1] - 1
    for k in range(len(share)):
        if asked.plain[y, left + k]:
            apart = abs(index[min(int((left + k) * finer), most)] - np.float32(asked.place))
            if own[k] != _NOTHING and apart < reach:
                share[k] = (np.float32(1) - apart / reach) / reach
                hit[k] += share[k]
                count += share[k]
                if won.winner.size and apart <= np.float32(0.5):
                    won.winner[y, left + k] = asked.place
            own[k] = _NOTHING
    return count


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _count(own: Float, total: Float, seen: Float, speaks: Float, hit: Float) -> np.float32:
    none, one, count = np.float32(0), np.float32(1), np.float32(0)
    for k in range(len(own)):
        speaks[k] = one if own[k] >= none else none
        total[k] += own[k] * speaks[k]
        seen[k] += speaks[k]
        hit[k] += speaks[k]
        count += speaks[k]
    return count


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _compare(own: Float, best: Float, won: Float, hit: Float) -> np.float32:
    none, one, count = np.float32(0), np.float32(1), np.int32(0)
    for k in range(len(own)):
        more = one if own[k] > best[k] else none
        best[k] = max(own[k], best[k])
        won[k] = more
        hit[k] += more
        count |= np.int32(more)
    return np.float32(count)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _credit(won: Float, place: np.int16, winner: NDArray[np.int16]) -> None:
    for k in range(len(won)):
        winner[k] = place if won[k] > 0 else winner[k]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _replace(own: Float, better: Float, there: tuple[int, int], here: tuple[int, int], out: Float) -> None:
    """Where it is ``better``, from ``there`` (row, column) on, ``own`` (3, rows, columns) stands ``here``."""
    _, rows, columns = own.shape
    j, i, y, x = np.uint64(there[0]), np.uint64(there[1]), np.uint64(here[0]), np.uint64(here[1])
    for q in range(np.uint64(rows)):
        for c in range(np.uint64(3)):
            for k in range(np.uint64(columns)):
                won = better[j + q, i + k] > np.float32(0)
                out[c, y + q, x + k] = own[c, q, k] if won else out[c, y + q, x + k]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add(own: Float, share: Float, there: tuple[int, int], here: tuple[int, int], out: Float) -> None:
    """As much of ``own`` (3, rows, columns) as its ``share`` says, from ``there`` (row, column) on, comes ``here``."""
    _, rows, columns = own.shape
    j, i, y, x = np.uint64(there[0]), np.uint64(there[1]), np.uint64(here[0]), np.uint64(here[1])
    for q in range(np.uint64(rows)):
        for c in range(np.uint64(3)):
            for k in range(np.uint64(columns)):
                out[c, y + q, x + k] += share[j + q, i + k] * own[c, q, k]


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def quiet(won: Won, calm: float, believed: float) -> None:
    """Detail in which no frame stands out, by ``believed`` times the mean, gives way to the mean of all."""
    one, none = np.float32(1), np.float32(0)
    best, total, seen, detail, all_detail = won.best, won.total, won.seen, won.detail, won.all_detail
    for y in numba.prange(best.shape[0]):
        for x in range(best.shape[1]):
            if seen[y, x] <= 0 or total[y, x] <= 0:
                continue
            stands = best[y, x] * seen[y, x] / total[y, x] - one
            say = np.float32(calm) * max(one - stands / np.float32(believed), none)
            for c in range(3):
                detail[c, y, x] += say * (all_detail[c, y, x] / seen[y, x] - detail[c, y, x])
