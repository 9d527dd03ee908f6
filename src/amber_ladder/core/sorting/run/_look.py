"""What one look at a file tells: its light, its detail tile by tile and direction by direction, and a small picture."""

from dataclasses import dataclass
from math import ceil

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb
from amber_ladder.core.sorting.run._pair import Calm, Small

Float = NDArray[np.float32]
Byte = NDArray[np.uint8]

TILES = (18, 24)
"""Rows and columns of the grid on which detail is told: a hair still fills a tile."""
DIRECTIONS = 8
THUMB = (36, 48)
_SMALL_PX = 240  # width of the picture in which neighbours are compared
_CLIPPED = 253
_LEAST_DETAIL = 0.05  # grey values: a file without noise has as much, so that shares of it stay sensible
_CALMEST, _STANDS_OUT, _LEFT_DARK = 15, 1.3, 0.22
_BLURRED, _CRISP = 0.3, 0.5  # detail against that at half the size: a quarter where all is smooth
_CELLS = 6  # across and down: defocus carries little light from one to the next
_BLACKEST = 2.0**-13  # of white: darker is black in a file of 8 bits
_LINEAR = decode_srgb(np.arange(256, dtype=np.float32) / np.float32(255))
_ANGLE = np.arange(DIRECTIONS) * np.pi / DIRECTIONS
_CC, _SS, _SC = np.cos(_ANGLE) ** 2, np.sin(_ANGLE) ** 2, np.sin(_ANGLE) * np.cos(_ANGLE)
_ALONG = np.stack([
    _CC**2, _SS**2, 4 * _SC**2, 2 * _CC * _SS, 4 * _CC * _SC, 4 * _SS * _SC,
]).astype(np.float32)  # fmt: skip
"""What each product of second derivatives (xx², yy², xy², xx·yy, xx·xy, yy·xy) says of each direction."""
_BINOMIAL = np.array([1, 2, 1], np.float32)
_CALM_SUM = 16  # of its weights across and down


@dataclass(frozen=True, slots=True)
class Look:
    """A frame as it was seen, shrunk by ``factor`` from its own size.

    ``cells`` (6, 6): logarithms to base 2 of light; ``level`` is their middle, in stops below white. ``clipped``: share
    of pixels with a clipped channel. ``detail`` (18, 24): amplitude of second derivatives in each tile, in grey values;
    ``along`` (9, 12, 8): their mean square along directions 22.5° apart, in places of four tiles. ``thumb`` (36, 48): a
    tiny picture.
    """

    factor: int
    cells: Float
    level: float
    clipped: float
    detail: Float
    along: Float
    thumb: Byte


def shrunk_by(width_px: int, height_px: int) -> int:
    """How many times smaller (1, 2, 4, 8) a frame is looked at: a quarter to four million pixels are left."""
    pixels = width_px * height_px
    return next((factor for factor, most in ((1, 0.7e6), (2, 16e6), (4, 64e6)) if pixels <= most), 8)


