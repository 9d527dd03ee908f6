"""How much light a place gives: what faces of crystals do that are seen only at the angle at which they mirror."""

from dataclasses import dataclass
from math import log2

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb

_LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)  # ITU-R BT.709, of linear RGB
_LEAST = 2.0**-10  # an 8-bit picture tells nothing below
_CLIPPED = 254


@dataclass(frozen=True, slots=True)
class PlaceLight:
    """The light of a place: ``stops`` below full scale (0 is the most a picture can tell), ``clipped`` its washed-out

    share. Where much is clipped, the place may be brighter than it says.
    """

    stops: float
    clipped: float


def place_light(picture: NDArray[np.uint8], x: float, y: float, radius: float) -> PlaceLight:
    """The mean light of a disc of encoded RGB (H, W, 3).

    ``x`` and ``y`` are its centre as shares of width and height, ``radius`` a share of the width; a disc that reaches
    beyond the picture counts as far as it lies within, and is one pixel wide at least.
    """
    height, width = picture.shape[:2]
    column, row, reach = x * (width - 1), y * (height - 1), max(radius * width, 0.5)
    left, top = max(int(column - reach), 0), max(int(row - reach), 0)
    part = picture[top : int(row + reach) + 2, left : int(column + reach) + 2]
    rows, columns = np.ogrid[top : top + part.shape[0], left : left + part.shape[1]]
    away = (rows - row) ** 2 + (columns - column) ** 2
    inside = part[away <= max(reach**2, float(away.min()))]
    light = decode_srgb(np.asarray(inside, np.float32) / np.float32(255)) @ _LUMINANCE
    return PlaceLight(log2(max(float(light.mean()), _LEAST)), float((inside >= _CLIPPED).any(axis=1).mean()))
