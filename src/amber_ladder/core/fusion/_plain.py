"""Where nothing is sharp in any frame: there frames differ in their noise alone, and are averaged."""

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.depth import noise_peak
from amber_ladder.core.fusion._survey import Survey

HALF_AVERAGE = np.float32(2.5)
"""Distance in frames from the surface at which one has no share in the average: that of five halves the noise."""

_PEAK_PX, _BEYOND_NOISE = 9, 0.3  # once in a hundred places is too often here: each keeps all around it from averaging
_MARGIN_PX, _SOFT_PX = 10, 4.0  # of the surface


def nothing_sharp(found: Survey) -> NDArray[np.uint8]:
    """255 where no frame shows anything sharp so near that it spreads there a few frames on, (H, W of the surface).

    There frames differ in their noise alone. 0 everywhere if it is not known how fast blur grows, and where things
    moved.
    """
    shape = found.surface.index.shape
    if found.blur_px is None:
        return np.zeros(shape, np.uint8)
    seen = cv2.blur(found.confidence, (_PEAK_PX, _PEAK_PX)) > noise_peak(len(found.used)) + _BEYOND_NOISE
    sharp = cv2.morphologyEx(seen.astype(np.uint8), cv2.MORPH_OPEN, np.ones((3, 3), np.uint8))
    for one in found.moved:
        np.logical_or(sharp, one.mask, out=sharp, casting="unsafe")
    spread = round(float(HALF_AVERAGE) * found.blur_px / found.factor) + _MARGIN_PX
    calm = np.uint8(1) - cv2.dilate(np.asarray(sharp, np.uint8), np.ones((2 * spread + 1, 2 * spread + 1), np.uint8))
    return np.asarray(cv2.GaussianBlur(calm * np.uint8(255), (0, 0), _SOFT_PX), np.uint8)
