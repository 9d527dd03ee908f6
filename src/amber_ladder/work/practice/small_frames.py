"""A few small frames in memory, as the merge wants them."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import to_grey


class SmallFrames:
    """Frames of one size (H, W, 3), RGB of 8 bits, nearest first."""

    def __init__(self, pictures: list[NDArray[np.uint8]]) -> None:
        self._pictures = pictures
        self.names = tuple(f"rung {number}" for number in range(len(pictures)))
        self.shape: tuple[int, int] = (pictures[0].shape[0], pictures[0].shape[1])
        self.dtype: np.dtype[Any] = np.dtype(np.uint8)

    def picture(self, index: int) -> NDArray[Any]:
        """RGB, (H, W, 3)."""
        return self._pictures[index]

    def grey(self, index: int, factor: int) -> NDArray[np.float32]:
        """Grey, so many times smaller, 0 to 1."""
        return to_grey(self._pictures[index], factor)
