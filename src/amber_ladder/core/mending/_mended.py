"""A mend: the merge with its steps laid on it, computed tile by tile."""

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.frames import Progress
from amber_ladder.core.mending._brush import Box, Brush
from amber_ladder.core.mending._layers import Kind, Kinds, Layer, Window, scaled

TILE_PX = 512
"""Side of the tiles in which a mend is computed, everywhere: so that the same steps give the same bytes."""
_THREADS = 2


@dataclass(frozen=True, slots=True)
class Healed:
    """Pixels from elsewhere in the picture, as the steps before left them, ``x`` and ``y`` px away. Not evidence."""

    brush: Brush
    x: int
    y: int
    reach_px: int = 0

    def touches(self, box: Box) -> bool:
        """Whether it can change anything in a box."""
        return not self.brush.box.within(box).is_empty


class Mended:
    """A composite (H, W, 3; 8 or 16 bits) with layers laid on it in their order. Safe for several threads."""

    def __init__(self, composite: NDArray[Any], layers: Sequence[Layer | Healed]) -> None:
        self._composite, self._layers = composite, tuple(layers)
        self._whole = Box(0, 0, composite.shape[1], composite.shape[0])
        self._largest = np.float32(np.iinfo(composite.dtype).max)

    def boxes(self) -> list[Box]:
        """All tiles, row by row."""
        height, width = self._composite.shape[:2]
        return [
            Box(left, top, min(left + TILE_PX, width), min(top + TILE_PX, height))
            for top in range(0, height, TILE_PX)
            for left in range(0, width, TILE_PX)
        ]

    def is_touched(self, box: Box) -> bool:
        """Whether any layer can change something in a box."""
        return any(layer.touches(box) for layer in self._layers)

    def tile(self, box: Box) -> tuple[NDArray[Any], Kinds]:
        """A tile (h, w, 3) in the composite's type, and how each of its pixels came to be (h, w, see Kind)."""
        merged = self._composite[self._whole.part(box)]
        if not self.is_touched(box):
            return merged.copy(), np.zeros(box.shape, np.uint8)
        window = self._window(box, len(self._layers))
        pixels = np.rint(window.pixels * self._largest).astype(self._composite.dtype)
        toned = (window.kinds == Kind.UNTOUCHED) & (pixels != merged).any(axis=2)
        return pixels, np.where(toned, np.uint8(Kind.TONE), window.kinds)

    def whole(self, progress: Progress) -> tuple[NDArray[Any], Kinds]:
        """All of it, (H, W, 3) and (H, W)."""
        picture, kinds = np.empty_like(self._composite), np.empty(self._composite.shape[:2], np.uint8)
        boxes = self.boxes()
        progress("mend", 0, len(boxes))
        with ThreadPoolExecutor(max_workers=_THREADS) as pool:
            for done, (box, (pixels, marked)) in enumerate(zip(boxes, pool.map(self.tile, boxes), strict=True), 1):
                picture[self._whole.part(box)], kinds[self._whole.part(box)] = pixels, marked
                progress("mend", done, len(boxes))
        return picture, kinds

    def _window(self, box: Box, count: int) -> Window:
        """A box with the first ``count`` layers laid on it."""
        reach = sum(layer.reach_px for layer in self._layers[:count])
        wide = box.wider(reach).within(self._whole)
        merged = scaled(self._composite[self._whole.part(wide)])
        window = Window(wide, merged.copy(), merged, np.zeros(wide.shape, np.uint8))
        for place, layer in enumerate(self._layers[:count]):
            if not layer.touches(wide):
                continue
            if isinstance(layer, Healed):
                self._heal(window, layer, place)
            else:
                layer.apply(window)
        part = wide.part(box)
        return Window(box, window.pixels[part], merged[part], window.kinds[part])

    def _heal(self, window: Window, layer: Healed, place: int) -> None:
        there = layer.brush.box.within(window.box).moved(layer.x, layer.y).within(self._whole)
        if there.is_empty:
            return
        onto = there.moved(-layer.x, -layer.y)
        share = layer.brush.covering(onto)
        window.cover(window.box.part(onto), self._window(there, place).pixels, share, Kind.HEALED)


@dataclass(frozen=True, slots=True)
class Crop:
    """A rectangle in px of the composite, turned about its middle by ``turn_deg`` (clockwise as seen)."""

    x: int
    y: int
    width: int
    height: int
    turn_deg: float = 0.0

    def corners(self) -> NDArray[np.float64]:
        """Its corners (4, 2) as x, y of pixel centres."""
        half = np.array([self.width - 1, self.height - 1]) / 2.0
        signs = np.array([[-1, -1], [1, -1], [1, 1], [-1, 1]])
        angle = np.radians(self.turn_deg)
        turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        return np.asarray((signs * half) @ turn.T + np.array([self.x, self.y]) + half)

    def fits(self, width: int, height: int) -> bool:
        """Whether all of it lies in a picture: nothing is filled in at the edges."""
        corners = self.corners()
        return bool((corners >= -1e-6).all() and (corners <= np.array([width - 1, height - 1]) + 1e-6).all())

    def cut(self, picture: NDArray[Any]) -> NDArray[Any]:
        """The part of a picture (H, W, 3), its pixels as they are unless turned (Lanczos, to 1/32 px)."""
        if self.turn_deg == 0:
            return np.ascontiguousarray(picture[self.y : self.y + self.height, self.x : self.x + self.width])
        angle = np.radians(self.turn_deg)
        turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
        matrix = np.column_stack([turn, self.corners()[0]])
        flags = cv2.INTER_LANCZOS4 | cv2.WARP_INVERSE_MAP
        size = (self.width, self.height)
        return np.asarray(cv2.warpAffine(picture, matrix, size, flags=flags, borderMode=cv2.BORDER_REFLECT_101))
