"""Tiles laid together in one picture, some rows at a time: memory does not grow with their number."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb, encode_srgb

Double = NDArray[np.float64]
Float = NDArray[np.float32]
Box = tuple[int, int, int, int]

_SEAM_PX = 16.0  # over which one tile passes into the next: wide enough for shades, too narrow to double detail
_ROWS = 256
_REACH_PX = 8
_STILL_PX = 0.05  # less than that depth moves nothing
_SETTLES = 3


@dataclass(frozen=True, slots=True)
class Laid:
    """Rows of the whole from ``top``: RGB (H, W, 3) in the tiles' type, depth and its uncertainty (H, W), NaN unknown.

    What no tile covers is black, its depth unknown.
    """

    top: int
    composite: NDArray[Any]
    depth: Float
    depth_u: Float


def bounds(matrices: Sequence[Double], boxes: Sequence[Box]) -> tuple[int, int, int, int]:
    """The whole that tiles cover with what of them is used (x, y, width, height): left, top, width and height in px."""
    corners = []
    for matrix, (x, y, width, height) in zip(matrices, boxes, strict=True):
        at = np.array([[x, y], [x + width - 1, y], [x, y + height - 1], [x + width - 1, y + height - 1]], np.float64)
        corners.append(at @ matrix[:, :2].T + matrix[:, 2])
    low, high = np.floor(np.min(np.concatenate(corners), axis=0)), np.ceil(np.max(np.concatenate(corners), axis=0))
    return int(low[0]), int(low[1]), int(high[0] - low[0]) + 1, int(high[1] - low[1]) + 1


@dataclass(frozen=True)
class Tile:
    """One tile as it is laid: picture (H, W, 3), depth and its uncertainty (H, W), and what of it is used.

    ``matrix`` (2×3) brings its px to the whole's at a depth of ``at``, by ``deeper`` more a unit deeper. ``gain``
    brings its linear light to a common brightness, ``added`` its depth to a common zero, NaN where nobody knows.
    """

    composite: NDArray[Any]
    depth: Float
    depth_u: Float
    box: Box
    matrix: Double
    deeper: Double
    gain: float
    added: float
    at: float

    @cached_property
    def relief(self) -> Float | None:
        """How deep its places are beneath ``at``, at half the size and without holes; None where that moves nothing."""
        if not np.isfinite(self.added) or not np.isfinite(self.depth).any():
            return None
        known = np.isfinite(self.depth)
        z = np.where(known, self.depth + np.float32(self.added - self.at), np.float32(0))
        reach = np.abs(self.deeper[:, 2]).max() + np.abs(self.deeper[:, :2]).sum() * max(z.shape)
        if reach * float(np.abs(z).max()) < _STILL_PX:
            return None
        _, labels = cv2.distanceTransformWithLabels(
            (~known).astype(np.uint8), cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL
        )
        table = np.zeros(int(labels.max()) + 1, np.float32)
        table[labels[known]] = z[known]
        whole = cv2.GaussianBlur(cv2.medianBlur(np.asarray(table[labels], np.float32), 5), (0, 0), 1.5)
        half = cv2.resize(whole, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
        return np.asarray(half, np.float32)


def laid_rows(tiles: Sequence[Tile], *, progress: Callable[[int, int], None]) -> Iterator[Laid]:
    """Lay tiles together. A place belongs to the tile in which it lies farthest from the border of what is used.

    Depth is not blended over seams: it is one tile's or the other's.
    """
    left, top, width, height = bounds([one.matrix for one in tiles], [one.box for one in tiles])
    for start in range(0, height, _ROWS):
        rows = min(_ROWS, height - start)
        yield _band(tiles, (left, top + start, width, rows), start)
        progress(start + rows, height)


def _band(tiles: Sequence[Tile], window: Box, start: int) -> Laid:
    x, y, width, rows = window
    kind = tiles[0].composite.dtype
    inside = [_inside(one.matrix, one.box, window) for one in tiles]
    farthest = np.full((rows, width), -np.inf, np.float32)
    for one in inside:
        if one is not None:
            part, within = one
            np.maximum(farthest[:, part], within, out=farthest[:, part])
    sums, weights = np.zeros((rows, width, 3), np.float32), np.zeros((rows, width), np.float32)
    depth, depth_u = (np.full((rows, width), np.nan, np.float32) for _ in range(2))
    for n, one in enumerate(inside):
        if one is None:
            continue
        part, within = one
        share = np.where(within >= 0, np.clip((within - farthest[:, part]) / _SEAM_PX + 1, 0, 1), 0).astype(np.float32)
        if not share.any():
            continue
        tile = tiles[n]
        maps = _sources(tile, (x + part.start, y, part.stop - part.start, rows))
        shown = _seen(tile.composite, maps, cv2.INTER_LANCZOS4, cv2.BORDER_REPLICATE)
        light = _linear(kind.str)[shown] * np.float32(tile.gain)
        sums[:, part] += light * share[..., None]
        weights[:, part] += share
        mine = (within >= 0) & (within >= farthest[:, part])
        for target, source, more in ((depth, tile.depth, tile.added), (depth_u, tile.depth_u, 0.0)):
            seen = _seen(source, maps, cv2.INTER_NEAREST, cv2.BORDER_CONSTANT)
            np.copyto(target[:, part], np.asarray(seen + np.float32(more), np.float32), where=mine)
    whole = sums / np.maximum(weights, 1e-6)[..., None]
    picture = _encoded(np.clip(whole, 0, 1), kind)
    picture[weights <= 0] = 0
    return Laid(start, picture, depth, depth_u)


@lru_cache(maxsize=2)
def _linear(kind: str) -> Float:
    """Linear light of every encoded value of a type."""
    values = np.arange(np.iinfo(kind).max + 1, dtype=np.float32)
    return decode_srgb(np.asarray(values / values[-1], np.float32))


@lru_cache(maxsize=1)
def _bytes() -> NDArray[np.uint8]:
    """The encoded byte of linear light in 65,536 steps: each tells a twentieth of a byte."""
    return np.rint(encode_srgb(np.linspace(0, 1, 1 << 16, dtype=np.float32)) * 255).astype(np.uint8)


def _encoded(light: Float, kind: np.dtype[Any]) -> NDArray[Any]:
    if kind == np.uint8:
        return np.take(_bytes(), np.rint(light * 65535).astype(np.uint16))
    return np.asarray(np.rint(encode_srgb(light) * np.float32(np.iinfo(kind).max)), kind)


def _inside(matrix: Double, box: Box, window: Box) -> tuple[slice, Float] | None:
    """Columns of a window that a tile reaches, and how far within its box their places lie, px; negative outside."""
    x, y, width, rows = window
    left, top, wide, high = bounds([matrix], [box])
    if top + high <= y or top >= y + rows:
        return None
    first, last = max(left - x, 0), min(left + wide - x, width)
    if last <= first:
        return None
    turn = np.linalg.inv(matrix[:, :2])
    columns = np.arange(first, last, dtype=np.float64) + x - matrix[0, 2]
    lines = np.arange(rows, dtype=np.float64)[:, None] + y - matrix[1, 2]
    u, v = turn[0, 0] * columns + turn[0, 1] * lines, turn[1, 0] * columns + turn[1, 1] * lines
    within = np.minimum(
        np.minimum(u - box[0], box[0] + box[2] - 1 - u), np.minimum(v - box[1], box[1] + box[3] - 1 - v)
    )
    return slice(first, last), np.asarray(within, np.float32)


def _sources(tile: Tile, window: Box) -> tuple[Float, Float]:
    """Where in a tile the places of a window of the whole lie: x and y (rows, columns), px."""
    x, y, width, rows = window
    at_x = np.arange(width, dtype=np.float64)[None, :] + x
    at_y = np.arange(rows, dtype=np.float64)[:, None] + y
    u, v = _back(tile.matrix, at_x, at_y)
    relief = tile.relief
    if relief is None:
        return u, v
    for _ in range(_SETTLES):  # how deep it is there depends on where it is looked up
        z = cv2.remap(relief, (u - 0.5) / 2, (v - 0.5) / 2, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
        u, v = _back(tile.matrix[:, :, None, None] + tile.deeper[:, :, None, None] * z, at_x, at_y)
    return u, v


def _back(matrix: NDArray[Any], x: Double, y: Double) -> tuple[Float, Float]:
    """Places of the whole in a tile; ``matrix`` is one (2, 3), or one for each place (2, 3, H, W)."""
    (a, b, c), (d, e, f) = matrix
    size = a * e - b * d
    off_x, off_y = x - c, y - f
    return np.asarray((e * off_x - b * off_y) / size, np.float32), np.asarray(
        (a * off_y - d * off_x) / size, np.float32
    )


def _seen(source: NDArray[Any], maps: tuple[Float, Float], way: int, border: int) -> NDArray[Any]:
    """What a tile shows at these places; only what is needed of it is read."""
    (left, top), (right, bottom) = ([int(side(one)) for one in maps] for side in (np.min, np.max))
    left, top = max(left - _REACH_PX, 0), max(top - _REACH_PX, 0)
    part = np.ascontiguousarray(source[top : max(bottom + _REACH_PX, top + 1), left : max(right + _REACH_PX, left + 1)])
    if part.size == 0:
        part, left, top = np.ascontiguousarray(source[:1, :1]), 0, 0
    u, v = (one - np.float32(start) for one, start in zip(maps, (left, top), strict=True))
    return np.asarray(cv2.remap(part, u, v, way, borderMode=border, borderValue=float("nan")))