def look_at(rgb: Byte, factor: int) -> tuple[Look, Small]:
    """Look at a frame (H, W, 3) that was shrunk by ``factor``; with it comes a small picture for comparisons."""
    grey = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.uint8)
    # Sixteen times the blurred picture, in whole numbers: bytes would round faint detail away.
    calm = np.asarray(cv2.sepFilter2D(grey, cv2.CV_16S, _BINOMIAL, _BINOMIAL), np.int16)
    means = np.empty((*TILES, 6), np.float32)
    _second_derivatives(calm, means)
    every = max(1, ceil(grey.shape[1] / _SMALL_PX))
    height, width = grey.shape[0] // every, grey.shape[1] // every
    # The mean of each square of pixels, as the blur at its middle: three times as fast as shrinking.
    small = cv2.blur(grey, (every, every))[every // 2 :: every, every // 2 :: every][:height, :width]
    thumb = np.asarray(cv2.resize(np.ascontiguousarray(small), THUMB[::-1], interpolation=cv2.INTER_AREA), np.uint8)
    cells = _light(thumb)
    look = Look(
        factor, cells, _middle(cells), _clipped(rgb),
        np.maximum(np.sqrt(means[..., 0] + means[..., 1]), _LEAST_DETAIL), _directions(means), thumb,
    )  # fmt: skip
    return look, Small(np.ascontiguousarray(small, np.uint8), calm)


def sharp_parts(rgb: Byte, look: Look) -> Byte:
    """The frame (H, W, 3) that was looked at, with what is not sharp in it darkened.

    Of what is blurred, half the size shows second derivatives four times as strong; of what is sharp, hardly stronger.
    Noise alone would look sharp: a tile has to stand out of the calmest ones too.
    """
    half = np.asarray(cv2.resize(rgb, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA), np.uint8)
    coarse, _ = look_at(half, 2 * look.factor)
    stands_out = np.clip(look.detail / np.percentile(look.detail, _CALMEST) - _STANDS_OUT, 0.0, 1.0)
    crisp = np.clip((look.detail / coarse.detail - _BLURRED) / (_CRISP - _BLURRED), 0.0, 1.0)
    share = cv2.resize((stands_out * crisp).astype(np.float32), rgb.shape[1::-1], interpolation=cv2.INTER_LINEAR)
    return np.asarray(rgb * (_LEFT_DARK + (1.0 - _LEFT_DARK) * share)[..., None], np.uint8)


def _middle(cells: Float) -> float:
    return float(np.sort(cells, axis=None)[cells.size // 2])


def _light(thumb: Byte) -> Float:
    cells = cv2.resize(_LINEAR[thumb], (_CELLS, _CELLS), interpolation=cv2.INTER_AREA)
    return np.asarray(np.log2(np.maximum(cells, _BLACKEST)), np.float32)


def _directions(means: Float) -> Float:
    """Mean square of the second derivative along each direction: of cos² xx + 2 sin cos xy + sin² yy."""
    places = means.reshape(TILES[0] // 2, 2, TILES[1] // 2, 2, 6).mean(axis=(1, 3))
    return np.asarray(places @ _ALONG, np.float32)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _second_derivatives(calm: Calm, means: Float) -> None:
    """Means over tiles (rows, columns, 6) of products of second derivatives: xx², yy², xy², xx·yy, xx·xy, yy·xy.

    Whole rows are multiplied and added up, and cut into tiles afterwards: so many pixels are computed at once.
    """
    rows, columns = means.shape[:2]
    high, inner = calm.shape[0] // rows, calm.shape[1] - 2
    wide = inner // columns
    xx, yy, xy = np.empty(inner, np.int16), np.empty(inner, np.int16), np.empty(inner, np.int16)
    sums = np.empty((6, inner), np.float32)
    scale = np.float32(1.0 / (_CALM_SUM**2 * high * wide))
    for row in range(rows):
        sums[:] = 0
        for y in range(max(row * high, 1), min((row + 1) * high, calm.shape[0] - 1)):
            above, own, below = calm[y - 1], calm[y], calm[y + 1]
            _bent(own, own[1:], own[2:], xx)
            _bent(above[1:], own[1:], below[1:], yy)
            _twisted(above, above[2:], below, below[2:], xy)
            _add_squares(xx, yy, sums[0], sums[1], sums[3])
            _add_mixed(xx, yy, xy, sums[2], sums[4], sums[5])
        for column in range(columns):
            for of in range(6):
                means[row, column, of] = scale * sums[of, column * wide : (column + 1) * wide].sum()


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _bent(before: Calm, own: Calm, after: Calm, to: Calm) -> None:
    for x in range(len(to)):
        to[x] = before[x] + after[x] - np.int16(2) * own[x]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _twisted(above: Calm, above_right: Calm, below: Calm, below_right: Calm, to: Calm) -> None:
    """Four times the mixed derivative."""
    for x in range(len(to)):
        to[x] = above[x] - above_right[x] - below[x] + below_right[x]


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_squares(xx: Calm, yy: Calm, of_xx: Float, of_yy: Float, of_both: Float) -> None:
    for x in range(len(xx)):
        one, two = np.float32(xx[x]), np.float32(yy[x])
        of_xx[x] += one * one
        of_yy[x] += two * two
        of_both[x] += one * two


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _add_mixed(xx: Calm, yy: Calm, xy: Calm, of_xy: Float, with_xx: Float, with_yy: Float) -> None:
    for x in range(len(xx)):
        mixed = np.float32(0.25) * np.float32(xy[x])
        of_xy[x] += mixed * mixed
        with_xx[x] += np.float32(xx[x]) * mixed
        with_yy[x] += np.float32(yy[x]) * mixed


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _clipped(rgb: Byte) -> float:
    """Share of pixels with a channel that is clipped, told from every third row and column."""
    found = 0
    for y in range(0, rgb.shape[0], 3):
        for x in range(0, rgb.shape[1], 3):
            if rgb[y, x, 0] > _CLIPPED or rgb[y, x, 1] > _CLIPPED or rgb[y, x, 2] > _CLIPPED:
                found += 1
    return float(found / (((rgb.shape[0] + 2) // 3) * ((rgb.shape[1] + 2) // 3)))
