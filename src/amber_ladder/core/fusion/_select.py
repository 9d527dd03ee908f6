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
from amber_ladder.core.registration import along_run, inverse, one_pixel, steady_run

Float = NDArray[np.float32]

_STRETCH_PX = 16  # of a row, in which a frame may have no part
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
        # To a 64th of a frame, in half the memory; of more than a thousand frames to a 32nd, and so on.
        self._unit = np.float32(2.0 ** max(-6, np.ceil(np.log2(len(found.used) / 65536))))
        self._index = np.rint(np.clip(index, 0, len(found.used) - 1) / self._unit).astype(np.uint16)
        calm = nothing_sharp(found)
        self._calm = np.asarray(cv2.resize(calm, shape[::-1], interpolation=cv2.INTER_LINEAR), np.uint8)
        stretches = (shape[0], -(-shape[1] // _STRETCH_PX))
        self._lowest, self._highest = np.empty(stretches, np.float32), np.empty(stretches, np.float32)
        _extremes(self._index, self._unit, self._calm, self._lowest, self._highest)
        # Of 8 bits in fixed point, which halves the memory.
        store, self._parts = (np.uint16, _FIXED) if dtype == np.uint8 else (np.float32, _FLOATING)
        self._total, self._weight = np.zeros((*shape, 3), store), np.zeros(shape, store)

    def add(self, place: int, picture: NDArray[Any]) -> None:
        """The used frame at a place: RGB (H, W, 3)."""
        _pick(
            picture, inverse(self._found.matrices[place]), np.float32(self._found.gains[place]), self._index,
            self._unit, self._calm, np.float32(place), self._lowest, self._highest, self._parts, self._largest,
            self._total, self._weight,
        )  # fmt: skip

    def picture(self, frames: FrameSource) -> NDArray[Any]:
        """The composite (H, W, 3) in the frames' type."""
        self._fill_uncovered(frames)
        composite = np.empty(self._total.shape, self._dtype)
        _divide(self._total, self._weight, self._parts, self._largest, composite)
        return composite

    def _fill_uncovered(self, frames: FrameSource) -> None:
        # At the edge a wanted frame may not reach: the reference frame covers everything there.
        found = self._found
        if self._weight.min() <= 0:
            # Of a range of frames that leaves it out, the one next to it, mirrored at its border.
            place = min(range(len(found.used)), key=lambda one: abs(found.used[one] - found.reference))
            picture = frames.picture(found.used[place])
            gain = np.float32(found.gains[place])
            _fill(picture, inverse(found.matrices[place]), gain, self._parts, self._largest, self._total, self._weight)

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


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _extremes(
    index: NDArray[np.uint16], unit: np.float32, calm: NDArray[np.uint8], lowest: Float, highest: Float
) -> None:
    """How near and how far a frame may lie that has a part in each stretch (rows, stretches)."""
    height, width = index.shape
    for y in numba.prange(height):
        for stretch in range(lowest.shape[1]):
            low, high, calmest = np.uint16(65535), np.uint16(0), np.uint8(0)
            for x in range(stretch * _STRETCH_PX, min((stretch + 1) * _STRETCH_PX, width)):
                low, high, calmest = min(low, index[y, x]), max(high, index[y, x]), max(calmest, calm[y, x])
            reach = _reach(calmest)
            lowest[y, stretch], highest[y, stretch] = unit * low - reach, unit * high + reach


@numba.njit(nogil=True, cache=True, error_model="numpy", inline="always")  # type: ignore[untyped-decorator]
def _reach(calm: np.uint8) -> np.float32:
    """From what distance on a frame has no share; ``calm`` is 0 to 255."""
    return _HALF_BLEND + (HALF_AVERAGE - _HALF_BLEND) * np.float32(calm) / np.float32(255)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _pick(
    picture: NDArray[Any],
    to_frame: NDArray[np.float64],
    gain: np.float32,
    index: NDArray[np.uint16],
    unit: np.float32,
    calm: NDArray[np.uint8],
    place: np.float32,
    lowest: Float,
    highest: Float,
    parts: Float,
    largest: np.float32,
    total: NDArray[Any],
    weight: NDArray[Any],
) -> None:
    """Add a frame's part to the stretches of each row in which it has any."""
    height, width = index.shape
    a, b, c = to_frame[0]
    d, e, f = to_frame[1]
    flat, flat_total = picture.reshape(height, 3 * width), total.reshape(height, 3 * width)
    pixel = (np.arange(3 * width) // 3).astype(np.float32)
    for y in numba.prange(height):
        line, share = np.empty(3 * width, np.float32), np.empty(width, np.float32)
        thrice = np.empty(3 * width, np.float32)
        stretch, stretches = 0, lowest.shape[1]
        while stretch < stretches:
            if not lowest[y, stretch] < place < highest[y, stretch]:
                stretch += 1
                continue
            x = stretch * _STRETCH_PX
            while stretch < stretches and lowest[y, stretch] < place < highest[y, stretch]:
                stretch += 1
            end = min(stretch * _STRETCH_PX, width)
            _shares_along(index[y, x:end], unit, calm[y, x:end], place, share[x:end])
            while end > x and share[end - 1] <= 0:
                end -= 1
            while x < end and share[x] <= 0:
                x += 1
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
                    # A share of nothing adds nothing, but of what was never written it may be no number at all.
                    run = 1
                    share[x] = line[0] = line[1] = line[2] = 0
                own = share[x : x + run]
                _add_weight(own, parts[1], parts[2], weight[y, x : x + run])
                for k in range(run):
                    thrice[3 * k] = thrice[3 * k + 1] = thrice[3 * k + 2] = own[k]
                _add_tones(
                    line[: 3 * run],
                    thrice[: 3 * run],
                    gain,
                    largest,
                    parts[0],
                    parts[2],
                    flat_total[y, 3 * x : 3 * (x + run)],
                )
                x += run


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _fill(
    picture: NDArray[Any], to_frame: NDArray[np.float64], gain: np.float32, parts: Float, largest: np.float32,
    total: NDArray[Any], weight: NDArray[Any],
) -> None:  # fmt: skip
    """Take from this one frame what no other gave."""
    a, b, c = to_frame[0]
    d, e, f = to_frame[1]
    for y in numba.prange(weight.shape[0]):
        own = np.empty(3, picture.dtype)
        for x in range(weight.shape[1]):
            if weight[y, x] > 0:
                continue
            one_pixel(picture, a * x + b * y + c, d * x + e * y + f, gain, largest, own)
            weight[y, x] = parts[1]
            for k in range(3):
                total[y, x, k] = own[k] * parts[0]


# Plain loops without a branch are computed for several pixels at once. A share of nothing adds nothing.
@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_weight(share: Float, unit: np.float32, rounds: np.float32, weight: NDArray[Any]) -> None:
    for k in range(len(share)):
        weight[k] = np.float32(weight[k]) + unit * share[k] + rounds


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_tones(
    line: Float, share: Float, gain: np.float32, largest: np.float32, unit: np.float32, rounds: np.float32,
    total: NDArray[Any],
) -> None:  # fmt: skip
    for m in range(len(line)):
        seen = min(max(gain * line[m], np.float32(0)), largest)
        total[m] = np.float32(total[m]) + unit * share[m] * seen + rounds


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _shares_along(
    index: NDArray[np.uint16], unit: np.float32, calm: NDArray[np.uint8], place: np.float32, share: Float
) -> None:
    """A frame's share of each pixel of a row; where it is ``calm`` (0 to 255) more frames have one."""
    one, none = np.float32(1), np.float32(0)
    for k in range(len(index)):
        reach = _reach(calm[k])
        # The shares of more than two frames add up to the reach: to no more than fits.
        share[k] = max(one - abs(unit * np.float32(index[k]) - place) / reach, none) / max(reach, one)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _divide(
    total: NDArray[Any], weight: NDArray[Any], parts: Float, largest: np.float32, composite: NDArray[Any]
) -> None:
    unit = parts[1] / parts[0]
    for y in numba.prange(total.shape[0]):
        for x in range(total.shape[1]):
            for k in range(3):
                tone = np.rint(unit * np.float32(total[y, x, k]) / np.float32(weight[y, x]))
                composite[y, x, k] = min(max(tone, np.float32(0)), largest)
