"""How one file's picture lies against the one before it: shift, growth, and how alike the two are."""

from dataclasses import dataclass
from math import ceil

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

Float = NDArray[np.float32]
Byte = NDArray[np.uint8]
Calm = NDArray[np.int16]

PLACES = (9, 12)
_EVERY = 6  # px of the small picture between the places where its motion is looked at
_STRIDE_PX = 5
_ROUNDS = 5
_FEWEST = 12  # places that tell a motion
_TUKEY = 4.685
_LEAST_DETAIL, _MOST_DETAIL = 2.0, 12.0  # slope in grey values a px: less tells no motion, more tells no better
_MIDDLE = 100.0  # grey value to which pictures are brought
_MOST_GAIN = 20.0
_CALM_PX, _COARSER = 0.7, 4
_CALM_SUM = 16
_EVERY_ROW = 2  # every other row tells enough of how pictures differ
_ELSEWHERE_PX = 9


@dataclass(frozen=True, slots=True)
class Against:
    """The later frame against the earlier one.

    ``shift`` (x, y) of its middle in shares of the width, ``growth`` as a share, ``turn`` in radians. ``likeness`` is
    the correlation of the calmed pictures laid upon each other; ``changes`` (9, 12) how much they differ place by
    place as they are, in grey values of pictures whose middle is 100. ``refocused`` is how much of their difference
    looks as if focus had moved, ``by_chance`` how much of it noise alone makes look so (squares of grey values): see
    :func:`_refocused`.
    """

    shift: tuple[float, float]
    growth: float
    turn: float
    likeness: float
    changes: Float
    refocused: float
    by_chance: float


class Small:
    """A small grey picture (H, W, bytes), made ready for being compared with the one before and the one after.

    ``calm`` is the larger one that it was made of: sixteen times its grey values, and smoothed.
    """

    def __init__(self, grey: Byte, calm: Calm) -> None:
        self.calm, self.level = calm, max(float(cv2.mean(calm)[0]), 1.0)
        level = max(float(cv2.mean(grey)[0]), 1.0)
        self.grey = np.asarray(cv2.convertScaleAbs(grey, alpha=min(_MIDDLE / level, _MOST_GAIN)), np.uint8)
        soft = cv2.GaussianBlur(self.grey, (0, 0), 1.0)
        slopes = [np.asarray(cv2.Sobel(soft, cv2.CV_16S, *way), np.int16) for way in ((1, 0), (0, 1))]
        self.slope = np.hypot(*(one[_GRID].astype(np.float32) for one in slopes)) / np.float32(8)
        self.coarse = _calmed(self.grey)


_GRID = np.s_[_EVERY // 2 + 2 : -2 : _EVERY, _EVERY // 2 + 2 : -2 : _EVERY]


class Comparer:
    """Compares small pictures of one size. Not for two threads at once."""

    def __init__(self) -> None:
        self._flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_ULTRAFAST)
        self._flow.setPatchStride(_STRIDE_PX)

    def compare(self, before: Small, after: Small) -> Against | None:
        """None for pictures of two sizes."""
        if before.calm.shape != after.calm.shape:
            return None
        flow = np.asarray(self._flow.calc(before.grey, after.grey, None), np.float32)  # type: ignore[call-overload]
        detail = np.minimum(before.slope, after.slope)
        weight = np.where(detail > _LEAST_DETAIL, np.minimum(detail, _MOST_DETAIL), np.float32(0))
        motion = _motion(np.ascontiguousarray(flow[_GRID]), weight, *before.grey.shape)
        laid, there = _calmed(_laid(after.grey, motion)), _shared(before.grey.shape, motion)
        refocused, by_chance = _refocused(before.calm, after.calm, after.level / before.level)
        width = before.grey.shape[1]
        return Against(
            (float(motion[2]) / width, float(motion[3]) / width), float(motion[0]), float(motion[1]),
            _correlation(before.coarse[there], laid[there]), _by_place(before.coarse - after.coarse),
            refocused, by_chance,
        )  # fmt: skip


