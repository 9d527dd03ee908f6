"""Where a surface breaks off: the depth of one side is not that of the other."""

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_AROUND_PX = 13
_SPREAD_FRAMES = 0.8  # of depth within that: a steady slope of one frame in 5 px stays below
_MEDIANS = 3  # of 5 px, one after the other: points of glitter go, hairs of 8 px stay


def breaks(index: Float) -> NDArray[np.bool_]:
    """Where a complete surface (H, W) in frames jumps, and what lies within 6 px of that."""
    calm = index
    for _ in range(_MEDIANS):
        calm = np.asarray(cv2.medianBlur(calm, 5), np.float32)
    size = (_AROUND_PX, _AROUND_PX)
    mean = cv2.blur(calm, size)
    return np.asarray(cv2.blur(calm * calm, size) - mean * mean > _SPREAD_FRAMES**2, np.bool_)
