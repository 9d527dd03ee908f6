"""Depth pick: each pixel from the frame whose depth is the surface's there.

Only the pixels that a frame gives are ever resampled, so the whole stack costs little more than one warp.
"""

from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import FrameSource, Progress, ahead
from amber_ladder.core.fusion._plain import HALF_AVERAGE, nothing_sharp
from amber_ladder.core.fusion._survey import Survey
from amber_ladder.core.registration import along_run, inverse, steady_run, warped_picture

Float = NDArray[np.float32]

_TILE_PX = 64
_FIXED = np.array([128, 32768, 0.5], np.float32)  # parts of a tone, of a share, and what rounds when they are stored
_FLOATING = np.array([1, 1, 0], np.float32)
_HALF_BLEND = np.float32(0.65)
"""Frames on either side blend over this distance from a pixel's depth: enough to hide seams, mostly one frame."""


class DepthPick:
    """A composite that grows frame by frame."""

    def __init__(self, found: Survey, shape: tuple[int, int], dtype: np.dtype[Any]) -> None:
        self._found, self._dtype, self._largest = found, dtype, np.float32(np.iinfo(dtype).max)
        index = found.surface.index
        self._shares = _shares(index, found)
        if found.factor > 1:
            index = np.asarray(cv2.resize(index, shape[::-1], interpolation=cv2.INTER_LINEAR), np.float32)
        self._index = np.clip(index, 0, len(found.used) - 1)
        calm = nothing_sharp(found)
        self._calm = np.asarray(cv2.resize(calm, shape[::-1], interpolation=cv2.INTER_LINEAR), np.uint8)
        self._lowest, self._highest = _extremes(self._index)
        _, calmest = _extremes(self._calm)
        self._calmest = calmest > 0
        self._reach = _HALF_BLEND + (HALF_AVERAGE - _HALF_BLEND) * calmest / np.float32(255)
        # Of 8 bits in fixed point, which halves the memory.
        store, self._parts = (np.uint16, _FIXED) if dtype == np.uint8 else (np.float32, _FLOATING)
        self._total, self._weight = np.zeros((*shape, 3), store), np.zeros(shape, store)

    def add(self, place: int, picture: NDArray[Any]) -> None:
        """The used frame at a place: RGB (H, W, 3)."""
        there = (self._lowest < place + self._reach) & (self._highest > place - self._reach)
        tiles = np.column_stack([np.argwhere(there), self._calmest[there]])
        _pick(
            picture, inverse(self._found.matrices[place]), np.float32(self._found.gains[place]), self._index,
            self._calm, np.float32(place), tiles, self._parts, self._largest, self._total, self._weight,
        )  # fmt: skip

    def picture(self, frames: FrameSource) -> NDArray[Any]:
        """The composite (H, W, 3) in the frames' type."""
        self._fill_uncovered(frames)
        composite = np.empty(self._total.shape, self._dtype)
        _divide(self._total, self._weight, self._parts, self._largest, composite)
        return composite

    def _fill_uncovered(self, frames: FrameSource) -> None:
        # At the edge a wanted frame may not reach: the reference frame covers everything there.
        missing, found = self._weight <= 0, self._found
        if missing.any():
            # Of a range of frames that leaves it out, the one next to it, mirrored at its border.
            place = min(range(len(found.used)), key=lambda one: abs(found.used[one] - found.reference))
            picture = frames.picture(found.used[place])
            picture = warped_picture(picture, found.matrices[place], found.gains[place], int(self._largest))
            self._total[missing] = picture[missing] * self._total.dtype.type(self._parts[0])
            self._weight[missing] = self._parts[1]

    def shares(self) -> tuple[float, ...]:
        """Each used frame's share of the common area."""
        return self._shares


def merge_select(frames: FrameSource, found: Survey, progress: Progress) -> tuple[NDArray[Any], tuple[float, ...]]:
    """Composite (H, W, 3) in the frames' type and each used frame's share of the common area."""
    pick = DepthPick(found, frames.shape, frames.dtype)
    for place, picture in ahead(lambda at: frames.picture(found.used[at]), range(len(found.used))):
        progress("merge", place, len(found.used))
        pick.add(place, picture)
        del picture  # before the next one is loaded
    progress("merge", len(found.used), len(found.used))
    return pick.picture(frames), pick.shares()


