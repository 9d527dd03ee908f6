"""Which part of a whole is covered without a notch: what is shown and handed out of it."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.tiles._laid import Box, Double, bounds

_CELLS = 800  # along the longer side
_LEAST = 0.85  # of what is covered: tiles that form no rectangle are shown whole, with their notches


def inner_box(matrices: Sequence[Double], boxes: Sequence[Box]) -> Box:
    """The largest rectangle (x, y, width, height) that tiles cover wholly, px of the whole from its own corner.

    Where such a rectangle would leave much away, because a tile is missing, all of the whole.
    """
    left, top, width, height = bounds(matrices, boxes)
    cell = max(width, height) / min(_CELLS, max(width, height))
    covered = np.zeros((int(height / cell) + 1, int(width / cell) + 1), np.uint8)
    for matrix, (x, y, wide, high) in zip(matrices, boxes, strict=True):
        corners = np.array([[x, y], [x + wide, y], [x + wide, y + high], [x, y + high]], np.float64)
        at = (corners @ matrix[:, :2].T + matrix[:, 2] - [left, top]) / cell
        cv2.fillConvexPoly(covered, np.rint(at * 16).astype(np.int32), 1, cv2.LINE_8, 4)
    # A cell at the border is covered in part: the next one is whole.
    inner = cv2.erode(covered, np.ones((3, 3), np.uint8), borderType=cv2.BORDER_CONSTANT, borderValue=0)
    found = _largest(inner.astype(bool))
    if found[2] * found[3] < _LEAST * covered.sum():
        return 0, 0, width, height
    x, y = (int(np.ceil(one * cell)) for one in found[:2])
    return x, y, min(int((found[2] - 1) * cell), width - x), min(int((found[3] - 1) * cell), height - y)


def _largest(covered: NDArray[np.bool_]) -> tuple[int, int, int, int]:
    """The largest rectangle of covered cells: for every row the heights above it, and the widest run under each."""
    heights = np.zeros(covered.shape[1] + 1, np.int64)  # the last ends every run
    best = (0, 0, 0, 0)
    for row in range(covered.shape[0]):
        heights[:-1] = np.where(covered[row], heights[:-1] + 1, 0)
        open_runs: list[tuple[int, int]] = []
        for column, height in enumerate(heights.tolist()):
            start = column
            while open_runs and open_runs[-1][1] >= height:
                start, tall = open_runs.pop()
                if tall * (column - start) > best[2] * best[3]:
                    best = (start, row - tall + 1, column - start, tall)
            open_runs.append((start, height))
    return best
