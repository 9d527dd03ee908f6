"""Pyramid: at every scale the detail of the frame that has most of it (Burt & Kolczynski 1993)."""

from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import FrameSource, Progress, ahead
from amber_ladder.core.fusion._moved import barred
from amber_ladder.core.fusion._survey import Survey
from amber_ladder.core.registration import warped_picture

Float = NDArray[np.float32]

_COARSEST_PX = 24
_SHARE_LEVEL = 2  # frames are credited with what they give at this scale, where noise no longer decides
USUAL_WINDOW_PX = 2.2  # standard deviation of what detail is averaged over; of coarser levels' px a little less
_COARSER_WINDOW = 0.73
_NOISY_LEVELS = 3
_STANDS_OUT = np.float32(2.0)  # times the mean of all frames, beyond which one is believed wholly
_EDGE_PX = 4  # of every level is not trusted at a frame's border


class _Level:
    """The winning detail of one scale so far."""

    def __init__(self, shape: tuple[int, int], calmed: bool) -> None:
        self.detail = np.zeros((*shape, 3), np.float32)
        self.activity = np.full(shape, -1.0, np.float32)
        self.winner = np.zeros(shape, np.int16)
        # What all frames together say, where noise shall be averaged away: detail, activity, and how many reach there.
        self.together = (
            (np.zeros((*shape, 3), np.float32), np.zeros(shape, np.float32), np.zeros(shape, np.float32))
            if calmed
            else None
        )


def merge_pyramid(
    frames: FrameSource, found: Survey, window_px: float, calm: float, progress: Progress
) -> tuple[NDArray[Any], tuple[float, ...]]:
    """Composite (H, W, 3) in the frames' type and each used frame's share of the common area.

    Detail is compared over ``window_px``: a smaller window keeps finer hairs, a larger one is calmer. ``calm`` (0 to 1)
    is how far detail in which no frame stands out gives way to the mean of all frames.
    """
    height, width = frames.shape
    shapes = _shapes(height, width)
    levels = [_Level(shape, calm > 0 and i < _NOISY_LEVELS) for i, shape in enumerate(shapes[:-1])]
    base, base_weight = np.zeros((*shapes[-1], 3), np.float32), np.zeros(shapes[-1], np.float32)
    largest = np.iinfo(frames.dtype).max
    low = np.full((height, width, 3), largest, frames.dtype)
    high = np.zeros((height, width, 3), frames.dtype)
    for done, (at, picture) in enumerate(ahead(frames.picture, found.used)):
        progress("merge", done, len(found.used))
        place = found.used.index(at)
        warped = warped_picture(picture, found.matrices[place], found.gains[place], largest)
        reach = _reach(found.matrices[place], (height, width))
        wrong = barred(found.moved, place, (height, width))
        _widen(warped, reach if wrong is None else reach & ~wrong, low, high)
        _add(warped, reach, wrong, np.int16(place), levels, base, base_weight, window_px)
    progress("merge", len(found.used), len(found.used))
    for level in levels:
        if level.together:
            _quiet(level.detail, level.activity, *level.together, np.float32(calm))
    picture = _collapse(levels, np.asarray(base / np.maximum(base_weight, 1e-12)[..., None], np.float32))
    # No tone that no frame recorded: what the choice per scale overshoots is cut back.
    np.clip(picture, low, high, out=picture)
    return np.rint(picture).astype(frames.dtype), _shares(levels[min(_SHARE_LEVEL, len(levels) - 1)], found)


