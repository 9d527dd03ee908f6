"""Auto: depth pick where the surface is steady, pyramid where it breaks off and hairs cross."""

from collections.abc import Iterator
from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.depth import breaks
from amber_ladder.core.frames import FrameSource, Progress, ahead, is_large
from amber_ladder.core.fusion._plain import nothing_sharp
from amber_ladder.core.fusion._pyramid import Pyramid
from amber_ladder.core.fusion._select import DepthPick
from amber_ladder.core.fusion._survey import Survey

_LEAST_PX = 1000  # of a break in one piece, windows included: glints and noise make smaller ones, on steady surfaces
_WIDER_PX, _SOFT_PX = 5, 3.0  # of the surface: the pyramid reaches a little beyond a break, and fades out
_INVISIBLE = 1 / 256


def merge_auto(
    frames: FrameSource, found: Survey, window_px: float, calm: float, progress: Progress
) -> tuple[NDArray[Any], tuple[float, ...], float]:
    """Composite (H, W, 3), each used frame's share of the common area, and how much of that the pyramid gave."""
    broken = cv2.dilate(_broken(found.surface.index), np.ones((_WIDER_PX, _WIDER_PX)))
    small = np.asarray(cv2.GaussianBlur(broken, (0, 0), _SOFT_PX), np.float32)
    small *= np.float32(1) - nothing_sharp(found) / np.float32(255)
    small[small < _INVISIBLE] = 0
    x, y, width, height = (edge // found.factor for edge in found.crop)
    given = float(small[y : y + max(height, 1), x : x + max(width, 1)].mean())
    size = (frames.shape[1], frames.shape[0])
    count = len(found.used)
    # What is summed up for both ways is a multiple of a frame: of large ones one way after the other is worked out.
    rounds = 2 if given > 0 and is_large(frames) else 1

    def each(after: int) -> Iterator[tuple[int, NDArray[Any]]]:
        # One ahead: decoding is by far the quicker.
        most = 0 if is_large(frames) else 1
        for place, picture in ahead(lambda at: frames.picture(found.used[at]), range(count), most=most):
            progress("merge", after + place, rounds * count)
            yield place, picture
            del picture  # before the next one is loaded

    pick = DepthPick(found, frames.shape, frames.dtype)
    pyramid = _pyramid(frames, found, window_px, calm, small) if given > 0 and rounds == 1 else None
    for place, picture in each(0):
        pick.add(place, picture)
        if pyramid:
            pyramid.add(place, picture)
        del picture
    picked, shares = pick.picture(frames), pick.shares()
    del pick  # what it was summed from is no smaller than the pyramid
    if rounds == 2:
        pyramid = _pyramid(frames, found, window_px, calm, small)
        for place, picture in each(count):
            pyramid.add(place, picture)
            del picture
    progress("merge", rounds * count, rounds * count)
    if pyramid is None:
        return picked, shares, 0.0
    _mix(picked, pyramid.picture(), np.asarray(cv2.resize(small, size, interpolation=cv2.INTER_LINEAR), np.float32))
    mixed = tuple((1.0 - given) * one + given * two for one, two in zip(shares, pyramid.shares(), strict=True))
    return picked, mixed, given


def _broken(index: NDArray[np.float32]) -> NDArray[np.float32]:
    """1 where a complete surface (H, W) in frames breaks off along something that has a length, else 0."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(breaks(index).astype(np.uint8))
    long = stats[:, cv2.CC_STAT_AREA] >= _LEAST_PX
    long[0] = False  # what is not broken
    return np.asarray(long[labels], np.float32)


def _pyramid(frames: FrameSource, found: Survey, window_px: float, calm: float, small: NDArray[np.float32]) -> Pyramid:
    wanted = (small > 0).astype(np.uint8)
    return Pyramid(found, frames.shape, frames.dtype, window_px, calm, wanted)


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _mix(picked: NDArray[Any], crossed: NDArray[Any], say: NDArray[np.float32]) -> None:
    for y in numba.prange(picked.shape[0]):
        for x in range(picked.shape[1]):
            if say[y, x] > 0:
                for k in range(3):
                    one, two = np.float32(picked[y, x, k]), np.float32(crossed[y, x, k])
                    picked[y, x, k] = np.rint(one + say[y, x] * (two - one))
