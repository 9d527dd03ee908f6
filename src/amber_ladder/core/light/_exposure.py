"""A test frame, and a frame with the flash off."""

from dataclasses import dataclass
from math import inf, log2

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb

_CLIPPED = 253.5 / 255.0
_BINS = 64
_WANTED = 0.72
"""Where the brightest 1 % should lie, of full scale in linear light: half a stop below clipping, for what lies deeper
may be brighter than what the test frame shows."""
_SPOT_PX = 6  # smaller clipped places are sparkle
_MOST_SPOTS = 40
_BLACK = 2.0**-8  # room light below this is lost in the noise of an 8-bit frame


@dataclass(frozen=True, slots=True)
class GlareSpot:
    """A clipped place: its box as shares of width and height, and its area in pixels."""

    x: float
    y: float
    width: float
    height: float
    pixels: int


@dataclass(frozen=True, slots=True)
class LightReading:
    """A test frame. ``histogram`` counts (3, 64) of encoded values; shares are per channel, 0 to 1.

    ``headroom_stops`` is how far the brightest 1 % lie below clipping (0 when they clip), ``black`` the darkest 1 % of
    full scale in linear light, ``change_stops`` what would put the brightest 1 % where they belong. ``level`` is where
    they are, of full scale in linear light.
    """

    histogram: list[list[int]]
    clipped: tuple[float, float, float]
    black: float
    headroom_stops: float
    change_stops: float
    level: float
    glare: tuple[GlareSpot, ...]


@dataclass(frozen=True, slots=True)
class RoomLight:
    """A frame with the flash off: its brightest 1 % against the flash's, in stops; ``black`` when none is seen.

    ``stops`` is None when nothing is seen.
    """

    stops: float | None
    black: bool


def read_light(picture: NDArray[np.uint8]) -> LightReading:
    """Judge a test frame: encoded RGB (H, W, 3) of 8 bits.

    A place is glare when it is clipped in all channels, a few pixels wide at least, and stands out from what is around
    it: a bright field that clips as a whole is over-exposed instead. Over-exposure hides by how much: then the change
    is reckoned from the median, which is the best that is left.
    """
    height, width = picture.shape[:2]
    counts = [np.bincount(picture[..., c].ravel() >> 2, minlength=_BINS).tolist() for c in range(3)]
    clipped = picture >= 254
    shares = tuple(float(clipped[..., c].mean()) for c in range(3))
    brightest = picture.max(axis=2)
    light = _linear(np.percentile(brightest[::2, ::2], [1, 50, 99]))
    if light[2] >= _linear(np.asarray([253.0]))[0]:
        # Clipped: a stop at least, more as the middle of the picture comes up too.
        change = -max(1.0, 1.0 + log2(max(light[1], 1e-4) / 0.18) / 2.0) if light[1] > 0.18 else -1.0
    else:
        change = log2(_WANTED / max(light[2], 2.0**-9))
    headroom = 0.0 if light[2] >= _CLIPPED else -log2(max(light[2], 2.0**-12))
    return LightReading(
        counts,
        (shares[0], shares[1], shares[2]),
        float(_linear(np.percentile(picture[::2, ::2], [1]))[0]),
        headroom,
        change,
        float(light[2]),
        _glare(np.asarray(clipped.all(axis=2), np.bool_), width, height),
    )


def room_light(picture: NDArray[np.uint8], *, flash_level: float = _WANTED) -> RoomLight:
    """Judge a frame with the flash off, encoded RGB (H, W, 3). Black means no room light that could be told.

    ``flash_level`` is where the flash puts the brightest 1 %, of full scale in linear light; a right exposure, unless
    a test frame tells.
    """
    light = float(_linear(np.percentile(cv2.GaussianBlur(picture, (0, 0), 2.0)[::2, ::2].max(axis=2), [99]))[0])
    stops = log2(light / flash_level) if light > 0.0 else -inf
    black = light < _BLACK
    return RoomLight(None if black else stops, black)


def _linear(values: NDArray[np.float64]) -> NDArray[np.float32]:
    return decode_srgb(np.asarray(values / 255.0, np.float32))


def _glare(clipped: NDArray[np.bool_], width: int, height: int) -> tuple[GlareSpot, ...]:
    whole = cv2.morphologyEx(clipped.astype(np.uint8), cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    count, _, stats, _ = cv2.connectedComponentsWithStats(whole)
    least = max(_SPOT_PX, width * height // 200_000)
    spots = [
        GlareSpot(x / width, y / height, w / width, h / height, int(area))
        for x, y, w, h, area in stats[1:count].tolist()
        if area >= least and area < 0.05 * width * height
    ]
    return tuple(sorted(spots, key=lambda spot: -spot.pixels)[:_MOST_SPOTS])
