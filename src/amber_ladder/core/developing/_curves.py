"""Development as one curve for each channel, the same at every place.

Sharpening, local contrast and noise reduction are left out on purpose: they change what a merge compares. What acts on
a whole frame alike does not.
"""

from dataclasses import dataclass
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb, encode_srgb
from amber_ladder.errors import BadInput

Multipliers = tuple[float, float, float]
Tone = Literal["display", "linear"]
NEUTRAL: Multipliers = (1.0, 1.0, 1.0)

_MOST_STOPS = 6.0
_DEEPEST_BLACK = 0.25  # of white, linear
_BEND = 1.4
"""How far highlights and shadows bend the curve of tones at most: beyond 1.5 it would turn back on itself."""
_FULL = 65535
_LEAST = 0.004  # of linear light that a neutral place must show, in each channel
_CLIPPED = 0.98


@dataclass(frozen=True, slots=True)
class NeutralPlace:
    """A place that shall be neutral: a square about x, y (px) in a frame as it is seen upright."""

    file: str
    x: float
    y: float
    size_px: int


WhiteBalance = Literal["as_shot"] | NeutralPlace


@dataclass(frozen=True, slots=True)
class Development:
    """Settings for all frames of a stack.

    ``exposure_stops`` brightens (−6 to 6). ``black`` is the light (0 to 0.25 of white) that shall be black.
    ``highlights`` and ``shadows`` (−1 to 1) lift or lower the upper and the lower tones. ``tone`` is how light is
    written down: for a display (sRGB), or linear.
    """

    exposure_stops: float = 0.0
    black: float = 0.0
    highlights: float = 0.0
    shadows: float = 0.0
    tone: Tone = "display"

    def checked(self) -> "Development":
        """Itself. Raises BadInput for a setting out of its range."""
        for name, value, low, high in (
            ("exposure_stops", self.exposure_stops, -_MOST_STOPS, _MOST_STOPS),
            ("black", self.black, 0.0, _DEEPEST_BLACK),
            ("highlights", self.highlights, -1.0, 1.0),
            ("shadows", self.shadows, -1.0, 1.0),
        ):
            if not low <= value <= high:  # not a number fails, too
                raise BadInput(f"{name} is {value:g}: it goes from {low:g} to {high:g}", field=name)
        return self


def curves(settings: Development, multipliers: Multipliers, *, bits: int, linear: bool) -> NDArray[np.uint16]:
    """Tables (3, 2 ** bits) from a frame's values to developed ones of 16 bits, for red, green and blue.

    ``multipliers`` balance linear light; ``linear`` says that the frame's values are linear, else they are sRGB.
    With nothing set, encoded values are kept to the bit: 8 bits become 16 by repeating them.
    """
    settings.checked()
    given = np.arange(1 << bits, dtype=np.float32) / np.float32((1 << bits) - 1)
    if settings == Development() and multipliers == NEUTRAL and not linear:
        return np.tile(np.rint(given.astype(np.float64) * _FULL).astype(np.uint16), (3, 1))
    light = given if linear else decode_srgb(given)
    gains = np.asarray(multipliers, np.float32)[:, None] * np.float32(2.0**settings.exposure_stops)
    light = (light * gains - np.float32(settings.black)) / np.float32(1.0 - settings.black)
    tones = _bent(encode_srgb(light), settings)
    written = tones if settings.tone == "display" else decode_srgb(tones)
    return np.asarray(np.rint(np.clip(written, 0.0, 1.0) * _FULL), np.uint16)


def _bent(tones: NDArray[np.float32], settings: Development) -> NDArray[np.float32]:
    """Tones (0 to 1) with shadows and highlights lifted or lowered; black, white and their order stay."""
    low = tones * (1.0 - tones) ** 3
    high = tones**3 * (1.0 - tones)
    return np.asarray(tones + _BEND * 0.7 * (settings.shadows * low + settings.highlights * high), np.float32)


def apply_curves(picture: NDArray[Any], tables: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """A frame (H, W, 3) of as many bits as the tables are for, developed: 16 bits."""
    developed = np.empty(picture.shape, np.uint16)
    for channel in range(3):
        if picture.dtype == np.uint8:
            developed[..., channel] = cv2.LUT(np.ascontiguousarray(picture[..., channel]), tables[channel])
        else:
            np.take(tables[channel], picture[..., channel], out=developed[..., channel])
    return developed


def balanced_on(light: NDArray[np.float64]) -> Multipliers:
    """Multipliers that make a place neutral, from its mean linear light (3). Green keeps its own.

    Raises BadInput where a channel shows nothing, or is clipped.
    """
    red, green, blue = (float(one) for one in light)
    if min(red, green, blue) < _LEAST:
        raise BadInput("the neutral place is too dark: choose a lighter one", field="white_balance")
    if max(red, green, blue) > _CLIPPED:
        raise BadInput("the neutral place is clipped: choose a darker one", field="white_balance")
    return green / red, 1.0, green / blue
