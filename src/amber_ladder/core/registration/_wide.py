"""Wide Gaussian blurs at the price of narrow ones."""

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_LEAST_PX = 2.0  # of the small copy's own blur: with 1.2 the blur of a step came out 8 % too small


def wide_blur(plane: Float, sigma_px: float) -> Float:
    """A plane (H, W) blurred by ``sigma_px``, on a copy as small as the blur allows (Burt 1981).

    Averaging n × n pixels has a variance of (n² − 1) / 12, and linear interpolation back one of n² / 6: both are taken
    off. Within 2 % of the plane's spread of the blur at full size; the border is mirrored.
    """
    height, width = plane.shape
    small = 1
    while min(height, width) >= 16 * small and _left(sigma_px, 2 * small) >= _LEAST_PX:
        small *= 2
    if small == 1:
        return np.asarray(cv2.GaussianBlur(plane, (0, 0), sigma_px, borderType=cv2.BORDER_REFLECT), np.float32)
    copy = cv2.resize(plane, (-(-width // small), -(-height // small)), interpolation=cv2.INTER_AREA)
    calm = cv2.GaussianBlur(copy, (0, 0), _left(sigma_px, small), borderType=cv2.BORDER_REFLECT)
    return np.asarray(cv2.resize(calm, (width, height), interpolation=cv2.INTER_LINEAR), np.float32)


def _left(sigma_px: float, small: int) -> float:
    """The blur that is left to do on a copy so many times smaller, in its px."""
    return float(np.sqrt(max(sigma_px**2 - (small**2 - 1) / 12 - small**2 / 6, 0.0))) / small