def _shapes(height: int, width: int) -> list[tuple[int, int]]:
    shapes = [(height, width)]
    while min(shapes[-1]) >= 2 * _COARSEST_PX:
        shapes.append(((shapes[-1][0] + 1) // 2, (shapes[-1][1] + 1) // 2))
    return shapes


def _reach(matrix: NDArray[np.float64], shape: tuple[int, int]) -> NDArray[np.uint8]:
    """255 where the frame covers the reference frame's pixel."""
    height, width = shape
    corners = np.array([[0, 0], [width - 1, 0], [width - 1, height - 1], [0, height - 1]], np.float64)
    quad = corners @ matrix[:, :2].T + matrix[:, 2]
    mask = np.zeros(shape, np.uint8)
    cv2.fillConvexPoly(mask, np.rint(quad * 16).astype(np.int32), 255, cv2.LINE_8, 4)
    return mask


def _add(
    warped: NDArray[Any],
    reach: NDArray[np.uint8],
    wrong: NDArray[np.uint8] | None,
    place: np.int16,
    levels: list[_Level],
    base: Float,
    weight: Float,
    window_px: float,
) -> None:
    present = np.asarray(warped, np.float32)
    square = np.empty((0, 0), np.float32)
    for i, level in enumerate(levels):
        coarser = np.asarray(cv2.pyrDown(present), np.float32)
        square = np.empty(level.activity.shape, np.float32)
        _detail_square(present, coarser, square)
        activity = np.asarray(cv2.GaussianBlur(square, (0, 0), window_px * (_COARSER_WINDOW if i else 1.0)), np.float32)
        covered = cv2.resize(reach, (square.shape[1], square.shape[0]), interpolation=cv2.INTER_NEAREST)
        # Beyond a frame's own border the pixels are mirrored: only the reference frame may speak there.
        covered = cv2.erode(
            covered,
            np.ones((2 * _EDGE_PX + 1,) * 2, np.uint8),
            borderType=cv2.BORDER_CONSTANT,
            borderValue=255,
        )
        if wrong is not None:
            # Not widened: what moved is told with a rim of its own.
            hole = cv2.resize(wrong, (square.shape[1], square.shape[0]), interpolation=cv2.INTER_NEAREST)
            covered = np.where(hole > 0, np.uint8(0), covered)
        _take(present, coarser, activity, np.asarray(covered), place, level.detail, level.activity, level.winner)
        if level.together:
            _note(present, coarser, activity, np.asarray(covered), *level.together)
        present = coarser
    energy = cv2.resize(square, (present.shape[1], present.shape[0]), interpolation=cv2.INTER_AREA)
    strength = np.asarray(cv2.GaussianBlur(energy, (0, 0), 2.0), np.float32) + np.float32(1e-6)
    if wrong is not None:
        share = cv2.resize(wrong, (present.shape[1], present.shape[0]), interpolation=cv2.INTER_AREA)
        strength *= np.float32(1.0) - share.astype(np.float32) / np.float32(255)
    base += strength[..., None] * present
    weight += strength


def _collapse(levels: list[_Level], base: Float) -> Float:
    picture = base
    for level in reversed(levels):
        _expand_onto(picture, level.detail)
        picture = level.detail
    return picture


def _shares(level: _Level, found: Survey) -> tuple[float, ...]:
    scale = level.winner.shape[1] / found.surface.index.shape[1] / found.factor
    x, y, w, h = (round(edge * scale) for edge in found.crop)
    winner = level.winner[y : y + max(h, 1), x : x + max(w, 1)].astype(np.int64).ravel()
    return tuple((np.bincount(winner, minlength=len(found.used)) / winner.size).tolist())


@numba.njit(nogil=True, cache=True, fastmath=True, inline="always")  # type: ignore[untyped-decorator]
def _between(coarse: Float, y: int, x: int, c: int) -> Any:
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


@numba.njit(parallel=True, nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _detail_square(present: Float, coarser: Float, square: Float) -> None:
    """Squared detail in brightness (Rec. 601 weights) of one level."""
    for y in numba.prange(present.shape[0]):
        for x in range(present.shape[1]):
            red = present[y, x, 0] - _between(coarser, y, x, 0)
            green = present[y, x, 1] - _between(coarser, y, x, 1)
            blue = present[y, x, 2] - _between(coarser, y, x, 2)
            detail = np.float32(0.299) * red + np.float32(0.587) * green + np.float32(0.114) * blue
            square[y, x] = detail * detail


@numba.njit(parallel=True, nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _take(
    present: Float,
    coarser: Float,
    activity: Float,
    covered: NDArray[np.uint8],
    place: np.int16,
    detail: Float,
    best: Float,
    winner: NDArray[np.int16],
) -> None:
    for y in numba.prange(present.shape[0]):
        for x in range(present.shape[1]):
            if covered[y, x] and activity[y, x] > best[y, x]:
                best[y, x] = activity[y, x]
                winner[y, x] = place
                for c in range(3):
                    detail[y, x, c] = present[y, x, c] - _between(coarser, y, x, c)


@numba.njit(parallel=True, nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _note(
    present: Float,
    coarser: Float,
    activity: Float,
    covered: NDArray[np.uint8],
    detail: Float,
    total: Float,
    seen: Float,
) -> None:
    for y in numba.prange(present.shape[0]):
        for x in range(present.shape[1]):
            if covered[y, x]:
                seen[y, x] += np.float32(1)
                total[y, x] += activity[y, x]
                for c in range(3):
                    detail[y, x, c] += present[y, x, c] - _between(coarser, y, x, c)


@numba.njit(parallel=True, nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _quiet(detail: Float, best: Float, all_detail: Float, total: Float, seen: Float, calm: np.float32) -> None:
    """Detail in which no frame stands out gives way to the mean of all."""
    for y in numba.prange(best.shape[0]):
        for x in range(best.shape[1]):
            if seen[y, x] <= 0 or total[y, x] <= 0:
                continue
            stands = best[y, x] * seen[y, x] / total[y, x] - np.float32(1)
            say = calm * max(np.float32(1) - stands / _STANDS_OUT, np.float32(0))
            for c in range(3):
                detail[y, x, c] += say * (all_detail[y, x, c] / seen[y, x] - detail[y, x, c])


@numba.njit(parallel=True, nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _expand_onto(coarse: Float, detail: Float) -> None:
    for y in numba.prange(detail.shape[0]):
        for x in range(detail.shape[1]):
            for c in range(3):
                detail[y, x, c] += _between(coarse, y, x, c)


@numba.njit(parallel=True, nogil=True, cache=True)  # type: ignore[untyped-decorator]
def _widen(warped: NDArray[Any], reach: NDArray[np.uint8], low: NDArray[Any], high: NDArray[Any]) -> None:
    for y in numba.prange(warped.shape[0]):
        for x in range(warped.shape[1]):
            if reach[y, x]:
                for c in range(3):
                    low[y, x, c] = min(low[y, x, c], warped[y, x, c])
                    high[y, x, c] = max(high[y, x, c], warped[y, x, c])
