"""What the camera puts into every frame at the same place: dust on its sensor, points that always glow, and grain."""

from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_LOOKED_AT = 12  # frames of a stack, spread over it: what is the same in all of those is the same in all
_FEWEST = 5
_DUST_PX = 600_000  # size at which dust is looked for
_DARKER = 0.08  # than its surroundings
_CONSTANT = 0.27  # of that it varies at most between half of the frames: detail comes and goes with focus
_CALM_PX, _WIDEST_PX = 3, 17
_EDGE = slice(_CALM_PX, -_CALM_PX)
_DIAGONAL = np.eye(12, dtype=np.uint8)  # as long as the others
_LINES = (np.ones((1, _WIDEST_PX), np.uint8), np.ones((_WIDEST_PX, 1), np.uint8), _DIAGONAL, _DIAGONAL[::-1].copy())
_HALF, _WHOLLY = 0.5, 0.3  # of its darkness, to where a spot reaches, and how much of that must be constant
_LEAST_SPOT_PX, _ROUND = 5, 0.45  # area, and how much of its box a spot fills
_FROM, _TO = 0.06, 0.95  # tones between which darkness can be told
_TOLD_IN = 0.8  # of the frames
_GLOWS, _DOT_PX = 15, 1.5  # above its surroundings, of 255, and how large at most: lines are detail
_GROWS = 3.0  # blur, at least, against a speck's radius, between its sharpest frame and another: else it may be detail
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
    """What one frame shows of all this: how dark each place is within its surroundings, what stands out, its grain.

    ``ratio`` (H, W, some size) is NaN where it is too dark or too bright to tell; ``point`` (H, W of the grey) is what
    is narrower than 3 px and brighter than around it, of 255; ``grain`` is a standard deviation, of full range.
    """

    ratio: Float
    point: NDArray[np.uint8]
    grain: float


