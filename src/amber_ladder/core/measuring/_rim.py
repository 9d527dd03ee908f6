"""The rim of something round in a picture, to a tenth of a pixel: the outline of a ball, or of a coin seen aslant."""

from dataclasses import dataclass
from math import sqrt

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring._fits import circle
from amber_ladder.errors import BadInput

Float = NDArray[np.float32]
Double = NDArray[np.float64]

_DIRECTIONS = 360
_SIGMA_PX = 1.5
_REACH = (0.2, 0.06)  # of the radius, on either side of where the rim is thought to be: first, then closer
_LEAST_REACH_PX = 6.0
_FOUND = 0.4  # of the directions have to agree on one rim
_OFF = 3.0  # times the robust scatter: an edge of something else
_LEAST_SCATTER_PX = 0.1
_MOST_SCATTER_PX, _MOST_SCATTER = 1.2, 0.006  # edges of blotches lie three times as far apart
_ALIKE_DIRECTIONS = 4.0  # errors of neighbouring directions are about alike


@dataclass(frozen=True, slots=True)
class Rim:
    """A rim that was found: its middle (x, y), half its longest and its shortest diameter, px.

    ``turn_deg`` is where the longest one points, from the rows, clockwise as seen. ``u_px`` is the standard uncertainty
    of half of it. ``share`` of the directions were found.
    """

    middle: tuple[float, float]
    longest_px: float
    shortest_px: float
    turn_deg: float
    u_px: float
    share: float


def find_rim(grey: Float, places: Double, *, aslant: bool) -> Rim:
    """The rim beside ``places`` (N, 2) px, N ≥ 3, in a grey picture (H, W).

    Along many directions from its middle the strongest edge of one and the same polarity is sought, and a circle (or,
    ``aslant``, an ellipse) laid through those, edges of other things left out. Raises BadInput where there is none.
    """
    x, y, radius = circle(np.asarray(places, np.float64))
    if not np.isfinite(radius) or radius > 4 * max(grey.shape):
        raise BadInput("the places lie on one line: pick them around the rim", field="points")
    if radius < 5:
        raise BadInput("this is too small: a rim of ten pixels at least is needed", field="points")
    soft = np.asarray(cv2.GaussianBlur(np.ascontiguousarray(grey, np.float32), (0, 0), _SIGMA_PX), np.float32)
    shape = np.array([x, y, radius, radius, 0.0])
    edges = np.empty((0, 2))
    for reach in _REACH:
        edges = _edges(soft, shape, max(_LEAST_REACH_PX, reach * radius))
        if len(edges) < _FOUND * _DIRECTIONS:
            raise BadInput("no rim is found beside these places: pick them closer to it, or use two points")
        shape, edges = _fitted(edges, aslant)
    off = _off(edges, shape)
    share = len(edges) / _DIRECTIONS
    if share < _FOUND:
        raise BadInput("no one rim is found beside these places: pick them closer to it, or use two points")
    scatter = max(float(np.std(off)), _LEAST_SCATTER_PX)
    if scatter > max(_MOST_SCATTER_PX, _MOST_SCATTER * radius):
        raise BadInput("no rim is found beside these places: pick them closer to it, or use two points")
    u = scatter / sqrt(len(edges) / _ALIKE_DIRECTIONS) * sqrt(2.0)
    longest, shortest = max(shape[2], shape[3]), min(shape[2], shape[3])
    turn = float(np.rad2deg(shape[4])) + (0.0 if shape[2] >= shape[3] else 90.0)
    return Rim((float(shape[0]), float(shape[1])), float(longest), float(shortest), turn % 180.0, u, share)


