"""How one file's picture lies against the one before it: shift, growth, what moved, and how alike they are."""

from dataclasses import dataclass
from math import ceil

import cv2
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]
Byte = NDArray[np.uint8]

PLACES = (9, 12)
_EVERY = 6  # px of the small picture between the places where its motion is looked at
_ROUNDS = 6
_TUKEY = 4.685
_LEAST_DETAIL = 2.0  # slope in grey values a px: less tells no motion
_CALM_PX, _COARSER = 2.0, 4


@dataclass(frozen=True, slots=True)
class Against:
    """The later frame against the earlier one, in px of the small picture.

    ``shift`` (x, y) of its middle, ``growth`` as a share, ``turn`` in radians. ``likeness`` is the correlation of the
    calmed pictures laid upon each other; ``differs`` (9, 12) how much they differ place by place, and ``changes`` how
    much they do as they are, in grey values of pictures whose middle is 100.
    """

    shift: tuple[float, float]
    growth: float
    turn: float
    likeness: float
    differs: Float
    changes: Float


class Comparer:
    """Compares small pictures (H, W, bytes) of one size; keeps what is needed for it. Not for two threads at once."""

    def __init__(self) -> None:
        self._flow = cv2.DISOpticalFlow_create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)

    def compare(self, before: Byte, after: Byte) -> Against | None:
        """None for pictures of two sizes."""
        if before.shape != after.shape:
            return None
        level = [max(float(cv2.mean(one)[0]), 1.0) for one in (before, after)]
        one = np.asarray(cv2.convertScaleAbs(before, alpha=min(100.0 / level[0], 20.0)), np.uint8)
        two = np.asarray(cv2.convertScaleAbs(after, alpha=min(100.0 / level[1], 20.0)), np.uint8)
        flow = np.asarray(self._flow.calc(one, two, None), np.float32)  # type: ignore[call-overload]
        motion = _motion(one, two, flow)
        first, second, there = _calmed(one), _calmed(_laid(two, motion)), _shared(one.shape, motion)
        likeness = _correlation(first[there], second[there])
        return Against(
            (float(motion[2]), float(motion[3])), float(motion[0]), float(motion[1]), likeness,
            _by_place(first, np.where(there, second, first)), _by_place(first, _calmed(two)),
        )  # fmt: skip


def _motion(one: Byte, two: Byte, flow: Float) -> NDArray[np.float64]:
    """Growth, turn, and shift in x and y of the whole: robust least squares over places that show detail in both."""
    height, width = one.shape
    inner = np.s_[_EVERY // 2 + 2 : -2 : _EVERY, _EVERY // 2 + 2 : -2 : _EVERY]
    slope = [
        np.hypot(cv2.Sobel(calm, cv2.CV_32F, 1, 0, scale=0.125)[inner], cv2.Sobel(calm, cv2.CV_32F, 0, 1, scale=0.125)[inner])
        for calm in (cv2.GaussianBlur(picture, (0, 0), 1.0) for picture in (one, two))
    ]
    detail = np.minimum(slope[0], slope[1])
    weight = np.where(detail > _LEAST_DETAIL, np.minimum(detail, 12.0), 0.0).astype(np.float32)
    vectors = flow[inner].reshape(-1, 2)
    y, x = np.mgrid[0:height, 0:width][(slice(None), *inner)].astype(np.float32)
    x, y = x.ravel() - np.float32((width - 1) / 2), y.ravel() - np.float32((height - 1) / 2)
    base, motion = weight.ravel(), np.zeros(4)
    if np.count_nonzero(base) > 12:
        motion[2:] = np.median(vectors[base > 0], axis=0)
        rows = np.zeros((2 * x.size, 4), np.float32)
        rows[::2, 0], rows[::2, 1], rows[::2, 2] = x, -y, 1
        rows[1::2, 0], rows[1::2, 1], rows[1::2, 3] = y, x, 1
        for _ in range(_ROUNDS):
            off = vectors - (rows @ motion.astype(np.float32)).reshape(-1, 2)
            length = np.hypot(off[:, 0], off[:, 1])
            spread = 1.4826 * float(np.median(length[base > 0])) + 0.02
            robust = np.clip(1.0 - (length / (_TUKEY * spread)) ** 2, 0.0, None) ** 2 * base
            weighted = rows * np.repeat(robust, 2)[:, None]
            normal = (weighted.T @ rows).astype(np.float64)
            if np.linalg.cond(normal) > 1e9:
                break
            motion = np.linalg.solve(normal, (weighted.T @ vectors.ravel()).astype(np.float64))
    return motion


def _laid(picture: Byte, motion: NDArray[np.float64]) -> Byte:
    height, width = picture.shape
    growth, turn, shift_x, shift_y = motion
    centre = np.array([(width - 1) / 2, (height - 1) / 2])
    linear = np.array([[1 + growth, -turn], [turn, 1 + growth]])
    matrix = np.column_stack([linear, centre + (shift_x, shift_y) - linear @ centre])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(
        cv2.warpAffine(picture, matrix, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE), np.uint8
    )


def _calmed(picture: Byte) -> Float:
    calm = cv2.GaussianBlur(picture, (0, 0), _CALM_PX)
    return np.asarray(cv2.resize(calm, None, fx=1 / _COARSER, fy=1 / _COARSER, interpolation=cv2.INTER_AREA), np.float32)


def _shared(shape: tuple[int, ...], motion: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which pixels of the coarse picture lie in both frames, with a pixel to spare."""
    height, width = (round(side / _COARSER) for side in shape)
    x, y = (min(ceil(abs(one) / _COARSER) + 1, side // 3) for one, side in zip(motion[2:], (width, height), strict=True))
    there = np.zeros((height, width), np.bool_)
    there[y : height - y, x : width - x] = True
    return there


def _by_place(first: Float, second: Float) -> Float:
    return np.asarray(cv2.resize(np.abs(first - second), PLACES[::-1], interpolation=cv2.INTER_AREA), np.float32)


def _correlation(first: Float, second: Float) -> float:
    first, second = first - first.mean(), second - second.mean()
    return float((first * second).sum() / np.sqrt((first * first).sum() * (second * second).sum() + 1e-6))
