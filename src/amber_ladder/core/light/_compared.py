"""Two test frames side by side: without and with a diffuser, or with one flash head and with the other."""

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb

Float = NDArray[np.float32]

_CLIPPED = 254
_SHADOW = 2.0**-6  # six stops below clipping: what lies deeper is lost in a merge's noise
_ALIKE_STOPS = 1.0 / 3.0
_CALM_PX = 2.0
_BLACK = 2.0**-7  # of linear light: below, noise and room light count as much as the head
_FEWEST = 400
_MOST_UNSURE = 0.05


@dataclass(frozen=True, slots=True)
class Softness:
    """A test frame: the shares of it that are washed out and that lie in shadow, the stops between its 1 % darkest and

    1 % brightest, and the middle of its light, of full scale.
    """

    glare: float
    shadow: float
    contrast_stops: float
    middle: float


@dataclass(frozen=True, slots=True)
class Compared:
    """What a diffuser did, from a frame before and one after. ``taken_stops`` is how much light it takes.

    ``apart_stops`` is how much darker the second frame is as a whole: only frames that are ``alike`` can be compared
    by their shares, for a darker one has less glare and more shadow without any diffuser.
    """

    before: Softness
    after: Softness
    taken_stops: float
    apart_stops: float
    alike: bool


def softness(picture: NDArray[np.uint8]) -> Softness:
    """Judge a test frame: encoded RGB (H, W, 3) of 8 bits."""
    brightest = _light(np.asarray(picture.max(axis=2), np.uint8))
    low, middle, high = (max(float(one), 2.0**-10) for one in np.percentile(brightest[::2, ::2], [1, 50, 99]))
    return Softness(
        float((picture >= _CLIPPED).all(axis=2).mean()),
        float((brightest < _SHADOW).mean()),
        float(np.log2(high / low)),
        middle,
    )


def compared(before: Softness, after: Softness, power_before: float, power_after: float) -> Compared:
    """What changed from one frame to the other, shot at these powers of the flash (1 is full)."""
    apart = float(np.log2(before.middle / after.middle))
    taken = apart + float(np.log2(power_after / power_before))
    return Compared(before, after, taken, apart, abs(apart) <= _ALIKE_STOPS)


def brighter_stops(first: NDArray[np.uint8], second: NDArray[np.uint8]) -> float | None:
    """By how many stops one head alone (``first``) lights more than the other alone; None where too little tells.

    Encoded RGB (H, W, 3) of one view. Each head lights the faces that are turned to it: the median over all that both
    of them reach is how they are balanced. A place that one of them washes out is brighter by that one at least: it
    counts where that is enough to know its side of the median.
    """
    one, two = (_light(_calm(picture)) for picture in (first, second))
    washed = [_near(picture.max(axis=2) >= _CLIPPED) for picture in (first, second)]
    usable = ~(washed[0] & washed[1]) & (np.minimum(one, two) > _BLACK)
    if np.count_nonzero(usable) < _FEWEST:
        return None
    ratios = np.log2(one[usable] / two[usable])
    middle = float(np.median(ratios))
    unsure = (washed[0][usable] & (ratios <= middle)) | (washed[1][usable] & (ratios >= middle))
    return middle if float(unsure.mean()) < _MOST_UNSURE else None


def _near(places: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """These places, and what a calmed picture brings of them to their neighbours."""
    around = np.ones((2 * round(2 * _CALM_PX) + 1,) * 2, np.uint8)
    return np.asarray(cv2.dilate(places.astype(np.uint8), around) > 0)


def _calm(picture: NDArray[np.uint8]) -> NDArray[np.uint8]:
    return np.asarray(cv2.GaussianBlur(picture, (0, 0), _CALM_PX).max(axis=2), np.uint8)


def _light(encoded: NDArray[np.uint8]) -> Float:
    return decode_srgb(np.asarray(encoded, np.float32) / np.float32(255))
