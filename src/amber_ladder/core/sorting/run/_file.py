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

    first or where sizes differ. ``exposure`` is what the camera noted (s, f-number, ISO), ``focus_m`` the distance at
    which it noted its focus, None where it noted nothing.
    """

    name: str
    folder: str
    width_px: int
    height_px: int
    bits: int
    captured_at: datetime | None
    exposure: tuple[float, float, int] | None
    look: Look
    against: Against | None
    focus_m: float | None = None

    @property
    def form(self) -> tuple[int, int, int]:
        """What frames of one stack share."""
        return self.width_px, self.height_px, self.bits

    @property
    def digest(self) -> bytes:
        """The same for the same picture, and for no other."""
        return self.look.detail.tobytes() + self.look.thumb.tobytes()


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


def beside(count: int, reach: int) -> NDArray[np.intp]:
    """For each of ``count`` things in a row the others nearest to it, ``reach`` on either side, (count, others).

    At an end more of them lie on the other side.
    """
    others = min(2 * reach, count - 1)
    first = np.clip(np.arange(count) - reach, 0, count - 1 - others)
    near = first[:, None] + np.arange(others + 1)
    return np.asarray(near[near != np.arange(count)[:, None]].reshape(count, others), np.intp)


def lowest(values: NDArray[np.float32], share: float, *, axis: int | None = None) -> Float:
    """The value that this share of ``values`` lies below, along an axis or of all; the nearest one, not between two."""
    flat = values.ravel() if axis is None else values
    at = min(int(share * flat.shape[axis or 0]), flat.shape[axis or 0] - 1)
    return np.asarray(np.take(np.partition(flat, at, axis=axis or 0), at, axis=axis or 0), np.float32)