def _motion(flow: Float, weight: Float, height: int, width: int) -> NDArray[np.float64]:
    """Growth, turn, and shift in x and y of the whole: robust least squares over places that show detail in both."""
    told = weight > 0
    if np.count_nonzero(told) <= _FEWEST:
        return np.zeros(4)
    y, x = (
        _EVERY * at + (_EVERY // 2 + 2 - 0.5 * (side - 1))
        for at, side in zip(np.nonzero(told), (height, width), strict=True)
    )
    return np.asarray(_fitted(flow[told], weight[told], x, y), np.float64)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _fitted(flow: Float, weight: Float, x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.float64]:
    """Tukey's weights: places count less the farther they are from moving along with the whole."""
    motion = np.zeros(4)
    motion[2], motion[3] = np.median(flow[:, 0]), np.median(flow[:, 1])
    for _ in range(_ROUNDS):
        off_x = flow[:, 0] - (motion[0] * x - motion[1] * y + motion[2])
        off_y = flow[:, 1] - (motion[0] * y + motion[1] * x + motion[3])
        length = np.sqrt(off_x * off_x + off_y * off_y)
        far = _TUKEY * (1.4826 * np.median(length) + 0.02)
        w = weight * np.maximum(1.0 - (length / far) ** 2, 0.0) ** 2
        count, wx, wy = w.sum(), (w * x).sum(), (w * y).sum()
        wu, wv = (w * flow[:, 0]).sum(), (w * flow[:, 1]).sum()
        # About the centre of what counts, growth and turn are found apart from the shift.
        square = (w * (x * x + y * y)).sum() - (wx * wx + wy * wy) / count
        grows = (w * (x * flow[:, 0] + y * flow[:, 1])).sum() - (wx * wu + wy * wv) / count
        turns = (w * (x * flow[:, 1] - y * flow[:, 0])).sum() - (wx * wv - wy * wu) / count
        motion[0], motion[1] = grows / (square + 1e-6 * count), turns / (square + 1e-6 * count)
        motion[2] = (wu - motion[0] * wx + motion[1] * wy) / count
        motion[3] = (wv - motion[0] * wy - motion[1] * wx) / count
    return motion


def _laid(picture: Byte, motion: NDArray[np.float64]) -> Byte:
    height, width = picture.shape
    growth, turn, shift_x, shift_y = motion
    centre = np.array([(width - 1) / 2, (height - 1) / 2])
    linear = np.array([[1 + growth, -turn], [turn, 1 + growth]])
    matrix = np.column_stack([linear, centre + np.array([shift_x, shift_y]) - linear @ centre])
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    return np.asarray(
        cv2.warpAffine(picture, matrix, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE), np.uint8
    )


def _calmed(picture: Byte) -> Float:
    """A quarter of the size, and blurred: what a step of focus changes hardly shows."""
    height, width = (side // _COARSER for side in picture.shape)
    shrunk = cv2.resize(picture[: _COARSER * height, : _COARSER * width], (width, height), interpolation=cv2.INTER_AREA)
    return np.asarray(cv2.GaussianBlur(shrunk.astype(np.float32), (5, 5), _CALM_PX), np.float32)


def _shared(shape: tuple[int, ...], motion: NDArray[np.float64]) -> tuple[slice, slice]:
    """Rows and columns of the coarse picture that lie in both frames, with a pixel to spare."""
    height, width = (side // _COARSER for side in shape)
    x, y = (
        min(ceil(abs(one) / _COARSER) + 1, side // 3) for one, side in zip(motion[2:], (width, height), strict=True)
    )
    return slice(y, height - y), slice(x, width - x)


def _by_place(differs: Float) -> Float:
    return np.asarray(cv2.resize(np.abs(differs), PLACES[::-1], interpolation=cv2.INTER_AREA), np.float32)


def _correlation(first: Float, second: Float) -> float:
    first, second = first - first.mean(), second - second.mean()
    return float((first * second).sum() / np.sqrt((first * first).sum() * (second * second).sum() + 1e-6))


def _refocused(before: Calm, after: Calm, gain: float) -> tuple[float, float]:
    """How much of what two pictures differ by looks as if focus had moved, and how much of it noise makes look so.

    A little more blur changes a picture by its second derivatives (the heat equation): in each place the difference is
    held against those of the sum, for the noise of a sum and of a difference know nothing of each other. What is found
    with second derivatives of another place is chance. ``gain`` makes ``before`` as bright as ``after``.
    """
    along, square, elsewhere, its_square = bend_sums(before, after, gain)
    each = _CALM_SUM**2 * before.size / _EVERY_ROW
    found, chance = (float((one**2 / (two + np.float32(1e-3))).sum()) / each
                     for one, two in ((along, square), (elsewhere, its_square)))  # fmt: skip
    return found, chance


def bend_sums(before: Calm, after: Calm, gain: float) -> Float:
    """For each place (4, 9, 12): difference × bend of the sum, bend², and both with the bend of another place."""
    sums = np.zeros((4, *PLACES), np.float32)
    _add_alike(before, after, np.float32(gain), sums)
    return sums


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_alike(before: Calm, after: Calm, gain: np.float32, sums: Float) -> None:
    """Sums over places (4, rows, columns): difference × bend of the sum, bend², and both with the bend elsewhere."""
    rows, columns = sums.shape[1:]
    high, width = before.shape[0] // rows, before.shape[1]
    wide = (width - 2) // columns
    above, own, below = np.empty(width, np.float32), np.empty(width, np.float32), np.empty(width, np.float32)
    differ, bend = np.empty(width - 2, np.float32), np.empty(width - 2, np.float32)
    lines = np.empty((4, width - 2), np.float32)
    for row in range(rows):
        lines[:] = 0
        for y in range(max(row * high, 1), min((row + 1) * high, before.shape[0] - 1), _EVERY_ROW):
            _added(before[y - 1], after[y - 1], gain, above)
            _added(before[y], after[y], gain, own)
            _added(before[y + 1], after[y + 1], gain, below)
            _bent(above[1:], own, below[1:], bend)
            _differing(before[y, 1:], after[y, 1:], gain, differ)
            _add_products(differ, bend, lines[0], lines[1])
            _add_product(differ[_ELSEWHERE_PX:], bend, lines[2, _ELSEWHERE_PX:])
        lines[3, _ELSEWHERE_PX:] = lines[1, :-_ELSEWHERE_PX]
        for of in range(4):
            for column in range(columns):
                sums[of, row, column] = lines[of, column * wide : (column + 1) * wide].sum()


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _added(before: Calm, after: Calm, gain: np.float32, to: Float) -> None:
    for x in range(len(to)):
        to[x] = gain * np.float32(before[x]) + np.float32(after[x])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _differing(before: Calm, after: Calm, gain: np.float32, to: Float) -> None:
    for x in range(len(to)):
        to[x] = gain * np.float32(before[x]) - np.float32(after[x])


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _bent(above: Float, own: Float, below: Float, to: Float) -> None:
    middle, right = own[1:], own[2:]
    four = np.float32(4)
    for x in range(len(to)):
        to[x] = above[x] + below[x] + own[x] + right[x] - four * middle[x]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_products(differ: Float, bend: Float, of_both: Float, of_bend: Float) -> None:
    for x in range(len(differ)):
        of_both[x] += differ[x] * bend[x]
        of_bend[x] += bend[x] * bend[x]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_product(differ: Float, bend: Float, to: Float) -> None:
    for x in range(len(differ)):
        to[x] += differ[x] * bend[x]
