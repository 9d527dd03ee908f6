"""Depth pick: each pixel from the frame whose depth is the surface's there.

Only the pixels that a frame gives are ever resampled, so the whole stack costs little more than one warp.
"""

from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import FrameSource, Progress, ahead
from amber_ladder.core.fusion._survey import Survey
from amber_ladder.core.registration import cubic_weights, inverse, warped_picture

_HALF_BLEND = np.float32(0.65)
"""Frames on either side blend over this distance from a pixel's depth: enough to hide seams, mostly one frame."""


def merge_select(frames: FrameSource, found: Survey, progress: Progress) -> tuple[NDArray[Any], tuple[float, ...]]:
    """Composite (H, W, 3) in the frames' type and each used frame's share of the common area."""
    height, width = frames.shape
    index = found.surface.index
    if found.factor > 1:
        index = np.asarray(cv2.resize(index, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
    index = np.clip(index, 0, len(found.used) - 1)
    total = np.zeros((height, width, 3), np.float32)
    weight = np.zeros((height, width), np.float32)
    for done, (at, picture) in enumerate(ahead(frames.picture, found.used)):
        progress("merge", done, len(found.used))
        place = found.used.index(at)
        _pick(
            picture, inverse(found.matrices[place]), np.float32(found.gains[place]),
            index, np.float32(place), total, weight,
        )  # fmt: skip
    progress("merge", len(found.used), len(found.used))
    _fill_uncovered(frames, found, total, weight)
    composite = np.empty(total.shape, frames.dtype)
    _divide(total, weight, np.float32(np.iinfo(frames.dtype).max), composite)
    return composite, _shares(index, found)


def _fill_uncovered(
    frames: FrameSource, found: Survey, total: NDArray[np.float32], weight: NDArray[np.float32]
) -> None:
    # At the edge a wanted frame may not reach: the reference frame covers everything there.
    missing = weight <= 0
    if missing.any():
        # Of a range of frames that leaves it out, the one next to it, mirrored at its border.
        place = min(range(len(found.used)), key=lambda one: abs(found.used[one] - found.reference))
        picture = frames.picture(found.used[place])
        largest = np.iinfo(frames.dtype).max
        total[missing] = warped_picture(picture, found.matrices[place], found.gains[place], largest)[missing]
        weight[missing] = 1.0


def _shares(index: NDArray[np.float32], found: Survey) -> tuple[float, ...]:
    x, y, w, h = found.crop
    nearest = np.rint(index[y : y + h, x : x + w]).astype(np.int64).ravel()
    return tuple((np.bincount(nearest, minlength=len(found.used)) / nearest.size).tolist())


@numba.njit(parallel=True, nogil=True, cache=True, fastmath=True)  # type: ignore[untyped-decorator]
def _pick(
    picture: NDArray[Any],
    to_frame: NDArray[np.float64],
    gain: np.float32,
    index: NDArray[np.float32],
    place: np.float32,
    total: NDArray[np.float32],
    weight: NDArray[np.float32],
) -> None:
    height, width = index.shape
    a, b, c = to_frame[0]
    d, e, f = to_frame[1]
    for y in numba.prange(height):
        wx = np.zeros(4, np.float32)
        wy = np.zeros(4, np.float32)
        for x in range(width):
            share = np.float32(1) - abs(index[y, x] - place) / _HALF_BLEND
            if share <= 0:
                continue
            u, v = a * x + b * y + c, d * x + e * y + f
            i, j = int(np.floor(u)), int(np.floor(v))
            if i < 1 or j < 1 or i >= width - 2 or j >= height - 2:
                # The reference frame needs no neighbours: it lies on whole pixels, up to its own border.
                if not (u == i and v == j and 0 <= i < width and 0 <= j < height):
                    continue
                for k in range(3):
                    total[y, x, k] += share * gain * picture[j, i, k]
                weight[y, x] += share
                continue
            cubic_weights(np.float32(u - i), wx)
            cubic_weights(np.float32(v - j), wy)
            red = green = blue = np.float32(0)
            for q in range(4):
                for p in range(4):
                    say = wy[q] * wx[p]
                    red += say * picture[j - 1 + q, i - 1 + p, 0]
                    green += say * picture[j - 1 + q, i - 1 + p, 1]
                    blue += say * picture[j - 1 + q, i - 1 + p, 2]
            total[y, x, 0] += share * gain * red
            total[y, x, 1] += share * gain * green
            total[y, x, 2] += share * gain * blue
            weight[y, x] += share


@numba.njit(parallel=True, nogil=True, cache=True)  # type: ignore[untyped-decorator]
def _divide(
    total: NDArray[np.float32], weight: NDArray[np.float32], largest: np.float32, composite: NDArray[Any]
) -> None:
    for y in numba.prange(total.shape[0]):
        for x in range(total.shape[1]):
            for k in range(3):
                composite[y, x, k] = min(max(np.rint(total[y, x, k] / weight[y, x]), np.float32(0)), largest)
