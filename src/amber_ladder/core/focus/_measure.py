"""The focus measure: local energy of a modified Laplacian (Nayar & Nakagawa 1994)."""

import cv2
import numpy as np
from numpy.typing import NDArray

_FINEST_PX = 0.8  # blur before the second derivative; below it there is noise but no optical detail
_WINDOW_PX = 2.2  # over which energy is averaged; smaller keeps hairs, larger is calmer


def focus_energy(grey: NDArray[np.float32]) -> NDArray[np.float32]:
    """Energy of fine detail around each pixel of a grey picture (H, W), 0 to 1; same shape, never negative.

    The squares of both second derivatives are added, not their sum squared, so that detail in one direction
    does not cancel that in the other.
    """
    calm = cv2.GaussianBlur(grey, (0, 0), _FINEST_PX)
    across = cv2.Sobel(calm, cv2.CV_32F, 2, 0, ksize=3, scale=0.25)
    down = cv2.Sobel(calm, cv2.CV_32F, 0, 2, ksize=3, scale=0.25)
    energy = cv2.multiply(across, across)
    cv2.accumulateSquare(down, energy)
    return np.asarray(cv2.GaussianBlur(energy, (0, 0), _WINDOW_PX), np.float32)