def _shares(index: Float, found: Survey) -> tuple[float, ...]:
    x, y, w, h = (edge // found.factor for edge in found.crop)
    last = len(found.used) - 1
    nearest = np.rint(np.clip(index[y : y + max(h, 1), x : x + max(w, 1)], 0, last)).astype(np.int64).ravel()
    return tuple((np.bincount(nearest, minlength=last + 1) / nearest.size).tolist())


def _extremes(index: NDArray[Any]) -> tuple[Float, Float]:
    """The lowest and highest value of each tile (rows, columns)."""
    rows, columns = (-(-length // _TILE_PX) for length in index.shape)
    lowest, highest = np.empty((rows, columns), np.float32), np.empty((rows, columns), np.float32)
    for row in range(rows):
        band = index[row * _TILE_PX : (row + 1) * _TILE_PX]
        starts = np.arange(0, index.shape[1], _TILE_PX)
        lowest[row] = np.minimum.reduceat(band.min(axis=0), starts)
        highest[row] = np.maximum.reduceat(band.max(axis=0), starts)
    return lowest, highest


@numba.njit(parallel=True, nogil=True, cache=True)  # type: ignore[untyped-decorator]
def _pick(
    picture: NDArray[Any],
    to_frame: NDArray[np.float64],
    gain: np.float32,
    index: NDArray[np.float32],
    calm: NDArray[np.uint8],
    place: np.float32,
    tiles: NDArray[np.int64],
    parts: Float,
    largest: np.float32,
    total: NDArray[Any],
    weight: NDArray[Any],
) -> None:
    """Add a frame's part to the tiles (row, column, whether any of it is calm) in which it has any."""
    height, width = index.shape
    a, b, c = to_frame[0]
    d, e, f = to_frame[1]
    flat = picture.reshape(height, 3 * width)
    pixel = (np.arange(3 * _TILE_PX) // 3).astype(np.float32)
    for tile in numba.prange(len(tiles)):
        line, share = np.empty(3 * _TILE_PX, np.float32), np.empty(_TILE_PX, np.float32)
        top, left = tiles[tile, 0] * _TILE_PX, tiles[tile, 1] * _TILE_PX
        right = min(left + _TILE_PX, width)
        for y in range(top, min(top + _TILE_PX, height)):
            if tiles[tile, 2]:
                x, end = _own_or_averaged(index[y, left:right], calm[y, left:right], place, share)
            else:
                x, end = _own(index[y, left:right], place, share)
            x, end = x + left, end + left
            while x < end:
                u, v = a * x + b * y + c, d * x + e * y + f
                i, j = int(np.floor(u)), int(np.floor(v))
                run = min(steady_run(u - i, a - 1.0), steady_run(v - j, d), end - x)
                if 1 <= j < height - 2 and 1 <= i < width - 2:
                    run = min(run, width - 2 - i)
                    along_run(flat[j - 1 : j + 3], 3 * (i - 1), np.float32(u - i), np.float32(a - 1.0),
                              np.float32(v - j), np.float32(d), pixel, line[: 3 * run])  # fmt: skip
                elif u == i and v == j and 0 <= i < width and 0 <= j < height:
                    # The reference frame needs no neighbours: it lies on whole pixels, up to its own border.
                    run = 1
                    line[0], line[1], line[2] = picture[j, i, 0], picture[j, i, 1], picture[j, i, 2]
                else:
                    run = 1
                    share[x - left] = 0
                for k in range(run):
                    say = share[x + k - left]
                    if say > 0:
                        weight[y, x + k] = weight[y, x + k] + parts[1] * say + parts[2]
                        for m in range(3):
                            seen = min(max(gain * line[3 * k + m], np.float32(0)), largest)
                            total[y, x + k, m] = total[y, x + k, m] + parts[0] * say * seen + parts[2]
                x += run


@numba.njit(nogil=True, cache=True)  # type: ignore[untyped-decorator]
def _own(index: Float, place: np.float32, share: Float) -> tuple[int, int]:
    """A frame's share of each pixel of a row, and from where to where it has any."""
    start, end = len(index), 0
    for k in range(len(index)):
        share[k] = np.float32(1) - abs(index[k] - place) / _HALF_BLEND
        if share[k] > 0:
            start, end = min(start, k), k + 1
    return start, end


@numba.njit(nogil=True, cache=True)  # type: ignore[untyped-decorator]
def _own_or_averaged(index: Float, calm: NDArray[np.uint8], place: np.float32, share: Float) -> tuple[int, int]:
    """The same where more frames have a share, as far as it is ``calm`` (0 to 255)."""
    start, end = len(index), 0
    for k in range(len(index)):
        reach = _HALF_BLEND + (HALF_AVERAGE - _HALF_BLEND) * np.float32(calm[k]) / np.float32(255)
        # The shares of more than two frames add up to the reach: to no more than fits.
        share[k] = (np.float32(1) - abs(index[k] - place) / reach) / max(reach, np.float32(1))
        if share[k] > 0:
            start, end = min(start, k), k + 1
    return start, end


@numba.njit(parallel=True, nogil=True, cache=True)  # type: ignore[untyped-decorator]
def _divide(
    total: NDArray[Any], weight: NDArray[Any], parts: Float, largest: np.float32, composite: NDArray[Any]
) -> None:
    unit = parts[1] / parts[0]
    for y in numba.prange(total.shape[0]):
        for x in range(total.shape[1]):
            for k in range(3):
                tone = np.rint(unit * np.float32(total[y, x, k]) / np.float32(weight[y, x]))
                composite[y, x, k] = min(max(tone, np.float32(0)), largest)
