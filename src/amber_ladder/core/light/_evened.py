"""How much brighter one frame is than another, although focus moves light about and highlights are clipped."""

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]

APART = (1, 2, 3, 5)
"""How far apart the frames are that are compared, in frames."""
_CALM_PX = 4.0  # of the small picture: defocus of neighbours moves light less far
_MOST_SPREAD_PX2 = _CALM_PX**2  # more is no small change of a calmed picture
_CLIPPED, _BLACK = 0.94, 0.002  # of linear light
_TUKEY, _ROUNDS = 4.685, 8
_EVERY = 3  # pixels, across and down: between them, calmed pictures say nothing new
_THIN = np.s_[1::_EVERY, 1::_EVERY]
_FEWEST = 20


def log_ratio(first: Float, second: Float, spread_px2: Float | None = None) -> tuple[float, float] | None:
    """Logarithm of how much brighter ``first`` is than ``second``, and its standard uncertainty; None if none tells.

    Both are small pictures (H, W) of linear light, one upon the other, negative where a frame does not reach. Light
    that focus moves away from a place arrives beside it: calmed pictures are compared, place by place, and the robust
    centre of their log ratios counts (Tukey). What is clipped in either does not keep its light, nor do its neighbours.

    ``spread_px2`` (H, W) is by what variance (px²) focus blurs each place more in ``second``, where that is known: what
    it moves, ½ s ∇²C + ∇s · ∇C to first order, is taken back. The sum over a picture is the same without, but the
    robust centre is not, and over many frames that adds up. A place that spreads its light evenly keeps it, and where
    all around is as bright nothing changes: hence ∇²(s C) without C ∇²s.
    """
    spoilt = ((np.maximum(first, second) > _CLIPPED) | (np.minimum(first, second) < 0)).astype(np.uint8)
    near = cv2.dilate(spoilt, np.ones((2 * round(2 * _CALM_PX) + 1,) * 2, np.uint8))[_THIN]
    lights = [np.maximum(picture, 0) for picture in (first, second)]
    one, two = (_calmed(light) for light in lights)
    if spread_px2 is not None:
        s = np.asarray(np.clip(spread_px2, -_MOST_SPREAD_PX2, _MOST_SPREAD_PX2), np.float32)
        mean = np.asarray(0.5 * (lights[0] + lights[1]), np.float32)
        moved = 0.5 * (_bend(np.asarray(s * mean, np.float32)) - 0.5 * (one + two) * _bend(s))
        two = np.asarray(two - moved, np.float32)
    one, two = one[_THIN], two[_THIN]
    usable = (near == 0) & (np.minimum(one, two) > _BLACK)
    if np.count_nonzero(usable) < _FEWEST:
        return None
    ratios = np.log(one[usable] / two[usable]).astype(np.float64)
    centre = float(np.median(ratios))
    for _ in range(_ROUNDS):
        off = ratios - centre
        spread = 1.4826 * float(np.median(np.abs(off))) + 1e-5
        tail = off / (_TUKEY * spread)
        weight = np.where(np.abs(tail) < 1.0, (1.0 - tail * tail) ** 2, 0.0)
        centre = float((weight * ratios).sum() / weight.sum())  # no BLAS: its threads cost more than they save here
    witnesses = max(_EVERY**2 * ratios.size / (4.0 * np.pi * _CALM_PX**2), 1.0)
    return centre, spread / float(np.sqrt(witnesses)) + 1e-4


def _calmed(plane: Float) -> Float:
    return np.asarray(cv2.GaussianBlur(plane, (0, 0), _CALM_PX), np.float32)


def _bend(plane: Float) -> Float:
    """∇² of a calmed plane."""
    return np.asarray(cv2.Laplacian(_calmed(plane), cv2.CV_32F), np.float32)


def even_out(ratios: Sequence[tuple[int, int, float, float]], count: int) -> NDArray[np.float64]:
    """Factors (N,) of linear light that bring all frames to the brightness of the median frame.

    ``ratios`` are pairs of frames with the logarithm of how much brighter the first is, and its uncertainty: one graph,
    solved by least squares.
    """
    normal, right = np.zeros((count, count)), np.zeros(count)
    for first, second, ratio, spread in ratios:
        say = 1.0 / spread**2
        normal[first, first] += say
        normal[second, second] += say
        normal[first, second] -= say
        normal[second, first] -= say
        right[first] += say * ratio
        right[second] -= say * ratio
    # Ratios leave the common brightness open, and frames that nothing tells of: those stay as they are.
    logs = np.linalg.solve(normal + (1e-9 * normal.max(initial=0.0) + 1e-9) * np.eye(count), right)
    return np.asarray(np.exp(np.median(logs) - logs), np.float64)
