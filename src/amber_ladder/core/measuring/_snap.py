"""The edge nearest to a place that was clicked, to a tenth of a pixel."""

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_SIGMA_PX = 1.2
_STANDS_OUT = 3.0  # times the median gradient around it, or there is no edge


def snapped_to_edge(grey: Float, x: float, y: float, *, reach_px: float = 12.0) -> tuple[float, float] | None:
    """Where the strongest edge lies within ``reach_px`` of a place in a grey picture (H, W); None where there is none.

    The nearer of two equal ones counts. Between pixels it is where a parabola through the gradient, across the edge,
    is highest. Source: Devernay, *A Non-Maxima Suppression Method for Edge Detection with Sub-Pixel Accuracy* (1995).
    """
    border = int(np.ceil(reach_px)) + 6
    left, top = max(round(x) - border, 0), max(round(y) - border, 0)
    part = grey[top : round(y) + border + 1, left : round(x) + border + 1]
    if min(part.shape) < 5:
        return None
    soft = cv2.GaussianBlur(np.ascontiguousarray(part, np.float32), (0, 0), _SIGMA_PX)
    dx, dy = cv2.Scharr(soft, cv2.CV_32F, 1, 0), cv2.Scharr(soft, cv2.CV_32F, 0, 1)
    strength = np.hypot(dx, dy)
    rows, columns = np.mgrid[0 : part.shape[0], 0 : part.shape[1]]
    apart = np.hypot(columns + left - x, rows + top - y)
    near = (apart <= reach_px) & (rows > 1) & (columns > 1) & (rows < part.shape[0] - 2) & (columns < part.shape[1] - 2)
    if not near.any():
        return None
    wanted = np.where(near, strength * (1.0 - 0.5 * apart / reach_px), -1.0)
    row, column = np.unravel_index(int(wanted.argmax()), wanted.shape)
    if strength[row, column] < _STANDS_OUT * float(np.median(strength)) or strength[row, column] <= 0:
        return None
    across = np.array([dx[row, column], dy[row, column]]) / strength[row, column]
    before, here, after = (
        _between(strength, float(column) + side * across[0], float(row) + side * across[1]) for side in (-1, 0, 1)
    )
    bend = before - 2 * here + after
    shift = float(np.clip(0.5 * (before - after) / bend, -0.7, 0.7)) if bend < 0 else 0.0
    return float(left + column + shift * across[0]), float(top + row + shift * across[1])


def _between(plane: Float, x: float, y: float) -> float:
    return float(cv2.getRectSubPix(np.ascontiguousarray(plane), (1, 1), (x, y))[0, 0])
