"""Whether a frame of a run is fit: judged at once, so that it can be shot again while the specimen is there."""

from dataclasses import dataclass
from math import log2
from typing import Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.colour import decode_srgb
from amber_ladder.core.light._shake import detail_along, evenness

Float = NDArray[np.float32]
Kind = Literal["dark", "bright", "shaken"]

_UNEVEN_STOPS = 0.35
_SMEARED = 0.6  # a smear of seven pixels brings 24 small frames of 25 below it, refocusing one in 100
_LOST = 0.9  # of detail, along one direction at least: an edge that comes into focus is uneven too, but takes none away
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
        level, profile = self._judged = _level(grey), detail_along(grey)
        shaken, before = self._shaken(profile), self._refused if again else None
        same = before is not None and evenness(profile, before) > _ALIKE
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
        if self._profile is None or evenness(profile, self._profile) > _SMEARED:
            return []
        if float((profile / self._profile).min()) > _LOST:
            return []
        return [FrameFault("shaken", "is shaken: its fine detail is smeared along one direction")]


def _grey(picture: NDArray[np.uint8]) -> Float:
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.float32) / np.float32(255)


def _level(grey: Float) -> float:
    """Mean linear light of what is neither black nor clipped."""
    small = cv2.resize(grey, None, fx=0.25, fy=0.25, interpolation=cv2.INTER_AREA)
    light = decode_srgb(np.asarray(small, np.float32))
    return float(np.mean(np.minimum(light, np.percentile(light, 98))))
