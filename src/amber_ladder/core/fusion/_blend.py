"""Contrast blend: every pixel the average of all frames, weighted by how sharp each is there."""

from typing import Any

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import focus_energy
from amber_ladder.core.frames import FrameSource, Progress, ahead, to_grey
from amber_ladder.core.fusion._moved import barred
from amber_ladder.core.fusion._survey import Survey
from amber_ladder.core.registration import inverse_scaled, warped_picture

Float = NDArray[np.float32]

_CALM = np.float32(1e-7)
"""Energy below which nothing is sharp but noise: there all frames count alike, and noise averages away."""


def merge_blend(frames: FrameSource, found: Survey, progress: Progress) -> tuple[NDArray[Any], tuple[float, ...]]:
    """Composite (H, W, 3) in the frames' type and each used frame's share of the common area."""
    height, width = frames.shape
    total = np.zeros((height, width, 3), np.float32)
    weight = np.zeros((height, width), np.float32)
    best = np.zeros(found.surface.index.shape, np.float32)
    winner = np.zeros(best.shape, np.int16)
    largest = np.iinfo(frames.dtype).max
    # One ahead: decoding is by far the quicker.
    for place, picture in ahead(lambda at: frames.picture(found.used[at]), range(len(found.used)), most=1):
        progress("merge", place, len(found.used))
        matrix, gain = found.matrices[place], found.gains[place]
        say = _say(to_grey(picture, found.factor), matrix, gain, found.factor)
        np.copyto(winner, np.int16(place), where=say > best)
        np.maximum(best, say, out=best)
        if found.factor > 1:
            say = np.asarray(cv2.resize(say, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)
        wrong = barred(found.moved, place, (height, width))
        if wrong is not None:
            say[wrong > 0] = 0.0
        _accumulate(warped_picture(picture, matrix, gain, largest), say, total, weight)
        del picture  # before the next one is loaded
    progress("merge", len(found.used), len(found.used))
    # In place: it is as large as all else together.
    np.divide(total, weight[..., None], out=total)
    np.clip(np.rint(total, out=total), 0, largest, out=total)
    return total.astype(frames.dtype), _shares(winner, found)


def _say(grey: Float, matrix: NDArray[np.float64], gain: float, factor: int) -> Float:
    """How much a frame counts at each place of the reference frame; 0 where it does not reach."""
    energy = focus_energy(grey) * np.float32(gain**2) + _CALM
    size = (grey.shape[1], grey.shape[0])
    small = inverse_scaled(matrix, factor)
    # Squared, for energy falls slowly with defocus: the many blurred frames together must not veil the sharp one.
    return np.asarray(cv2.warpAffine(energy * energy, small, size, flags=cv2.INTER_LINEAR), np.float32)


def _shares(winner: NDArray[np.int16], found: Survey) -> tuple[float, ...]:
    x, y, w, h = (edge // found.factor for edge in found.crop)
    own = winner[y : y + max(h, 1), x : x + max(w, 1)].astype(np.int64).ravel()
    return tuple((np.bincount(own, minlength=len(found.used)) / own.size).tolist())


@numba.njit(parallel=True, nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _accumulate(picture: NDArray[Any], say: Float, total: Float, weight: Float) -> None:
    for y in numba.prange(say.shape[0]):
        for x in range(say.shape[1]):
            share = say[y, x]
            weight[y, x] += share
            for c in range(3):
                total[y, x, c] += share * picture[y, x, c]