def looks_at(index: int, count: int) -> bool:
    """Whether this one of all frames is looked at."""
    return index % max(1, -(-count // _LOOKED_AT)) == 0


def sight(grey: Float, factor: int) -> Sight:
    """Look at a frame: grey (H, W), 0 to 1, ``factor`` times smaller than it was shot."""
    shrink = 1
    while grey.size / shrink**2 > _DUST_PX:
        shrink += 1
    size = (grey.shape[1] // shrink, grey.shape[0] // shrink)
    small = grey if shrink == 1 else np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), np.float32)
    calm = np.asarray(cv2.blur(small, (_CALM_PX, _CALM_PX)), np.float32)
    # Brighter than it along every direction: the dark side of an edge is not, nor a valley between bright ridges.
    around = np.min([cv2.morphologyEx(calm, cv2.MORPH_CLOSE, line) for line in _LINES], axis=0)
    ratio = np.asarray(calm / np.maximum(around, 1e-6), np.float32)
    ratio[(around < _FROM) | (around > _TO)] = np.nan
    tones = cv2.convertScaleAbs(grey, alpha=255.0)
    point = np.asarray(cv2.morphologyEx(tones, cv2.MORPH_TOPHAT, np.ones((3, 3), np.uint8)), np.uint8)
    rows = grey[:: max(1, grey.shape[0] // 256)]
    bend = rows[:, 1:-1] - 0.5 * (rows[:, 2:] + rows[:, :-2])
    long = min(_RUN_PX, bend.shape[1])
    runs = bend[:, : bend.shape[1] // long * long].reshape(-1, long)
    quiet = float(np.quantile((runs * runs).mean(axis=1), _QUIET)) ** 0.5
    # Pixels that were averaged, or shrunk as a JPEG is, have less of it.
    return Sight(ratio, point, quiet / _SECOND_DIFFERENCE * factor)


class SpeckWatch:
    """Takes one sight after the other, of those frames that are looked at."""

    def __init__(self, factor: int) -> None:
        self._factor = factor
        self._ratios: list[NDArray[np.float16]] = []
        self._point = np.empty((0, 0), np.uint8)
        self._grain: list[float] = []

    def add(self, seen: Sight) -> None:
        """The next frame, in its own coordinates."""
        self._ratios.append(seen.ratio.astype(np.float16))
        self._point = np.minimum(self._point, seen.point) if self._point.size else seen.point
        self._grain.append(seen.grain)

    def grain(self) -> float:
        """Standard deviation of the noise of one frame, of full range: of those that show least detail beside it."""
        return float(np.quantile(self._grain, 0.25)) if self._grain else 0.0

    def specks(self, blur_px: float) -> list[Speck]:
        """What all frames show, where blur differs by so many px of a frame between some of them at any place."""
        if len(self._ratios) < _FEWEST:
            return []
        return [one for one in (*self._dust(), *self._glowing()) if blur_px > _GROWS * one.radius_px]

    def _dust(self) -> list[Speck]:
        usual = np.zeros(self._ratios[0].shape, np.float32)
        for ratio in self._ratios:
            usual += np.nan_to_num(ratio, nan=1.0)
        rows, columns = np.nonzero(usual < (1.0 - _DARKER / 2) * len(self._ratios))
        darker = 1.0 - np.array([ratio[rows, columns] for ratio in self._ratios], np.float32)
        told = np.isfinite(darker)
        enough = told.sum(axis=0) >= _TOLD_IN * len(darker)
        # Detail in focus outshines a spot in some frames, or darkens it: in most it is as dark as ever.
        low, median, high = np.quantile(np.where(enough, darker, 0.0), (0.25, 0.5, 0.75), axis=0)
        dark, usually = np.zeros_like(usual, np.uint8), np.zeros_like(usual)
        usually[rows, columns] = median
        dark[rows, columns] = enough & (median > _DARKER) & (high - low < _CONSTANT * median)
        # At the border surroundings are told by halves.
        inner = np.zeros_like(dark)
        inner[_EDGE, _EDGE] = dark[_EDGE, _EDGE]
        scale = self._factor * self._point.shape[1] / dark.shape[1]
        return _pieces(_whole_spots(inner, usually), "dust", scale)

    def _glowing(self) -> list[Speck]:
        found = _pieces(self._point > _GLOWS, "glow", self._factor)
        return [one for one in found if one.radius_px <= _DOT_PX * self._factor]


def _whole_spots(constant: NDArray[np.uint8], usually: Float) -> NDArray[np.uint8]:
    """Of what is ``usually`` darker (0 to 1), the spots, as wide as half their darkness, that are all ``constant``.

    The middle of a large dark patch of the specimen stays dark in many frames: what is around it comes and goes.
    """
    _, labels, stats, _ = cv2.connectedComponentsWithStats(constant)
    whole = np.zeros_like(constant)
    for label in np.flatnonzero(stats[:, cv2.CC_STAT_AREA] >= _LEAST_SPOT_PX)[1:]:
        piece = labels == label
        _, around = cv2.connectedComponents((usually > _HALF * float(usually[piece].max())).astype(np.uint8))
        there = around == around[piece].max()
        if np.count_nonzero(there & (constant > 0)) > _WHOLLY * np.count_nonzero(there):
            whole |= piece.astype(np.uint8)
    return whole


def _pieces(mask: NDArray[Any], kind: Literal["dust", "glow"], scale: float) -> list[Speck]:
    _, _, stats, centres = cv2.connectedComponentsWithStats(np.asarray(mask, np.uint8))
    found = []
    for (_, _, width, height, area), (x, y) in zip(stats[1:].tolist(), centres[1:].tolist(), strict=True):
        if kind == "dust" and (area < _LEAST_SPOT_PX or area < _ROUND * max(width, height) ** 2):
            continue
        at_x, at_y = (scale * one + (scale - 1.0) / 2.0 for one in (x, y))
        found.append(Speck(kind, at_x, at_y, scale * max(width, height) / 2.0))
    return found
