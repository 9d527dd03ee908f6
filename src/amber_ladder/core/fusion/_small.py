"""Pictures of all frames, small enough to keep most of them between the first look and the second."""

from threading import Lock

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import FrameSource

Float = NDArray[np.float32]

_MOST_PX = 400_000
_NEVER_SHRUNK_PX = 150_000  # below this there are too few pixels to spare any
_KEPT_BYTES = 64_000_000
_FULL = np.float32(65535)


class SmallPictures:
    """What the second look sees of each frame: ``shrink`` times smaller than in the first, which shrinks by ``factor``.

    Kept while there is room; what is not is made again from the frame, to the same numbers. Safe from several threads.
    """

    def __init__(self, frames: FrameSource, factor: int) -> None:
        self._frames, self._factor = frames, factor
        self._kept: dict[int, NDArray[np.uint16]] = {}
        self._bytes, self._lock = 0, Lock()
        pixels = -(-frames.shape[0] // factor) * -(-frames.shape[1] // factor)
        self.shrink = 2 if pixels > _NEVER_SHRUNK_PX else 1
        while pixels / self.shrink**2 > _MOST_PX:
            self.shrink *= 2

    def keep(self, index: int, grey: Float) -> None:
        """A frame as the first look has it, grey (H, W) from 0 to 1."""
        small = self._stored(grey)
        with self._lock:
            if self._bytes + small.nbytes <= _KEPT_BYTES:
                self._kept[index] = small
                self._bytes += small.nbytes

    def grey(self, index: int) -> Float:
        """A frame's small picture (H, W), 0 to 1; what is left over at its end is cut off."""
        small = self._kept.get(index)
        if small is None:
            small = self._stored(self._frames.grey(index, self._factor))
        return np.multiply(small, np.float32(1) / _FULL, dtype=np.float32)

    def _stored(self, grey: Float) -> NDArray[np.uint16]:
        return np.asarray(np.rint(shrunk(grey, self.shrink) * _FULL), np.uint16)


def shrunk(plane: Float, factor: int) -> Float:
    """A plane (H, W) averaged over ``factor`` × ``factor`` px; what is left over at its end is cut off."""
    if factor == 1:
        return plane
    rows, columns = plane.shape[0] // factor, plane.shape[1] // factor
    whole = plane[: rows * factor, : columns * factor]
    return np.asarray(cv2.resize(whole, (columns, rows), interpolation=cv2.INTER_AREA), np.float32)
