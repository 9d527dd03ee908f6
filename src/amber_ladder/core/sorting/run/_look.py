"""What one look at a file tells: its light, its detail tile by tile and direction by direction, and a small picture."""

from dataclasses import dataclass
from math import ceil

import cv2
import numba
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import light_cells

Float = NDArray[np.float32]
Byte = NDArray[np.uint8]

TILES = (18, 24)
"""Rows and columns of the grid on which detail is told: a hair still fills a tile."""
DIRECTIONS = 8
THUMB = (36, 48)
_SMALL_PX = 240  # width of the picture in which neighbours are compared
_CLIPPED = 253
_ANGLE = np.arange(DIRECTIONS) * np.pi / DIRECTIONS
_CC, _SS, _SC = np.cos(_ANGLE) ** 2, np.sin(_ANGLE) ** 2, np.sin(_ANGLE) * np.cos(_ANGLE)
_ALONG = np.stack(
    [_CC**2, _SS**2, 4 * _SC**2, 2 * _CC * _SS, 4 * _CC * _SC, 4 * _SS * _SC]
).astype(np.float32)  # fmt: skip
"""What each product of second derivatives (xx², yy², xy², xx·yy, xx·xy, yy·xy) says of each direction."""
_BINOMIAL = np.array([1, 2, 1], np.float32)


@dataclass(frozen=True, slots=True)
class Look:
    """A frame as it was seen, shrunk by ``factor`` from its own size.

    ``cells`` (6, 6): logarithms to base 2 of light. ``clipped``: share of pixels with a clipped channel. ``detail``
    (18, 24): amplitude of second derivatives in each tile, in grey values; ``along`` (9, 12, 8): their mean square along
    directions 22.5° apart, in places of four tiles. ``thumb`` (36, 48): a tiny picture.
    """

    factor: int
    cells: Float
    clipped: float
    detail: Float
    along: Float
    thumb: Byte


def shrunk_by(width_px: int, height_px: int) -> int:
    """How many times smaller (1, 2, 4, 8) a frame is looked at: a quarter to four million pixels are left."""
    pixels = width_px * height_px
    return next((factor for factor, most in ((1, 0.7e6), (2, 16e6), (4, 64e6)) if pixels <= most), 8)


def look_at(rgb: Byte, factor: int) -> tuple[Look, Byte]:
    """Look at a frame (H, W, 3) that was shrunk by ``factor``; also gives the small grey picture for comparisons."""
    grey = np.asarray(cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY), np.uint8)
    # Sixteen times the blurred picture, in whole numbers: bytes would round faint detail away.
    calm = np.asarray(cv2.sepFilter2D(grey, cv2.CV_16S, _BINOMIAL, _BINOMIAL), np.int16)
    rows, columns = TILES
    sums = np.zeros((rows, columns, 6), np.float32)
    _second_derivatives(calm, sums)
    count = (grey.shape[0] // rows) * (grey.shape[1] // columns)
    means = sums / np.float32(256 * count)
    every = max(1, ceil(grey.shape[1] / _SMALL_PX))
    height, width = grey.shape[0] // every * every, grey.shape[1] // every * every
    small = np.asarray(cv2.resize(grey[:height, :width], (width // every, height // every), interpolation=cv2.INTER_AREA))
    thumb = np.asarray(cv2.resize(small, THUMB[::-1], interpolation=cv2.INTER_AREA), np.uint8)
    look = Look(
        factor, light_cells(np.asarray(thumb, np.float32) / np.float32(255)), _clipped(rgb),
        np.sqrt(means[..., 0] + means[..., 1]), _directions(means), thumb,
    )  # fmt: skip
    return look, np.asarray(small, np.uint8)


def _directions(means: Float) -> Float:
    """Mean square of the second derivative along each direction: of cos² xx + 2 sin cos xy + sin² yy."""
    places = means.reshape(TILES[0] // 2, 2, TILES[1] // 2, 2, 6).mean(axis=(1, 3))
    return np.asarray(places @ _ALONG, np.float32)


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _second_derivatives(calm: NDArray[np.int16], sums: Float) -> None:
    """Sums of products of second derivatives over tiles: xx², yy², xy², xx·yy, xx·xy, yy·xy."""
    rows, columns = sums.shape[0], sums.shape[1]
    high, wide = calm.shape[0] // rows, calm.shape[1] // columns
    for row in range(rows):
        for y in range(max(row * high, 1), min((row + 1) * high, calm.shape[0] - 1)):
            for column in range(columns):
                x0, x1 = max(column * wide, 1), min((column + 1) * wide, calm.shape[1] - 1)
                _along_row(
                    calm[y - 1, x0 - 1 : x1 + 1], calm[y, x0 - 1 : x1 + 1], calm[y + 1, x0 - 1 : x1 + 1],
                    sums[row, column],
                )  # fmt: skip


@numba.njit(nogil=True, cache=True, error_model="numpy", fastmath=True)  # type: ignore[untyped-decorator]
def _along_row(above: NDArray[np.int16], own: NDArray[np.int16], below: NDArray[np.int16], sums: Float) -> None:
    a1, a2, o1, o2, b1, b2 = above[1:], above[2:], own[1:], own[2:], below[1:], below[2:]
    s0 = s1 = s2 = s3 = s4 = s5 = np.float32(0)
    for x in range(len(own) - 2):
        middle = np.int32(2) * o1[x]
        xx = np.float32(np.int32(own[x]) + o2[x] - middle)
        yy = np.float32(np.int32(a1[x]) + b1[x] - middle)
        xy = np.float32(np.int32(above[x]) - a2[x] - below[x] + b2[x]) * np.float32(0.25)
        s0 += xx * xx
        s1 += yy * yy
        s2 += xy * xy
        s3 += xx * yy
        s4 += xx * xy
        s5 += yy * xy
    sums[0] += s0
    sums[1] += s1
    sums[2] += s2
    sums[3] += s3
    sums[4] += s4
    sums[5] += s5


@numba.njit(nogil=True, cache=True, error_model="numpy")  # type: ignore[untyped-decorator]
def _clipped(rgb: Byte) -> float:
    """Share of pixels with a channel that is clipped, told from every third row and column."""
    found = 0
    for y in range(0, rgb.shape[0], 3):
        for x in range(0, rgb.shape[1], 3):
            if rgb[y, x, 0] > _CLIPPED or rgb[y, x, 1] > _CLIPPED or rgb[y, x, 2] > _CLIPPED:
                found += 1
    return found / (((rgb.shape[0] + 2) // 3) * ((rgb.shape[1] + 2) // 3))
