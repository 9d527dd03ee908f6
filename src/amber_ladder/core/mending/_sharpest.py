"""Which frame shows a place best: the detail of every frame, cell by cell, kept small enough to be asked at once."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import focus_energy
from amber_ladder.core.frames import to_grey
from amber_ladder.core.mending._brush import Float, Point
from amber_ladder.core.mending._patch import Source

CELL_PX = 8
"""Side of a cell: as fine as a brush can aim."""
_FADES = 0.5  # of the brush's radius: what lies in the middle counts most


@dataclass(frozen=True, slots=True)
class Sharpness:
    """A frame by its place, and how much detail it shows somewhere, as a share of what the best one shows."""

    place: int
    figure: float


def detail_of(source: Source, shape: tuple[int, int]) -> NDArray[np.float16]:
    """Detail of a frame, laid on a composite of this ``shape`` (H, W): root mean energy of each cell (h, w).

    Zero where the frame shows nothing.
    """
    grey = np.asarray(to_grey(source.picture, 1) * np.float32(source.gain), np.float32)
    height, width = (-(-side // CELL_PX) for side in grey.shape)
    energy = focus_energy(np.pad(grey, ((0, -grey.shape[0] % CELL_PX), (0, -grey.shape[1] % CELL_PX)), mode="edge"))
    small = energy.reshape(height, CELL_PX, width, CELL_PX).mean(axis=(1, 3))
    # The middle of a cell lies at 8 c + 3.5: the frame's matrix, seen from cells to cells.
    middle = (CELL_PX - 1) / 2
    matrix = source.matrix.copy()
    matrix[:, 2] = (source.matrix[:, :2] @ np.array([middle, middle]) + source.matrix[:, 2] - middle) / CELL_PX
    size = (-(-shape[1] // CELL_PX), -(-shape[0] // CELL_PX))
    return np.asarray(np.sqrt(cv2.warpAffine(small, matrix, size, flags=cv2.INTER_LINEAR)), np.float16)


def sharpest(
    details: Sequence[NDArray[Any]] | NDArray[Any], at: Point, radius_px: float, *, most: int = 4
) -> list[Sharpness]:
    """The frames that show most detail about a point (x, y) of the composite, the best first; at most so many.

    ``details`` (N, h, w) are the frames' (see :func:`detail_of`). Empty where none shows any.
    """
    height, width = details[0].shape
    x, y = (one / CELL_PX - (CELL_PX - 1) / (2 * CELL_PX) for one in at)
    reach = max(1, int(np.ceil(radius_px / CELL_PX)))
    left, top = (int(np.clip(round(one) - reach, 0, side - 1)) for one, side in ((x, width), (y, height)))
    right, bottom = (int(np.clip(round(one) + reach + 1, 1, side)) for one, side in ((x, width), (y, height)))
    columns, rows = np.arange(left, max(right, left + 1)), np.arange(top, max(bottom, top + 1))[:, None]
    away = ((columns - x) ** 2 + (rows - y) ** 2) * CELL_PX**2
    weight = np.exp(-away / (2 * max(_FADES * radius_px, CELL_PX / 2) ** 2)).astype(np.float32)
    part = np.s_[top : max(bottom, top + 1), left : max(right, left + 1)]
    energy: Float = np.array(
        [(np.square(one[part].astype(np.float32)) * weight).sum() for one in details], np.float32
    )  # fmt: skip
    order = np.argsort(-energy, kind="stable")[:most]
    best = energy[order[0]]
    return [Sharpness(int(one), float(np.sqrt(energy[one] / best))) for one in order] if best > 0 else []
