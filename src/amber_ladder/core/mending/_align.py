"""Laying a patch of a frame onto what surrounds a stroke: by fractions of a pixel, and at its brightness."""

from dataclasses import dataclass
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.registration import inverse_scaled, warp

Float = NDArray[np.float32]

_CALM_PX = 2.0
"""Standard deviation of the blur in which both are compared, first at half the size: it evens out their focus."""
_ROUNDS = 8
_FARTHEST_PX = 4.0  # frames are aligned already: what lies farther off is something else
_SUREST_PX = 0.3
_TUKEY = 4.685
_SETTLED_PX = 0.002
_TOLD_PX = 100.0  # of weight: fewer pixels tell nothing
_DARKEST = 0.02
_MOST_GAIN = 1.3
_LOOKED_AT_PX = 256


@dataclass(frozen=True, slots=True)
class Fitted:
    """A patch has to be moved by ``shift_px`` (x, y), uncertain by ``u_px``, and multiplied by ``gains`` (3).

    ``found`` is whether its surroundings told so: else nothing is moved.
    """

    shift_px: tuple[float, float]
    u_px: float
    gains: tuple[float, float, float]
    found: bool


def fitted(picture: Float, patch: Float, weight: Float) -> Fitted:
    """How a patch lies against the picture, both RGB (H, W, 3) from 0 to 1.

    ``weight`` (H, W) tells which pixels count: around a stroke, not below it, for what is below is being replaced.
    Gauss-Newton on the calmed grey (Lucas & Kanade 1981) with Tukey's weights: what moved there counts little.
    """
    one, two = (np.asarray(cv2.cvtColor(each, cv2.COLOR_RGB2GRAY), np.float32) for each in (picture, patch))
    half = [_halved(each) for each in (one, two, weight)]
    gains = _gains(_halved(picture), _halved(patch), half[2])
    shift, u = np.zeros(2), np.inf
    for scale, (first, second, told) in ((2, half), (1, [one, two, weight])):
        shift, u = _refined(_calmed(first), _calmed(second), told, shift / scale)
        shift, u = scale * shift, scale * u
        if not np.isfinite(u) or np.hypot(*shift) > _FARTHEST_PX:
            return Fitted((0.0, 0.0), float("nan"), gains, False)
    found = u < _SUREST_PX
    kept = shift if found else np.zeros(2)
    return Fitted((float(kept[0]), float(kept[1])), float(u), gains, found)


def likeness(picture: NDArray[Any], other: NDArray[Any], matrix: NDArray[np.float64]) -> float:
    """How alike two pictures of one size (H, W, 3) are where ``matrix`` lays the other on the first: from -1 to 1.

    The correlation of what is smaller than a sixteenth of the picture: shading alone is no likeness. Two merges of the
    same frames come to 0.9 and more, those of two specimens to nothing.
    """
    every = max(1, round(max(picture.shape[:2]) / _LOOKED_AT_PX))
    size = picture.shape[1] // every, picture.shape[0] // every
    one, two = (np.asarray(cv2.cvtColor(cv2.resize(each, size, interpolation=cv2.INTER_AREA), cv2.COLOR_RGB2GRAY),
                           np.float32) for each in (picture, other))  # fmt: skip
    small = inverse_scaled(matrix, every)
    two = np.asarray(cv2.warpAffine(two, small, size), np.float32)
    within = np.asarray(cv2.warpAffine(np.ones(one.shape, np.float32), small, size)) > 0.99
    told = [(each - cv2.GaussianBlur(each, (0, 0), max(size) / 32.0))[within] for each in (one, two)]
    spread = float(np.sqrt(np.square(told[0]).sum() * np.square(told[1]).sum()))
    return float((told[0] * told[1]).sum()) / spread if spread > 0.0 else 1.0


def _halved(picture: Float) -> Float:
    """Means of two by two pixels; an odd last row or column is left off."""
    height, width = (side - side % 2 for side in picture.shape[:2])
    smaller = cv2.resize(picture[:height, :width], (width // 2, height // 2), interpolation=cv2.INTER_AREA)
    return np.asarray(smaller, np.float32)


def _calmed(grey: Float) -> Float:
    return np.asarray(cv2.GaussianBlur(grey, (0, 0), _CALM_PX), np.float32)


def _refined(one: Float, two: Float, weight: Float, start: NDArray[np.float64]) -> tuple[NDArray[np.float64], float]:
    """The shift that lays ``two`` onto ``one``, and its standard uncertainty; infinite where nothing tells."""
    shift, u = start.copy(), np.inf
    slope_x, slope_y = (
        np.asarray(cv2.Sobel(one, cv2.CV_32F, *way, scale=0.125), np.float32) for way in ((1, 0), (0, 1))
    )
    if float(weight.sum()) < _TOLD_PX:
        return shift, u
    for _ in range(_ROUNDS):
        laid = warp(two, np.array([[1.0, 0.0, shift[0]], [0.0, 1.0, shift[1]]]))
        off = one - laid * np.float32((weight * one).sum() / max(float((weight * laid).sum()), 1e-6))
        spread = 1.4826 * float(np.median(np.abs(off[weight > 0.5]))) + 1e-5
        robust = weight * np.square(np.maximum(1.0 - np.square(off / (_TUKEY * spread)), 0.0))
        normal = np.array([
            [(robust * slope_x * slope_x).sum(), (robust * slope_x * slope_y).sum()],
            [(robust * slope_x * slope_y).sum(), (robust * slope_y * slope_y).sum()],
        ], np.float64)  # fmt: skip
        if np.linalg.det(normal) < 1e-12 * max(np.trace(normal), 1e-12) ** 2 or np.trace(normal) <= 0:
            return shift, np.inf
        # Moving the patch by d changes it by −d · slope.
        step = -np.linalg.solve(normal, [(robust * slope_x * off).sum(), (robust * slope_y * off).sum()])
        shift = shift + step
        # Blurred pixels don't err by themselves: so many of them share one error.
        variance = float((robust * off * off).sum() / max(float(robust.sum()), 1e-9)) * 4.0 * np.pi * _CALM_PX**2
        u = float(np.sqrt(variance * np.linalg.inv(normal).diagonal().max()))
        if np.hypot(*step) < _SETTLED_PX or np.hypot(*shift) > 2 * _FARTHEST_PX:
            break
    return shift, u


def _gains(picture: Float, patch: Float, weight: Float) -> tuple[float, float, float]:
    """What each channel of the patch has to be multiplied by: the median of what its surroundings ask for."""
    gains = []
    for channel in range(3):
        one, two = (np.ascontiguousarray(each[..., channel]) for each in (picture, patch))
        one, two = _calmed(one), _calmed(two)
        told = (weight > 0.5) & (two > _DARKEST) & (one > _DARKEST)
        ratio = float(np.median(one[told] / two[told])) if np.count_nonzero(told) > _TOLD_PX else 1.0
        gains.append(ratio if 1 / _MOST_GAIN < ratio < _MOST_GAIN else 1.0)
    return gains[0], gains[1], gains[2]
