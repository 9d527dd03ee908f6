"""The eight ways in which a camera may lie, as EXIF tells them."""

from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray


def upright(picture: NDArray[Any], orientation: int) -> NDArray[Any]:
    """A picture (H, W, 3) turned and mirrored as EXIF's orientation flag (1 to 8) says."""
    if orientation in (2, 4):
        return np.asarray(cv2.flip(picture, 1 if orientation == 2 else 0))
    if orientation in (5, 7):
        turned = cv2.transpose(picture)
        return np.asarray(turned if orientation == 5 else cv2.flip(turned, -1))
    turns = {3: cv2.ROTATE_180, 6: cv2.ROTATE_90_CLOCKWISE, 8: cv2.ROTATE_90_COUNTERCLOCKWISE}
    return np.asarray(cv2.rotate(picture, turns[orientation])) if orientation in turns else picture


def as_it_lies(x: int, y: int, size_px: tuple[int, int], orientation: int) -> tuple[int, int]:
    """Px of a frame as it lies in its file (``size_px`` wide and high), from px of the same frame upright."""
    right, bottom = size_px[0] - 1, size_px[1] - 1
    return {
        1: (x, y), 2: (right - x, y), 3: (right - x, bottom - y), 4: (x, bottom - y),
        5: (y, x), 6: (y, bottom - x), 7: (right - y, bottom - x), 8: (right - y, x),
    }[orientation]  # fmt: skip
