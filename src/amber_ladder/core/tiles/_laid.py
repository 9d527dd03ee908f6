"""Tiles laid together in one picture, some rows at a time: memory does not grow with their number."""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
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
_REACH_PX = 4


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


def laid_rows(
    composites: Sequence[NDArray[Any]],
    depths: Sequence[Float],
    depth_us: Sequence[Float],
    matrices: Sequence[Double],
    boxes: Sequence[Box],
    gains: Double,
    added_um: Double,
    *,
    progress: Callable[[int, int], None],
) -> Iterator[Laid]:
    """Lay tiles together. A place belongs to the tile in which it lies farthest from the border of what is used.

    ``gains`` bring linear light to a common brightness, ``added_um`` depths to a common zero. Depth is not blended
    over seams: it is one tile's or the other's.
    """
    left, top, width, height = bounds(matrices, boxes)
    for start in range(0, height, _ROWS):
        rows = min(_ROWS, height - start)
        yield _band(
            composites, depths, depth_us, matrices, boxes, gains, added_um, (left, top + start, width, rows), start
        )
        progress(start + rows, height)


def _band(
    composites: Sequence[NDArray[Any]], depths: Sequence[Float], depth_us: Sequence[Float],
    matrices: Sequence[Double], boxes: Sequence[Box], gains: Double, added_um: Double, window: Box, start: int,
) -> Laid:  # fmt: skip
    x, y, width, rows = window
    kind = composites[0].dtype
    inside = [_inside(matrix, box, window) for matrix, box in zip(matrices, boxes, strict=True)]
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
        moved = matrices[n] - np.array([[0, 0, x + part.start], [0, 0, y]])
        size = (part.stop - part.start, rows)
        picture, local = _window_of(composites[n], moved, size)
        shown = cv2.warpAffine(picture, local, size, flags=cv2.INTER_LANCZOS4, borderMode=cv2.BORDER_REPLICATE)
        light = _linear(kind.str)[shown] * np.float32(gains[n])
        sums[:, part] += light * share[..., None]
        weights[:, part] += share
        mine = (within >= 0) & (within >= farthest[:, part])
        for target, source, more in ((depth, depths[n], added_um[n]), (depth_u, depth_us[n], 0.0)):
            plane, local = _window_of(source, moved, size)
            seen = cv2.warpAffine(
                plane, local, size, flags=cv2.INTER_NEAREST, borderMode=cv2.BORDER_CONSTANT, borderValue=float("nan")
            )
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


def _window_of(source: NDArray[Any], matrix: Double, size: tuple[int, int]) -> tuple[NDArray[Any], Double]:
    """What of a tile is needed for a part of the whole, and the matrix for that alone: the rest is not read."""
    turn = np.linalg.inv(matrix[:, :2])
    corners = np.array([[0, 0], [size[0], 0], [0, size[1]], [size[0], size[1]]], np.float64)
    at = (corners - matrix[:, 2]) @ turn.T
    low = np.clip(np.floor(at.min(axis=0)).astype(int) - _REACH_PX, 0, None)
    high = np.ceil(at.max(axis=0)).astype(int) + _REACH_PX
    part = np.ascontiguousarray(source[low[1] : max(high[1], low[1] + 1), low[0] : max(high[0], low[0] + 1)])
    if part.size == 0:
        part = np.ascontiguousarray(source[:1, :1])
        low = np.zeros(2, int)
    local = matrix.copy()
    local[:, 2] += matrix[:, :2] @ low
    return part, local
