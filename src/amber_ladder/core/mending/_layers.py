"""What each step of a mend does to a part of the picture, and how it is marked."""

from dataclasses import dataclass
from enum import IntEnum
from math import ceil
from typing import Any, Protocol

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.mending._brush import Box, Brush, Float
from amber_ladder.core.mending._patch import Patch

Kinds = NDArray[np.uint8]
_WHOLLY = 0.996  # of a pixel: more leaves nothing of what was below
_REACH = 3  # standard deviations, to where a blur is reckoned
_DARKER = 0.4
_BEND = 0.98  # as far as highlights bend the curve of tones at most: it rises all the way
GREY = np.array([0.299, 0.587, 0.114], np.float32)


class Kind(IntEnum):
    """How a pixel came to be what it is."""

    UNTOUCHED = 0
    FRAME = 1
    DUST = 2
    HEALED = 3
    GROUND = 4
    TONE = 5


_WEIGHT = np.array([0, 1, 2, 4, 3, 0], np.uint8)
"""Which kind is said of a pixel that is made of two: that which is farther from evidence."""


@dataclass(slots=True)
class Window:
    """A part of the picture on its way: ``pixels`` (h, w, 3) from 0 to 1 over ``box``, and their ``kinds`` (h, w).

    ``merged`` (h, w, 3) is what the merge shows there.
    """

    box: Box
    pixels: Float
    merged: Float
    kinds: Kinds

    def cover(self, part: tuple[slice, slice], content: Float, share: Float, kind: Kind) -> None:
        """Lay ``content`` (h, w, 3) over a part, by a ``share`` (h, w) of each pixel, and mark it."""
        below = self.pixels[part]
        self.pixels[part] = below + share[..., None] * (content - below)
        self.mark(part, share, kind)

    def mark(self, part: tuple[slice, slice], share: Float, kind: Kind) -> None:
        """Say of each pixel what it is made of now."""
        below = self.kinds[part]
        if kind is Kind.UNTOUCHED:
            self.kinds[part] = np.where(share >= _WHOLLY, np.uint8(0), below)
            return
        farther = (share > 0) & (_WEIGHT[below] <= _WEIGHT[kind])
        self.kinds[part] = np.where((share >= _WHOLLY) | farther, np.uint8(kind), below)


class Layer(Protocol):
    """A step, made ready."""

    @property
    def reach_px(self) -> int:
        """How far around a pixel it looks."""

    def touches(self, box: Box) -> bool:
        """Whether it can change anything in a box."""

    def apply(self, window: Window) -> None:
        """Do it to a window."""


@dataclass(frozen=True, slots=True)
class Painted:
    """Paint from a frame, or from another merge."""

    brush: Brush
    patch: Patch
    reach_px: int = 0

    def touches(self, box: Box) -> bool:
        return not self.patch.box.within(box).is_empty

    def apply(self, window: Window) -> None:
        there = self.patch.box.within(window.box)
        mine = self.patch.box.part(there)
        share = self.brush.covering(there) * self.patch.covered[mine]
        window.cover(window.box.part(there), scaled(self.patch.pixels[mine]), share, Kind.FRAME)


@dataclass(frozen=True, slots=True)
class Erased:
    """Back to the merge."""

    brush: Brush
    reach_px: int = 0

    def touches(self, box: Box) -> bool:
        return not self.brush.box.within(box).is_empty

    def apply(self, window: Window) -> None:
        there = self.brush.box.within(window.box)
        part = window.box.part(there)
        window.cover(part, window.merged[part], self.brush.covering(there), Kind.UNTOUCHED)


@dataclass(frozen=True, slots=True)
class Laid:
    """Content made before (h, w, 3, of the picture's type) over a box, by a ``share`` (h, w) of 255: dust, a ground."""

    box: Box
    pixels: NDArray[Any]
    share: NDArray[np.uint8]
    kind: Kind
    reach_px: int = 0

    def touches(self, box: Box) -> bool:
        return not self.box.within(box).is_empty

    def apply(self, window: Window) -> None:
        there = self.box.within(window.box)
        mine = self.box.part(there)
        share = self.share[mine].astype(np.float32) / np.float32(255)
        window.cover(window.box.part(there), scaled(self.pixels[mine]), share, self.kind)


@dataclass(frozen=True, slots=True)
class Grounded:
    """The ground (``share``, H, W, of 255) in one tone (RGB, 0 to 1), or None: only darker."""

    share: NDArray[np.uint8]
    tone: tuple[float, float, float] | None
    reach_px: int = 0

    def touches(self, box: Box) -> bool:
        return bool(self.share[box.top : box.bottom, box.left : box.right].any())

    def apply(self, window: Window) -> None:
        box = window.box
        share = self.share[box.top : box.bottom, box.left : box.right].astype(np.float32) / np.float32(255)
        content = window.pixels * np.float32(_DARKER) if self.tone is None else np.asarray(self.tone, np.float32)
        window.cover(np.s_[:, :], np.broadcast_to(content, window.pixels.shape), share, Kind.GROUND)


@dataclass(frozen=True, slots=True)
class Toned:
    """Black and white point (0 to 1, encoded), gamma (above 1 brightens), highlights (−1 darker to 1 brighter).

    Over all, or below a ``brush``.
    """

    black: float = 0.0
    white: float = 1.0
    gamma: float = 1.0
    highlights: float = 0.0
    brush: Brush | None = None
    reach_px: int = 0

    def touches(self, box: Box) -> bool:
        return self.brush is None or not self.brush.box.within(box).is_empty

    def apply(self, window: Window) -> None:
        tones = np.clip((window.pixels - np.float32(self.black)) / np.float32(self.white - self.black), 0.0, 1.0)
        tones = np.power(tones, np.float32(1.0 / self.gamma)).astype(np.float32)
        tones = tones + np.float32(_BEND * self.highlights) * tones**3 * (1 - tones)
        if self.brush:
            tones = window.pixels + self.brush.covering(window.box)[..., None] * (tones - window.pixels)
        window.pixels = tones


@dataclass(frozen=True, slots=True)
class Sharpened:
    """Detail finer than ``radius_px`` (standard deviation), or tone wider than it, strengthened by ``amount``.

    It acts on brightness: colours stay. Over all, or below a ``brush``.
    """

    radius_px: float
    amount: float
    brush: Brush | None

    @property
    def reach_px(self) -> int:
        return ceil(_REACH * self.radius_px) + 1

    def touches(self, box: Box) -> bool:
        return self.brush is None or not self.brush.box.within(box).is_empty

    def apply(self, window: Window) -> None:
        grey = np.ascontiguousarray(window.pixels @ GREY)
        side = 2 * (self.reach_px - 1) + 1
        calm = cv2.GaussianBlur(grey, (side, side), self.radius_px, borderType=cv2.BORDER_REFLECT_101)
        more = np.float32(self.amount) * (grey - np.asarray(calm, np.float32))
        if self.brush:
            more *= self.brush.covering(window.box)
        window.pixels = np.clip(window.pixels + more[..., None], 0.0, 1.0)


def scaled(pixels: NDArray[Any]) -> Float:
    """Whole numbers of 8 or 16 bits as 0 to 1."""
    return pixels.astype(np.float32) / np.float32(np.iinfo(pixels.dtype).max)
