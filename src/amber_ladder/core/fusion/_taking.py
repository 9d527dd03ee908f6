"""The choice between frames, level by level of the pyramid.

A frame's own pyramid is made as it was shot; what it shows of a level is moved to its place only where it may win, in
strips small enough for a processor's own memory, each by one thread: the moved picture, its squared detail, the mean of
that over the window and the comparison with the best so far never become pictures of their own.
"""

from typing import Any, NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.fusion._levels import half_way, mirrored, nearly_on
from amber_ladder.core.registration import steady_run, window_of

Float = NDArray[np.float32]
Matrix = NDArray[np.float64]

_NOTHING = np.float32(-2)  # less than any activity, and than the worst of what is best so far


def window(spread_px: float) -> Float:
    """One half of a Gaussian's weights from its middle on; an even number of them lies beyond that."""
    reach = 2 * int(np.ceil(1.5 * spread_px))
    weights = np.exp(-0.5 * (np.arange(reach + 1) / spread_px) ** 2)
    return np.asarray(weights / (2 * weights.sum() - weights[0]), np.float32)


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
def take(shown: Shown, asked: Asked, strips: NDArray[np.int64], weights: Float, won: Won) -> None:
    """Take a frame's detail of one level where it has more than the best so far.

    How much it has is its squared detail in brightness, averaged with ``weights``.
    """
    longest = 0
    for strip in range(len(strips)):
        longest = max(longest, strips[strip, 3] - strips[strip, 2])
    pixel = np.arange(longest + 2 * len(weights)).astype(np.float32)
    for strip in numba.prange(len(strips)):
        top, bottom, left, right = strips[strip]
        shape, none = (bottom - top, right - left), (0, 0)
        better = np.zeros(shape, np.float32)
        share = np.zeros(shape if asked.plain.size else none, np.float32)
        speaks = np.zeros(shape if won.seen.size else none, np.float32)
        hit = np.zeros(right - left, np.float32)
        low, high = _choose(shown, asked, weights, won, top, left, pixel, better, share, speaks, hit)
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
def _choose(
    shown: Shown, asked: Asked, weights: Float, won: Won, top: int, left: int, pixel: Float, better: Float,
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
    first, above = int(np.floor(u)), int(np.floor(v))
    averaged = np.empty((int(np.floor(v_end)) + 2 - above, int(np.floor(u_end)) + 2 - first), np.float32)
    _weigh(shown, above, first, weights, averaged)
    activity = np.empty(columns, np.float32)
    low, high = rows, 0
    for q in range(rows):
        y = top + q
        start, end = max(asked.spans[y, 0], left) - left, min(asked.spans[y, 1], left + columns) - left
        if end <= start:
            continue
        _moved(averaged, a * left + b * y + c - first, a, d * left + e * y + f - above, d, pixel, activity)
        here, within, count = slice(left + start, left + end), activity[start:end], np.float32(0)
        if asked.wrong.size:
            _silence(asked.wrong[y, here], within)
        if asked.plain.size:
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
def _weigh(shown: Shown, top: int, left: int, weights: Float, out: Float) -> None:
    """Squared detail in brightness of a frame, averaged with ``weights``, in a window from ``top``, ``left`` on.

    In the frame's own pixels: moved first, it would lose some where it is moved by half a pixel.
    """
    plane, coarser = shown.planes[3], shown.coarser[3]
    reach, least = len(weights) - 1, shown.coarser_gain / shown.gain
    start = left - reach - ((left - reach) & 1)
    wide, skipped = out.shape[1] + left + reach - start, left - reach - start
    first = (start >> 1) - 1
    line, own = np.empty((wide >> 1) + 4, np.float32), np.empty(wide, np.float32)
    above, here, below = np.empty_like(line), np.empty_like(line), np.empty_like(line)
    across = np.empty((len(out) + 2 * reach, out.shape[1]), np.float32)
    held = -(2**40)
    for q in range(len(across)):
        y = top - reach + q
        j = y >> 1
        if j != held:
            held = j
            for near, values in ((j - 1, above), (j, here), (j + 1, below)):
                _read(coarser[mirrored(near, len(coarser))], first, least, values)
        _read(plane[mirrored(y, len(plane))], start, np.float32(1), own)
        if y & 1:
            half_way(here, below, line)
        else:
            nearly_on(above, here, below, line)
        _less(line, line[1:], line[2:], own)
        _square(own)
        _averaged_along(own[skipped:], weights, across[q])
    squared = shown.gain * shown.gain
    for q in range(len(out)):
        _averaged_down(across, q + reach, weights, out[q])
        for k in range(out.shape[1]):
            out[q, k] *= squared


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _read(row: NDArray[Any], start: int, gain: np.float32, out: Float) -> None:
    """A part of a row, mirrored beyond its ends."""
    first, last = min(max(-start, 0), len(out)), max(min(len(row) - start, len(out)), 0)
    if first < last:
        inside, part = out[first:last], row[start + first :]
        for k in range(len(inside)):
            inside[k] = gain * np.float32(part[k])
    for k in range(first):
        out[k] = gain * np.float32(row[mirrored(start + k, len(row))])
    for k in range(max(last, first), len(out)):
        out[k] = gain * np.float32(row[mirrored(start + k, len(row))])


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
    here, part = slice(left + first, left + last), slice(first, last)
    own = np.empty((high - low, last - first), np.float32)
    height, width = won.best.shape
    for c in range(3):
        # Repeated beyond its border, the coarser level is taken back by ``expand_onto``.
        _beyond(shown, c, top + low, left + first, (0, (height - 1) >> 1), (0, (width - 1) >> 1), pixel, own)
        for q in range(low, high):
            _replace(own[q - low], better[q, part], won.detail[c, top + q, here])
            if share.size:
                _add(own[q - low], share[q, part], won.detail[c, top + q, here])
            if speaks.size:
                _add(own[q - low], speaks[q, part], won.all_detail[c, top + q, here])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _beyond(
    shown: Shown, colour: int, top: int, left: int, rows: tuple[int, int], columns: tuple[int, int], pixel: Float,
    out: Float,
) -> None:  # fmt: skip
    """What a window of a level, from ``top`` and the even column ``left`` on, holds beyond the coarser level.

    That ends with its ``rows`` and ``columns`` (first, last) and is repeated beyond.
    """
    window_of(shown.planes[colour], shown.back, shown.gain, top, left, pixel, out)
    start, wide = (left >> 1) - 1, ((out.shape[1] - 1) >> 1) + 3
    first, last = max(start, columns[0]), min(start + wide - 1, columns[1])
    above, below = max((top >> 1) - 1, rows[0]), min(((top + len(out) - 1) >> 1) + 1, rows[1])
    small, line = np.empty((below - above + 1, last - first + 1), np.float32), np.empty(wide, np.float32)
    window_of(shown.coarser[colour], shown.coarser_back, shown.coarser_gain, above, first, pixel, small)
    inside = line[first - start : last - start + 1]
    for q in range(len(out)):
        j = (top + q) >> 1
        here, under = small[j - above], small[min(j + 1, below) - above]
        if (top + q) & 1:
            half_way(here, under, inside)
        else:
            nearly_on(small[max(j - 1, above) - above], here, under, inside)
        for i in range(first - start):
            line[i] = inside[0]
        for i in range(last - start + 1, wide):
            line[i] = inside[len(inside) - 1]
        _less(line, line[1:], line[2:], out[q])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _square(line: Float) -> None:
    for k in range(len(line)):
        line[k] = line[k] * line[k]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _averaged_along(line: Float, weights: Float, out: Float) -> None:
    reach = len(weights) - 1
    weight, here = weights[0], line[reach:]
    for k in range(len(out)):
        out[k] = weight * here[k]
    for t in range(1, reach + 1):
        weight, before, after = weights[t], line[reach - t :], line[reach + t :]
        for k in range(len(out)):
            out[k] += weight * (before[k] + after[k])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _averaged_down(rows: Float, at: int, weights: Float, out: Float) -> None:
    """A row, averaged with those above and below."""
    weight, here = weights[0], rows[at]
    for k in range(len(out)):
        out[k] = weight * here[k]
    for t in range(1, len(weights)):
        weight, above, below = weights[t], rows[at - t], rows[at + t]
        for k in range(len(out)):
            out[k] += weight * (above[k] + below[k])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _less(before: Float, here: Float, after: Float, out: Float) -> None:
    """Take away a line of half as many pixels, of which ``here`` begins at the first of ``out``."""
    half, eighth, most = np.float32(0.5), np.float32(0.125), np.float32(0.75)
    for m in range(len(out) >> 1):
        out[2 * m] -= eighth * (before[m] + after[m]) + most * here[m]
        out[2 * m + 1] -= half * (here[m] + after[m])
    if len(out) & 1:
        m = len(out) >> 1
        out[2 * m] -= eighth * (before[m] + after[m]) + most * here[m]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _silence(wrong: NDArray[np.uint8], activity: Float) -> None:
    for k in range(len(activity)):
        activity[k] = activity[k] if wrong[k] == 0 else _NOTHING


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _averaged(asked: Asked, y: int, left: int, activity: Float, share: Float, hit: Float, won: Won) -> np.float32:
    """A frame's share in each pixel of a row that is plain, where it speaks; there it is not compared."""
    finer, reach, count = len(asked.surface) / len(won.best), asked.reach, np.float32(0)
    index, most = asked.surface[min(int(y * finer), len(asked.surface) - 1)], asked.surface.shape[1] - 1
    for k in range(len(share)):
        if asked.plain[y, left + k]:
            apart = abs(index[min(int((left + k) * finer), most)] - np.float32(asked.place))
            if activity[k] != _NOTHING and apart < reach:
                share[k] = (np.float32(1) - apart / reach) / reach
                hit[k] += share[k]
                count += share[k]
                if won.winner.size and apart <= np.float32(0.5):
                    won.winner[y, left + k] = asked.place
            activity[k] = _NOTHING
    return count


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _count(activity: Float, total: Float, seen: Float, speaks: Float, hit: Float) -> np.float32:
    none, one, count = np.float32(0), np.float32(1), np.float32(0)
    for k in range(len(activity)):
        speaks[k] = one if activity[k] >= none else none
        total[k] += activity[k] * speaks[k]
        seen[k] += speaks[k]
        hit[k] += speaks[k]
        count += speaks[k]
    return count


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _compare(activity: Float, best: Float, won: Float, hit: Float) -> np.float32:
    none, one, count = np.float32(0), np.float32(1), np.float32(0)
    for k in range(len(activity)):
        more = one if activity[k] > best[k] else none
        best[k] = max(activity[k], best[k])
        won[k] = more
        hit[k] += more
    for k in range(len(activity)):
        count += won[k]
    return count


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _credit(won: Float, place: np.int16, winner: NDArray[np.int16]) -> None:
    for k in range(len(won)):
        winner[k] = place if won[k] > 0 else winner[k]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _replace(own: Float, won: Float, out: Float) -> None:
    for k in range(len(out)):
        out[k] = own[k] if won[k] > 0 else out[k]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add(own: Float, share: Float, out: Float) -> None:
    for k in range(len(out)):
        out[k] += share[k] * own[k]


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
