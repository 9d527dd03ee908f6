"""A part that moved, as a whole: the single frame that shows it best, and its way from base to tip."""

from collections.abc import Callable
from dataclasses import dataclass
from math import ceil

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.focus import focus_energy
from amber_ladder.core.frames import to_grey
from amber_ladder.core.mending._brush import Float, Point
from amber_ladder.core.mending._patch import Source
from amber_ladder.core.registration import inverse

_ASIDE, _LEAST_ASIDE_PX = 0.3, 16  # of the way's length, either way from the straight line
_CALM_PX = 3.0  # the middle of a part has as much detail as both of its rims
_NEAR_FRAMES = 1.5  # beyond the depths of base and tip
_BENDS = 0.15  # of a usual step's gain, for a step aside
_ROUNDS = 4
_EVERY_PX = 12.0  # between the points of the way that is told
_RIM = 0.35  # of the energy in the middle, at the rim of a part
_WIDER = 1.5
_LEAST_RADIUS_PX = 4.0


@dataclass(frozen=True, slots=True)
class Part:
    """``place`` of the frame that shows it best, its ``path`` (x, y) from base to tip, and a brush for it.

    ``figures`` says of each frame that was looked at how much detail it shows along its own best way, as a share of the
    best one's.
    """

    place: int
    path: tuple[Point, ...]
    radius_px: float
    figures: dict[int, float]


def propose_part(source: Callable[[int], Source], count: int, index: Float, base: Point, tip: Point) -> Part | None:
    """Look for the part between two points of the composite in each of ``count`` frames about its depth.

    ``source`` gives a frame by its place in the order of focus; each is read once. ``index`` (H, W) is where in that
    order each pixel is sharp, without gaps (see :func:`nearest_known`): what is sharp farther from the camera than base
    and tip is ground; NaN where nothing tells. None where both points are the same, or frames there show nothing.
    """
    length = float(np.hypot(tip[0] - base[0], tip[1] - base[1]))
    if length < 2.0:
        return None
    aside = max(_LEAST_ASIDE_PX, ceil(_ASIDE * length))
    way = np.array([tip[0] - base[0], tip[1] - base[1]]) / length
    across = np.array([-way[1], way[0]])
    steps = np.linspace(0.0, length, ceil(length) + 1)
    offs = np.arange(-aside, aside + 1, dtype=np.float64)
    at = np.array(base) + steps[None, :, None] * way + offs[:, None, None] * across  # (across, along, 2)
    depths = [float(index[_inside(index, point)]) for point in (base, tip)]
    first, last = 0, count - 1
    if np.isfinite(depths).all():
        first, last = max(0, ceil(min(depths) - _NEAR_FRAMES)), min(last, int(max(depths) + _NEAR_FRAMES))
    best: tuple[float, NDArray[np.intp], Float] | None = None
    place, shown = first, {}
    for one in range(first, last + 1):
        energy = _energy(source(one), at)
        rows = _best_way(np.sqrt(energy), _BENDS)
        figure = float(np.sqrt(energy)[rows, np.arange(energy.shape[1])].mean())
        shown[one] = figure
        if best is None or figure > best[0]:
            best, place = (figure, rows, energy), one
    if best is None or best[0] <= 0:
        return None
    figure, rows, energy = best
    radius = _radius(energy, rows)
    calm = _middle(energy, rows, radius)
    points = np.linspace(0, len(steps) - 1, max(2, round(length / _EVERY_PX) + 1))
    lines = np.interp(points, np.arange(len(steps)), calm) - aside
    path = np.array(base) + points[:, None] * (length / (len(steps) - 1)) * way + lines[:, None] * across
    path[0], path[-1] = base, tip
    told = tuple((float(x), float(y)) for x, y in path)
    return Part(place, told, radius, {key: value / figure for key, value in shown.items()})


def _inside(index: Float, point: Point) -> tuple[int, int]:
    y, x = (int(np.clip(round(one), 0, side - 1)) for one, side in zip(point[::-1], index.shape, strict=True))
    return y, x


def _energy(source: Source, at: NDArray[np.float64]) -> Float:
    """Detail of a frame along and across a way (across, along), straightened."""
    back = inverse(source.matrix)
    there = at @ back[:, :2].T + back[:, 2]
    grey = to_grey(source.picture, 1) * np.float32(source.gain)
    straight = cv2.remap(
        grey, there[..., 0].astype(np.float32), there[..., 1].astype(np.float32), cv2.INTER_LINEAR,
        borderMode=cv2.BORDER_REPLICATE,
    )  # fmt: skip
    return np.asarray(cv2.GaussianBlur(focus_energy(np.asarray(straight, np.float32)), (0, 0), _CALM_PX), np.float32)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _best_way(gain: Float, bends: float) -> NDArray[np.intp]:
    """Row of each column of the way that gains most, from the middle row at the first to that at the last column.

    It goes aside by one row a column at most, which costs ``bends`` of a usual gain (dynamic programming).
    """
    height, width = gain.shape
    price = np.float32(bends * gain.mean())
    total = np.full((height, width), -np.inf, np.float32)
    came = np.zeros((height, width), np.int8)
    total[height // 2, 0] = gain[height // 2, 0]
    for x in range(1, width):
        for y in range(height):
            best, way = total[y, x - 1], 0
            if y > 0 and total[y - 1, x - 1] - price > best:
                best, way = total[y - 1, x - 1] - price, -1
            if y + 1 < height and total[y + 1, x - 1] - price > best:
                best, way = total[y + 1, x - 1] - price, 1
            total[y, x], came[y, x] = best + gain[y, x], way
    rows = np.empty(width, np.intp)
    rows[width - 1] = height // 2
    for x in range(width - 1, 0, -1):
        rows[x - 1] = rows[x] + came[rows[x], x]
    return rows


def _middle(energy: Float, rows: NDArray[np.intp], radius: float) -> Float:
    """Rows of the middle of a part, whichever of its rims shows more."""
    lines = rows.astype(np.float32)
    y = np.arange(energy.shape[0], dtype=np.float32)[:, None]
    strength = np.sqrt(energy)
    for _ in range(_ROUNDS):
        weight = strength * (np.abs(y - lines) <= radius)
        lines = (weight * y).sum(axis=0) / np.maximum(weight.sum(axis=0), 1e-9)
        lines = cv2.GaussianBlur(lines[None], (0, 0), _EVERY_PX / 2)[0].astype(np.float32)
    return np.asarray(lines, np.float32)


def _radius(energy: Float, rows: NDArray[np.intp]) -> float:
    """Half the width over which a part shows, the median along its way, and a little more."""
    height, width = energy.shape
    reach = np.arange(height)[:, None] - rows[None, :]
    middle = np.median(energy[rows, np.arange(width)])
    wide = [
        float(np.median(energy[np.clip(rows + side * off, 0, height - 1), np.arange(width)]))
        for off in range(int(np.abs(reach).max())) for side in (-1, 1)
    ]  # fmt: skip
    below = next((at // 2 for at, one in enumerate(wide) if one < _RIM * middle), len(wide) // 2)
    return max(_LEAST_RADIUS_PX, _WIDER * below)
