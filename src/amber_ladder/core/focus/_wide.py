"""Focus over a wider window, for places whose fine detail is no stronger than noise."""

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

WIDE = 4
"""How much smaller than the fine one the wider energy is."""

_WINDOW_PX = 1.75  # of the smaller size: four times as wide as the fine one's


def wide_energy(energy: Float) -> Float:
    """Focus energy (H, W) as a window four times as wide sees it, (H // 4, W // 4).

    It is the square of the mean amplitude: of an edge and what lies beside it, energy would tell the edge alone.
    """
    height, width = (max(edge // WIDE, 1) for edge in energy.shape)
    whole = np.sqrt(energy[: height * WIDE, : width * WIDE])
    small = cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA)
    calm = cv2.GaussianBlur(small, (0, 0), _WINDOW_PX)
    return np.asarray(calm * calm, np.float32)


def widened(plane: Float, shape: tuple[int, int]) -> Float:
    """What was told of the wider energy (H // 4, W // 4), at the ``shape`` (H, W) of the fine one."""
    height, width = (edge * WIDE for edge in plane.shape)
    large = cv2.resize(plane, (width, height), interpolation=cv2.INTER_LINEAR)[: shape[0], : shape[1]]
    below, right = shape[0] - large.shape[0], shape[1] - large.shape[1]
    return np.asarray(cv2.copyMakeBorder(large, 0, below, 0, right, cv2.BORDER_REPLICATE), np.float32)
