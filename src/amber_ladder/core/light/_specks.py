"""What the camera puts into every frame at the same place: dust on its sensor, points that always glow, and grain."""

from dataclasses import dataclass
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_LOOKED_AT = 12  # frames of a stack, spread over it: what is the same in all of those is the same in all
_FEWEST = 5
_DUST_PX = 600_000  # size at which dust is looked for
_DARKER = 0.05  # of its surroundings, in every frame
_CONSTANT = 0.6  # of its usual darkness there is in the frame that shows least of it: detail comes and goes with focus
_CALM_PX, _AROUND_PX = 3, 31
_LEAST_SPOT_PX, _ROUND = 5, 0.45  # area, and how much of its box a spot fills
_FROM, _TO = 0.06, 0.95  # tones between which darkness can be told
_TOLD_IN = 0.8  # of the frames
_GLOWS = 0.06  # above its surroundings, of full range
_GROWS = 3.0  # blur, at least, against a spot's radius, between its sharpest frame and another: else it may be detail
_RUN_PX, _QUIET = 64, 0.25  # runs of a row, and how many of them show nothing but noise
_SECOND_DIFFERENCE = 1.5**0.5  # its standard deviation against that of one pixel


@dataclass(frozen=True, slots=True)
class Speck:
    """A place of the sensor, in px of a frame: dust, or a point that glows."""

    kind: Literal["dust", "glow"]
    x: float
    y: float
    radius_px: float


@dataclass(frozen=True, slots=True)
class Sight:
    """What one frame shows of all this: how bright each place is against its surroundings, what stands out, its grain.

    ``ratio`` (H, W, some size) is NaN where it is too dark or too bright to tell; ``point`` (H, W of the grey) is what
    is narrower than 3 px and brighter than around it; ``grain`` is a standard deviation, of full range.
    """

    ratio: Float
    point: Float
    grain: float


def looks_at(index: int, count: int) -> bool:
    """Whether this one of all frames is looked at."""
    return index % max(1, count // _LOOKED_AT) == 0


def sight(grey: Float, factor: int) -> Sight:
    """Look at a frame: grey (H, W), 0 to 1, ``factor`` times smaller than it was shot."""
    shrink = 1
    while grey.size / shrink**2 > _DUST_PX:
        shrink += 1
    size = (grey.shape[1] // shrink, grey.shape[0] // shrink)
    small = grey if shrink == 1 else np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.float32)
    around = cv2.blur(small, (_AROUND_PX, _AROUND_PX))
    ratio = np.asarray(cv2.blur(small, (_CALM_PX, _CALM_PX)) / np.maximum(around, 1e-6), np.float32)
    ratio[(around < _FROM) | (around > _TO)] = np.nan
    point = np.asarray(cv2.morphologyEx(grey, cv2.MORPH_TOPHAT, np.ones((3, 3), np.uint8)), np.float32)
    rows = grey[:: max(1, grey.shape[0] // 256)]
    bend = rows[:, 1:-1] - 0.5 * (rows[:, 2:] + rows[:, :-2])
    runs = bend[:, : bend.shape[1] // _RUN_PX * _RUN_PX].reshape(-1, _RUN_PX)
    quiet = float(np.quantile((runs * runs).mean(axis=1), _QUIET)) ** 0.5
    # Pixels that were averaged, or shrunk as a JPEG is, have less of it.
    return Sight(ratio, point, quiet / _SECOND_DIFFERENCE * factor)


class SpeckWatch:
    """Takes one sight after the other; memory does not depend on how many there are."""

    def __init__(self, factor: int) -> None:
        self._factor = factor
        self._count = 0
        self._grain: list[float] = []
        self._least, self._total, self._point = (np.empty((0, 0), np.float32) for _ in range(3))
        self._told = np.empty((0, 0), np.int16)

    def add(self, seen: Sight) -> None:
        """The next frame, in its own coordinates."""
        told = np.isfinite(seen.ratio)
        darker = np.where(told, 1.0 - seen.ratio, 0.0).astype(np.float32)
        if not self._count:
            self._least = np.full(seen.ratio.shape, np.inf, np.float32)
            self._total, self._told = np.zeros_like(self._least), np.zeros(seen.ratio.shape, np.int16)
            self._point = np.full(seen.point.shape, np.inf, np.float32)
        np.minimum(self._least, darker, out=self._least, where=told)
        self._total += darker
        self._told += told
        np.minimum(self._point, seen.point, out=self._point)
        self._grain.append(seen.grain)
        self._count += 1

    def grain(self) -> float:
        """Standard deviation of the noise of one frame, of full range: of those that show least detail beside it."""
        return float(np.quantile(self._grain, 0.25)) if self._grain else 0.0

    def specks(self, blur_px: float) -> list[Speck]:
        """What all frames show, where blur differs by so many px of a frame between some of them at any place."""
        return [*self._dust(blur_px), *self._glowing()] if self._count >= _FEWEST else []

    def _dust(self, blur_px: float) -> list[Speck]:
        usual = self._total / np.maximum(self._told, 1)
        dark = (self._told >= _TOLD_IN * self._count) & (self._least > _DARKER) & (self._least > _CONSTANT * usual)
        scale = self._factor * self._point.shape[1] / self._least.shape[1]
        spots = _pieces(dark, "dust", scale)
        return [one for one in spots if blur_px > _GROWS * one.radius_px]

    def _glowing(self) -> list[Speck]:
        return _pieces(self._point > _GLOWS, "glow", self._factor)


def _pieces(mask: NDArray[np.bool_], kind: Literal["dust", "glow"], scale: float) -> list[Speck]:
    _, _, stats, centres = cv2.connectedComponentsWithStats(mask.astype(np.uint8))
    found = []
    for (_, _, width, height, area), (x, y) in zip(stats[1:].tolist(), centres[1:].tolist(), strict=True):
        if kind == "dust" and (area < _LEAST_SPOT_PX or area < _ROUND * max(width, height) ** 2):
            continue
        at_x, at_y = (scale * one + (scale - 1.0) / 2.0 for one in (x, y))
        found.append(Speck(kind, at_x, at_y, scale * max(width, height) / 2.0))
    return found
