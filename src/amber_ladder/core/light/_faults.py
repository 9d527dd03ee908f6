"""Whether a frame of a run is fit: judged at once, so that it can be shot again while the specimen is there."""

from dataclasses import dataclass
from math import log2
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb

Float = NDArray[np.float32]
Kind = Literal["dark", "bright", "shaken"]

_UNEVEN_STOPS = 0.35
_DIRECTIONS = 8
_CALM_PX, _BAND_PX = 0.7, 1.2  # the band of detail that is looked at, standard deviations of blur
_SMEARED = 0.55  # a smear of six pixels brings 96 frames of 100 below it, mere refocusing one or two
_ALIKE = 0.85
_KEPT_LEVELS = 9


@dataclass(frozen=True, slots=True)
class FrameFault:
    """What is wrong with a frame, in words that stand beside its name."""

    kind: Kind
    reason: str


class FrameJudge:
    """Judges the frames of a run in the order they are shot, against those before them. All must be of one size.

    Shaking is told from the last fit frame alone, so the first one had better be calm. Where little is in focus, mere
    refocusing may look like it: a frame that is shot again after a much longer rest, and looks the same, is fit.
    """

    def __init__(self) -> None:
        self._levels: list[float] = []
        self._profile: Float | None = None
        self._judged: tuple[float, Float] | None = None
        self._refused: Float | None = None
        self.calmed = False

    def judge(self, picture: NDArray[np.uint8], *, again: bool = False) -> list[FrameFault]:
        """Faults of a frame (RGB, H, W, 3, 8 bits); ``again`` when it replaces the one judged before.

        Afterwards ``calmed`` says whether the one before was shaken and this one is less so.
        """
        grey = _grey(picture)
        level, profile = self._judged = _level(grey), _profile(grey)
        shaken, before = self._shaken(profile), self._refused if again else None
        same = before is not None and _evenness(profile, before) > _ALIKE
        self.calmed = before is not None and not shaken and not same
        if same:
            shaken = []
        self._refused = profile if shaken else None
        return self._uneven(level) + shaken

    def forget(self) -> None:
        """A frame came that could not be judged: an earlier suspicion tells nothing of the next one."""
        self._judged = self._refused = None
        self.calmed = False

    def accept(self, *, fit: bool = True) -> None:
        """Hold later frames to the one that was judged last; an unfit one tells of light alone."""
        if self._judged:
            self._levels = [*self._levels[-_KEPT_LEVELS:], self._judged[0]]
            self._profile = self._judged[1] if fit else self._profile
            self._judged = None

    def _uneven(self, level: float) -> list[FrameFault]:
        if not self._levels:
            return [FrameFault("dark", "is black: the flash did not fire")] if level < 0.004 else []
        stops = log2(max(level, 1e-5) / float(np.median(self._levels)))
        if stops < -_UNEVEN_STOPS:
            return [FrameFault("dark", f"is {-stops:.1f} stops darker than those before it: flash not ready")]
        if stops > _UNEVEN_STOPS:
            return [FrameFault("bright", f"is {stops:.1f} stops brighter than those before it")]
        return []

    def _shaken(self, profile: Float) -> list[FrameFault]:
        if self._profile is None or _evenness(profile, self._profile) > _SMEARED:
            return []
        return [FrameFault("shaken", "is shaken: its fine detail is smeared along one direction")]


def _evenness(profile: Float, reference: Float) -> float:
    """How alike the change against a reference is in all directions, 0 to 1."""
    change = profile / reference
    return float(change.min() / change.max())


def _grey(picture: NDArray[np.uint8]) -> Float:
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)


def _level(grey: Float) -> float:
    """Mean linear light of what is neither black nor clipped."""
    small = cv2.resize(grey, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    light = decode_srgb(np.asarray(small, np.float32))
    return float(np.mean(np.minimum(light, np.percentile(light, 98))))


def _profile(grey: Float) -> Float:
    """Fine detail along each of eight directions: the mean square of the slope, less what of it is noise.

    Defocus lowers it alike in all directions, whatever lies there; shaking lowers it along its own.
    """
    calm = cv2.GaussianBlur(grey, (0, 0), _CALM_PX)
    dx = cv2.Sobel(calm, cv2.CV_32F, 1, 0, ksize=3, scale=0.125)
    dy = cv2.Sobel(calm, cv2.CV_32F, 0, 1, ksize=3, scale=0.125)
    fx, fy = dx - cv2.GaussianBlur(dx, (0, 0), _BAND_PX), dy - cv2.GaussianBlur(dy, (0, 0), _BAND_PX)
    xx, yy, xy = float((fx * fx).mean()), float((fy * fy).mean()), float((fx * fy).mean())
    pooled = cv2.GaussianBlur(fx * fx + fy * fy, (0, 0), 2.5)
    angles = np.arange(_DIRECTIONS) * np.pi / _DIRECTIONS
    along = xx * np.cos(angles) ** 2 + yy * np.sin(angles) ** 2 + 2 * xy * np.sin(angles) * np.cos(angles)
    noise = float(np.percentile(pooled[::3, ::3], 10)) / 2.0
    return np.asarray(np.maximum(along - noise, 1e-9), np.float32)
