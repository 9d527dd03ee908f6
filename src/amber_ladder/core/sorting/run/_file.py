"""A readable file of a run, with all that is known of it before takes are told apart."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.sorting.run._look import Look
from amber_ladder.core.sorting.run._pair import Against

Float = NDArray[np.float32]


@dataclass(frozen=True, slots=True)
class SeenFile:
    """A file in its place in the run. ``against`` is how it lies against the readable file before it, None for the

    first or where sizes differ. ``exposure`` is what the camera noted (s, f-number, ISO), None where it noted nothing.
    ``digest`` stands for the content.
    """

    name: str
    folder: str
    width_px: int
    height_px: int
    bits: int
    captured_at: datetime | None
    exposure: tuple[float, float, int] | None
    digest: bytes
    look: Look
    against: Against | None

    @property
    def form(self) -> tuple[int, int, int]:
        """What frames of one stack share."""
        return self.width_px, self.height_px, self.bits

    @property
    def level(self) -> float:
        """Middle light, in stops below white."""
        return float(np.median(self.look.cells))


def thumbs_alike(one: SeenFile, two: SeenFile, *, calm_px: float = 1.0) -> float:
    """Correlation of two tiny pictures, −1 to 1, of any two files; ``calm_px`` blurs away how they were focused."""
    first, second = (_calmed(file, calm_px) for file in (one, two))
    return float((first * second).sum() / np.sqrt((first * first).sum() * (second * second).sum() + 1e-6))


def _calmed(file: SeenFile, calm_px: float) -> Float:
    calm = cv2.GaussianBlur(np.asarray(file.look.thumb, np.float32), (0, 0), calm_px)
    return np.asarray(calm - calm.mean(), np.float32)


def details(files: Sequence[SeenFile]) -> Float:
    """Detail of each file's tiles, (N, rows, columns)."""
    return np.stack([file.look.detail for file in files])
