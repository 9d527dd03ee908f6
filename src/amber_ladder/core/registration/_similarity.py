"""Similarities of the plane as 2×3 matrices: x' = A x + t, pixel centres at whole numbers."""

import cv2
import numpy as np
from numpy.typing import NDArray

Matrix = NDArray[np.float64]

IDENTITY: Matrix = np.array([[1.0, 0.0, 0.0], [0.0, 1.0, 0.0]])


def compose(outer: Matrix, inner: Matrix) -> Matrix:
    """The map that applies ``inner`` first, then ``outer``."""
    return np.column_stack([outer[:, :2] @ inner[:, :2], outer[:, :2] @ inner[:, 2] + outer[:, 2]])


def inverse(matrix: Matrix) -> Matrix:
    """The map back."""
    back = np.linalg.inv(matrix[:, :2])
    return np.column_stack([back, -back @ matrix[:, 2]])


def scale_of(matrix: Matrix) -> float:
    """Relative size after the map: the square root of its determinant."""
    return float(np.sqrt(np.linalg.det(matrix[:, :2])))


def rescaled(matrix: Matrix, factor: float) -> Matrix:
    """The same map between pictures ``factor`` times as large, found on the small ones."""
    # Averaging f × f pixels puts the small pixel's centre at (f − 1) / 2 of the large grid.
    offset = (factor - 1.0) / 2.0
    small = np.array([[1 / factor, 0.0, -offset / factor], [0.0, 1 / factor, -offset / factor]])
    return compose(inverse(small), compose(matrix, small))


def inverse_scaled(matrix: Matrix, factor: float) -> Matrix:
    """The same map between pictures ``factor`` times smaller, found on the large ones."""
    return rescaled(matrix, 1.0 / factor)


def shared_rectangle(matrices: list[Matrix], shape: tuple[int, int]) -> tuple[int, int, int, int]:
    """Largest upright rectangle of reference px that every frame covers: x, y, width, height.

    ``matrices`` map frame px to reference px; ``shape`` is the frames' height and width. Width or height is 0
    when the frames share nothing. A border of 2 px is left out, where interpolation has no neighbours.
    """
    height, width = shape
    scale = max(1.0, max(shape) / 1024.0)
    rows, columns = int(height / scale), int(width / scale)
    covered = np.full((rows, columns), 255, np.uint8)
    corners = np.array([[2, 2], [width - 3, 2], [width - 3, height - 3], [2, height - 3]], np.float64)
    for matrix in matrices:
        quad = (corners @ matrix[:, :2].T + matrix[:, 2]) / scale
        # fillConvexPoly colours every pixel it touches; the shrinking below takes that back.
        inside = np.zeros_like(covered)
        cv2.fillConvexPoly(inside, np.rint(quad * 16).astype(np.int32), 255, cv2.LINE_8, 4)
        covered &= inside
    inner = cv2.erode(covered, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=255)
    x, y, w, h = _largest_rectangle(np.asarray(inner) > 0)
    if w == 0 or h == 0:
        return 0, 0, 0, 0
    left, top = int(np.ceil(x * scale)), int(np.ceil(y * scale))
    return left, top, min(int(w * scale), width - left), min(int(h * scale), height - top)


def _largest_rectangle(mask: NDArray[np.bool_]) -> tuple[int, int, int, int]:
    """Largest upright rectangle of True: x, y, width, height.

    Where all frames meet is convex, so a rectangle between two columns fits if it does at those two: all pairs of
    columns are tried at once.
    """
    filled = mask.any(axis=0)
    top = np.where(filled, mask.argmax(axis=0), mask.shape[0])
    bottom = np.where(filled, mask.shape[0] - mask[::-1].argmax(axis=0), 0)
    heights = np.minimum.outer(bottom, bottom) - np.maximum.outer(top, top)
    columns = np.arange(mask.shape[1])
    widths = columns[None, :] - columns[:, None] + 1
    area = np.where((heights > 0) & (widths > 0), heights * widths, 0)
    left, right = np.unravel_index(int(area.argmax()), area.shape)
    if area[left, right] == 0:
        return 0, 0, 0, 0
    return int(left), int(max(top[left], top[right])), int(widths[left, right]), int(heights[left, right])
