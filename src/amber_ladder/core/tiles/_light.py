"""One brightness for all tiles, from what their overlaps show."""

from collections.abc import Sequence
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb
from amber_ladder.core.light import even_out, log_ratio
from amber_ladder.core.tiles._places import Overlap

Double = NDArray[np.float64]
Float = NDArray[np.float32]

_SMALL_PX = 400  # of an overlap's longer side: brightness needs no more


def even_light(composites: Sequence[NDArray[Any]], matrices: Sequence[Double], overlaps: Sequence[Overlap]) -> Double:
    """Factors (N,) of linear light that bring all tiles (H, W, 3) to the brightness of the median one."""
    ratios = []
    for one in overlaps:
        if one.match is None:
            continue
        told = log_ratio(*_both(composites, matrices, one.first, one.second))
        if told is not None:
            ratios.append((one.first, one.second, *told))
    return even_out(ratios, len(composites))


def _both(
    composites: Sequence[NDArray[Any]], matrices: Sequence[Double], first: int, second: int
) -> tuple[Float, Float]:
    """Two tiles over what both cover: linear grey, one upon the other, negative where one does not reach."""
    height, width = composites[first].shape[:2]
    size = np.array([width, height], np.float64)
    starts = [matrices[n][:, 2] for n in (first, second)]
    low = np.maximum(*starts)
    reach = np.minimum(*(start + size for start in starts)) - low
    factor = max(float(reach.max()) / _SMALL_PX, 1.0)
    shown = (max(int(reach[0] / factor), 1), max(int(reach[1] / factor), 1))
    seen = []
    for n in (first, second):
        part = composites[n]
        at = np.linalg.inv(np.vstack([matrices[n], [0, 0, 1]]))
        corner = np.clip((at @ np.array([*low, 1.0]))[:2].astype(int) - 2, 0, None)
        cut = np.ascontiguousarray(
            part[corner[1] : corner[1] + int(reach[1]) + 8, corner[0] : corner[0] + int(reach[0]) + 8]
        )
        full = np.float32(np.iinfo(cut.dtype).max)
        grey = cv2.cvtColor(cut, cv2.COLOR_RGB2GRAY).astype(np.float32) / full
        small = cv2.resize(grey, None, fx=1 / factor, fy=1 / factor, interpolation=cv2.INTER_AREA)
        matrix = matrices[n].copy()
        matrix[:, 2] += matrix[:, :2] @ corner - low
        matrix[:, 2] /= factor  # both the cut and what is shown are so many times smaller
        light = cv2.warpAffine(
            decode_srgb(np.asarray(small, np.float32)),
            matrix,
            shown,
            flags=cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=-1,
        )
        seen.append(np.asarray(light, np.float32))
    return seen[0], seen[1]
