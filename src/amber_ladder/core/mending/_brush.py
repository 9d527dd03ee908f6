"""What a stroke covers, and how strongly."""

from dataclasses import dataclass

import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]
Point = tuple[float, float]

_EDGE_PX = 1.0  # over which even a hard brush fades: less shows as steps


@dataclass(frozen=True, slots=True)
class Box:
    """Columns ``left`` to ``right`` and rows ``top`` to ``bottom`` of a picture, both ends excluded."""

    left: int
    top: int
    right: int
    bottom: int

    @property
    def shape(self) -> tuple[int, int]:
        """Height and width."""
        return self.bottom - self.top, self.right - self.left

    @property
    def is_empty(self) -> bool:
        """Whether nothing lies in it."""
        return self.right <= self.left or self.bottom <= self.top

    def within(self, other: "Box") -> "Box":
        """What both share."""
        return Box(
            max(self.left, other.left), max(self.top, other.top),
            min(self.right, other.right), min(self.bottom, other.bottom),
        )  # fmt: skip

    def wider(self, px: int) -> "Box":
        """Wider on every side."""
        return Box(self.left - px, self.top - px, self.right + px, self.bottom + px)

    def moved(self, x: int, y: int) -> "Box":
        """As large, elsewhere."""
        return Box(self.left + x, self.top + y, self.right + x, self.bottom + y)

    def part(self, inner: "Box") -> tuple[slice, slice]:
        """Rows and columns of ``inner`` in an array that holds this box."""
        return (
            slice(inner.top - self.top, inner.bottom - self.top),
            slice(inner.left - self.left, inner.right - self.left),
        )


@dataclass(frozen=True, slots=True)
class Brush:
    """A stroke along ``path`` (x, y in px of the composite) with a round brush.

    ``softness`` 0 to 1 is the part of the radius over which it fades, ``strength`` 0 to 1 how much it covers.
    """

    path: tuple[Point, ...]
    radius_px: float
    softness: float = 1.0
    strength: float = 0.85

    @property
    def box(self) -> Box:
        """All that it can touch."""
        points, reach = np.asarray(self.path), self.radius_px + _EDGE_PX
        low, high = np.floor(points.min(axis=0) - reach), np.ceil(points.max(axis=0) + reach) + 1
        return Box(int(low[0]), int(low[1]), int(high[0]), int(high[1]))

    def covering(self, box: Box) -> Float:
        """How much of each pixel it covers, (H, W), 0 to ``strength``. A stroke that crosses itself covers no more."""
        nearest = np.full(box.shape, np.inf, np.float32)
        points = np.asarray(self.path, np.float64) - (box.left, box.top)
        reach = self.radius_px + _EDGE_PX
        for one, two in zip(points, points[1:] if len(points) > 1 else points, strict=False):
            _come_nearer(nearest, one, two, reach)
        fades = max(self.softness * self.radius_px, _EDGE_PX)
        # A hard edge lies half within the radius: so a brush covers what its circle shows.
        beyond = 0.5 * _EDGE_PX if self.softness * self.radius_px < _EDGE_PX else 0.0
        share = np.clip((np.float32(self.radius_px + beyond) - np.sqrt(nearest)) / np.float32(fades), 0.0, 1.0)
        return np.asarray(np.float32(self.strength) * share * share * (3.0 - 2.0 * share), np.float32)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _come_nearer(nearest: Float, one: NDArray[np.float64], two: NDArray[np.float64], reach: float) -> None:
    """Lower the squared distances (H, W) to those from a line between two points (x, y), as far as it reaches."""
    height, width = nearest.shape
    top, bottom = max(0, int(min(one[1], two[1]) - reach)), min(height, int(max(one[1], two[1]) + reach) + 2)
    left, right = max(0, int(min(one[0], two[0]) - reach)), min(width, int(max(one[0], two[0]) + reach) + 2)
    along_x, along_y = two[0] - one[0], two[1] - one[1]
    square = max(along_x * along_x + along_y * along_y, 1e-12)
    for y in range(top, bottom):
        for x in range(left, right):
            t = min(max(((x - one[0]) * along_x + (y - one[1]) * along_y) / square, 0.0), 1.0)
            off_x, off_y = x - one[0] - t * along_x, y - one[1] - t * along_y
            nearest[y, x] = min(nearest[y, x], np.float32(off_x * off_x + off_y * off_y))
