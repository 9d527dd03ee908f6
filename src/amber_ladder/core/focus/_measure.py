"""The focus measure: local energy of a modified Laplacian (Nayar & Nakagawa 1994)."""

import cv2
import numpy as np
from numpy.typing import NDArray

_FINEST_PX = 0.8  # blur before the second derivative; below it there is noise but no optical detail
_WINDOW_PX = 2.2  # over which energy is averaged; smaller keeps hairs, larger is calmer
_WIDE_PX = 13  # of that average: what lies farther away counts 1 % or less
_STRIP_PX, _HALO_PX = 128, 16  # the halo holds all that the kernels reach


def focus_energy(grey: NDArray[np.float32]) -> NDArray[np.float32]:
    """Energy of fine detail around each pixel of a grey picture (H, W), 0 to 1; same shape, never negative.

    The squares of both second derivatives are added, not their sum squared, so that detail in one direction
    does not cancel that in the other.
    """
    energy = np.empty_like(grey)
    # In strips that stay within a processor's own memory.
    for top in range(0, len(grey), _STRIP_PX):
        start = max(top - _HALO_PX, 0)
        strip = _energy(grey[start : top + _STRIP_PX + _HALO_PX])
        energy[top : top + _STRIP_PX] = strip[top - start : top - start + _STRIP_PX]
    return energy


def _energy(grey: NDArray[np.float32]) -> NDArray[np.float32]:
    calm = cv2.GaussianBlur(grey, (0, 0), _FINEST_PX)
    across = cv2.Sobel(calm, cv2.CV_32F, 2, 0, ksize=3, scale=0.25)
    down = cv2.Sobel(calm, cv2.CV_32F, 0, 2, ksize=3, scale=0.25)
    energy = cv2.multiply(across, across)
    cv2.accumulateSquare(down, energy)
    return np.asarray(cv2.GaussianBlur(energy, (_WIDE_PX, _WIDE_PX), _WINDOW_PX), np.float32)
