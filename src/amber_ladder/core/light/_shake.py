"""Whether a frame was shaken, told from its fine detail along each direction beside that of its neighbours."""

from typing import Generic, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light._watch import Judged

T = TypeVar("T")
Float = NDArray[np.float32]

_DIRECTIONS = 8
_CALM_PX, _BAND_PX = 0.7, 1.2  # the band of detail that is looked at, standard deviations of blur
_SMEARED = 0.55  # a smear of five pixels leaves less, refocusing 0.75 and more
_LOST = 0.75  # of the detail of both neighbours, along one direction at least
_TILE_PX = 128
_MARGIN_PX = 5
_TILES = 32


def detail_along(*parts: Float) -> Float:
    """Fine detail of a picture's parts (H, W, 0 to 1; over 10 px) along each of eight directions.

    It is the mean square of the slope, less what of it is noise. Defocus lowers it alike in all directions, whatever
    lies there; shaking lowers it along its own.
    """
    xx = yy = xy = 0.0
    size = 0
    pooled = []
    for part in parts:
        calm = cv2.GaussianBlur(part, (0, 0), _CALM_PX)
        dx = cv2.Sobel(calm, cv2.CV_32F, 1, 0, ksize=3, scale=0.125)
        dy = cv2.Sobel(calm, cv2.CV_32F, 0, 1, ksize=3, scale=0.125)
        inner = np.s_[_MARGIN_PX:-_MARGIN_PX, _MARGIN_PX:-_MARGIN_PX]  # a border is an edge that is in focus always
        fx, fy = ((one - cv2.GaussianBlur(one, (0, 0), _BAND_PX))[inner] for one in (dx, dy))
        size += fx.size
        xx, yy, xy = xx + float((fx * fx).sum()), yy + float((fy * fy).sum()), xy + float((fx * fy).sum())
        pooled.append(cv2.GaussianBlur(fx * fx + fy * fy, (0, 0), 2.5)[::3, ::3].ravel())
    angles = np.arange(_DIRECTIONS) * np.pi / _DIRECTIONS
    along = xx * np.cos(angles) ** 2 + yy * np.sin(angles) ** 2 + 2 * xy * np.sin(angles) * np.cos(angles)
    noise = float(np.percentile(np.concatenate(pooled), 10)) / 2.0
    return np.asarray(np.maximum(along / size - noise, 1e-9), np.float32)


def evenness(detail: Float, reference: Float) -> float:
    """How alike the change against a reference is in all directions, 0 to 1."""
    change = detail / reference
    return float(change.min() / change.max())


def spread_tiles(grey: Float) -> list[Float]:
    """Tiles all over a picture (H, W): the whole of a small one, a part of a large one that tells as much."""
    height, width = grey.shape
    places = [(y, x) for y in range(0, height, _TILE_PX) for x in range(0, width, _TILE_PX)]
    every = max(1, len(places) // _TILES)
    tiles = [grey[y : y + _TILE_PX, x : x + _TILE_PX] for y, x in places[::every]]
    return [tile for tile in tiles if min(tile.shape) > _TILE_PX // 4] or [grey]


class ShakeWatch(Generic[T]):
    """Compares each frame with the ones before and after it, so that it is judged one later than it comes.

    Refocusing changes a frame against one of them perhaps, shaking against both along the same direction. The first
    and the last frame cannot be told.
    """

    def __init__(self) -> None:
        self._before: Float | None = None
        self._held: tuple[T, Float] | None = None

    def add(self, frame: T, detail: Float) -> list[Judged[T]]:
        """What is known now of the frame before this one (``detail`` from ``detail_along``)."""
        held, self._held = self._held, (frame, detail)
        if held is None:
            return []
        if self._before is not None and _is_shaken(self._before, held[1], detail):
            return [Judged(held[0], "is shaken: its fine detail is smeared along one direction")]
        self._before = held[1]
        return [Judged(held[0], None)]

    def end(self) -> list[Judged[T]]:
        """The last frame."""
        held, self._held = self._held, None
        return [Judged(held[0], None)] if held else []


def _is_shaken(before: Float, detail: Float, after: Float) -> bool:
    changes = [detail / beside for beside in (before, after)]
    uneven = float(np.maximum(*(change / change.max() for change in changes)).min())
    # An edge that is in focus here alone is uneven as well, but takes nothing away.
    return uneven < _SMEARED and float(np.maximum(*changes).min()) < _LOST