def _edges(soft: Float, shape: Double, reach: float) -> Double:
    """The strongest edge (N, 2) px across the rim in each direction, of the polarity that most have."""
    angle = np.linspace(0.0, 2 * np.pi, _DIRECTIONS, endpoint=False)
    on, outwards = _on(shape, angle)
    steps = np.arange(-reach, reach + 0.25, 0.5)
    at = on[:, None] + steps[None, :, None] * outwards[:, None]
    height, width = soft.shape
    inside = ((at >= 0) & (at <= [width - 1, height - 1])).all(axis=(1, 2))
    seen = cv2.remap(soft, at[..., 0].astype(np.float32), at[..., 1].astype(np.float32), cv2.INTER_LINEAR)
    rise = np.gradient(np.asarray(seen, np.float64), axis=1)
    # The nearer to where the rim is thought to be, the more an edge counts.
    near = 1.0 - 0.5 * np.abs(steps) / reach
    strongest = np.abs(rise[:, 1:-1]) * near[1:-1]
    strength = np.take_along_axis(rise[:, 1:-1], strongest.argmax(axis=1)[:, None], axis=1)[:, 0]
    polarity = 1.0 if np.sum(strength[inside]) >= 0 else -1.0
    along = polarity * rise
    best = (along[:, 1:-1] * near[1:-1]).argmax(axis=1) + 1
    rows = np.arange(_DIRECTIONS)
    before, here, after = (along[rows, best + side] for side in (-1, 0, 1))
    bend = before - 2 * here + after
    shift = np.where(bend < 0, np.clip(0.5 * (before - after) / np.where(bend < 0, bend, -1.0), -1.0, 1.0), 0.0)
    found = inside & (here > 0.25 * np.median(here[inside]) if inside.any() else inside)
    offset = steps[best] + 0.5 * shift
    return np.asarray((on + offset[:, None] * outwards)[found], np.float64)


def _on(shape: Double, angle: Double) -> tuple[Double, Double]:
    """Places (N, 2) on an ellipse (x, y, half axes, turn), and the directions outwards there."""
    x, y, a, b, turn = shape
    c, s = np.cos(turn), np.sin(turn)
    along, across = a * np.cos(angle), b * np.sin(angle)
    on = np.column_stack([x + c * along - s * across, y + s * along + c * across])
    steep, wide = np.cos(angle) / a, np.sin(angle) / b
    outwards = np.column_stack([c * steep - s * wide, s * steep + c * wide])
    return on, outwards / np.linalg.norm(outwards, axis=1)[:, None]


def _fitted(edges: Double, aslant: bool) -> tuple[Double, Double]:
    """The ellipse or circle through edges, and those of them that lie on it."""
    kept = edges
    shape = np.zeros(5)
    for _ in range(6):
        if aslant:
            (x, y), (a, b), turn = cv2.fitEllipseDirect(kept.astype(np.float32))
            shape = np.array([x, y, a / 2, b / 2, np.deg2rad(turn)])
        else:
            x, y, radius = circle(kept)
            shape = np.array([x, y, radius, radius, 0.0])
        off = _off(edges, shape)
        scatter = max(1.4826 * float(np.median(np.abs(off - np.median(off)))), _LEAST_SCATTER_PX)
        on_it = np.abs(off) <= _OFF * scatter
        if on_it.sum() < 8:
            raise BadInput("no one rim is found beside these places: pick them closer to it, or use two points")
        if len(kept) == int(on_it.sum()) and np.array_equal(kept, edges[on_it]):
            break
        kept = edges[on_it]
    return shape, kept


def _off(edges: Double, shape: Double) -> Double:
    """How far edges (N, 2) lie outside an ellipse, px (to the first order)."""
    x, y, a, b, turn = shape
    c, s = np.cos(turn), np.sin(turn)
    dx, dy = edges[:, 0] - x, edges[:, 1] - y
    u, v = (c * dx + s * dy), (-s * dx + c * dy)
    value = np.hypot(u / a, v / b)
    steep = np.hypot(u / a**2, v / b**2) / np.maximum(value, 1e-9)
    return np.asarray((value - 1.0) / np.maximum(steep, 1e-12), np.float64)
