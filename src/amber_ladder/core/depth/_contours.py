"""Lines of equal depth."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

_LOOKED_AT_PX = 800  # the longer side of the copy in which lines are looked for
_CALM_PX = 1.5
_ABOUT = 10  # lines in all
_SHORTEST_PX = 16
_EVEN_PX = 7  # of a line, over which the pixels' stairs are evened out
_OFF_PX = 0.4


@dataclass(frozen=True, slots=True)
class Contour:
    """A line of equal ``depth``: ``points`` (N, 2) are x and y in px of the map."""

    depth: float
    points: Float


def contour_step(near: float, far: float) -> float:
    """1, 2 or 5 times a power of ten, for about ten lines between two depths."""
    rough = max(far - near, 1e-9) / _ABOUT
    power = 10.0 ** np.floor(np.log10(rough))
    return float(power * next(one for one in (1, 2, 5, 10) if one * power >= 0.7 * rough))


def contours(depth: Float, step: float) -> list[Contour]:
    """Lines at whole multiples of ``step`` of a depth map (H, W), NaN where unknown.

    They are right within a pixel or two of a map of 800 px, end where depth is unknown, and leave out what is short.
    """
    factor = max(1.0, max(depth.shape) / _LOOKED_AT_PX)
    size = (round(depth.shape[1] / factor), round(depth.shape[0] / factor))
    known = np.isfinite(depth)
    weight = cv2.resize(known.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    filled = cv2.resize(np.where(known, depth, 0).astype(np.float32), size, interpolation=cv2.INTER_AREA)
    share = cv2.GaussianBlur(weight, (0, 0), _CALM_PX)
    calm = np.asarray(cv2.GaussianBlur(filled, (0, 0), _CALM_PX) / np.maximum(share, 1e-6), np.float32)
    open_px = (weight < 0.5).astype(np.uint8)
    open_px[[0, -1]] = 1
    open_px[:, [0, -1]] = 1
    outside = cv2.dilate(open_px, np.ones((3, 3), np.uint8)) > 0
    if outside.all():
        return []
    low, high = float(calm[~outside].min()), float(calm[~outside].max())
    levels = np.arange(np.ceil(low / step), np.floor(high / step) + 1) * step
    back = np.array([depth.shape[1] / size[0], depth.shape[0] / size[1]], np.float32)
    found = []
    for level in levels:
        beyond = ((calm > level) & (weight > 0)).astype(np.uint8)
        edges, _ = cv2.findContours(beyond, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)
        for edge in edges:
            for run in _inside(edge[:, 0], outside):
                points = (_even(_between(run, calm, float(level))) + 0.5) * back
                few = cv2.approxPolyDP(points[:, None].astype(np.float32), _OFF_PX * factor, closed=False)
                found.append(Contour(float(level), np.asarray(few[:, 0], np.float32)))
    return found


def _inside(edge: NDArray[np.int32], outside: NDArray[np.bool_]) -> list[NDArray[np.int32]]:
    """The parts of a closed line of pixels that lie where depth is known."""
    out = outside[edge[:, 1], edge[:, 0]]
    if not out.any():
        return [np.vstack([edge, edge[:1]])] if len(edge) >= _SHORTEST_PX else []
    # Begun where it is outside, no part of it is cut in two by its end.
    first = int(np.flatnonzero(out)[0])
    edge, out = np.roll(edge, -first, axis=0), np.roll(out, -first)
    cuts = np.flatnonzero(np.diff(out.astype(np.int8))) + 1
    parts = zip(np.split(edge, cuts), np.split(out, cuts), strict=True)
    return [part for part, away in parts if not away[0] and len(part) >= _SHORTEST_PX]


def _between(run: NDArray[np.int32], calm: Float, level: float) -> Float:
    """The pixels just beyond a level, moved to where it is passed."""
    x, y = run[:, 0], run[:, 1]
    gx, gy = 0.5 * (calm[y, x + 1] - calm[y, x - 1]), 0.5 * (calm[y + 1, x] - calm[y - 1, x])
    steep = np.maximum(gx * gx + gy * gy, 1e-12)
    over = np.clip((calm[y, x] - level) / np.sqrt(steep), 0.0, 1.5) / np.sqrt(steep)
    return np.stack([x - gx * over, y - gy * over], axis=1).astype(np.float32)


def _even(points: Float) -> Float:
    closed = bool(np.abs(points[0] - points[-1]).max() < 1e-6)
    reach = _EVEN_PX // 2
    if closed:
        around = np.vstack([points[-1 - reach : -1], points, points[1 : 1 + reach]])
    else:
        around = np.pad(points, ((reach, reach), (0, 0)), mode="edge")
    kernel = np.ones(_EVEN_PX) / _EVEN_PX
    return np.stack([np.convolve(around[:, c], kernel, mode="valid") for c in (0, 1)], axis=1).astype(np.float32)
