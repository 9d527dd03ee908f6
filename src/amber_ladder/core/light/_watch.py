"""Frames that were lit wrongly, told from the light of those beside them."""

from dataclasses import dataclass
from typing import Generic, TypeVar

import cv2
import numpy as np
from numpy.typing import NDArray

T = TypeVar("T")
Float = NDArray[np.float32]

_CELLS = 6  # across and down: defocus carries little light from one to the next
_GAMMA = 2.2  # of common picture files, nearly enough
_BLACK = 0.002  # of linear light: darker cells tell nothing
_WRONG_STOPS = 0.7  # a flash flickers by a tenth of that
_PART = 0.2  # of the cells: so many are dark while as many are not
_KEPT = 5
_CHANGED_AFTER = 3


@dataclass(frozen=True, slots=True)
class Judged(Generic[T]):
    """A frame, by what the caller calls it, and why it is unfit in words that stand beside its name, or None."""

    frame: T
    reason: str | None


@dataclass(frozen=True, slots=True)
class _Held(Generic[T]):
    frame: T
    cells: Float
    reason: str | None


class LightWatch(Generic[T]):
    """Compares each frame with fit ones before it. Three unlike in a row are how the light is from there on.

    It holds back what the next frames must tell, so frames are judged later than they come, the fit ones in order.
    """

    def __init__(self) -> None:
        self._fit: list[Float] = []
        self._held: list[_Held[T]] = []

    def add(self, frame: T, grey: Float) -> list[Judged[T]]:
        """The frames (``grey`` is H, W, encoded, 0 to 1) of which more is known with this one."""
        return self._judge(frame, _cells(grey))

    def _judge(self, frame: T, cells: Float) -> list[Judged[T]]:
        if not self._fit:
            return self._begin(frame, cells)
        reason = _unlike(cells, np.median(self._fit, axis=0).astype(np.float32))
        if reason is None:
            judged = self.end()
            self._keep(cells)
            return [*judged, Judged(frame, None)]
        self._held.append(_Held(frame, cells, reason))
        alike = [_unlike(cells, one.cells) is None for one in self._held]
        if sum(alike) < _CHANGED_AFTER:
            return []
        judged = [Judged(one.frame, None if same else one.reason) for one, same in zip(self._held, alike, strict=True)]
        self._fit, self._held = [one.cells for one, same in zip(self._held, alike, strict=True) if same], []
        return judged

    def end(self) -> list[Judged[T]]:
        """What is held back: no frame comes that could tell more."""
        judged = [Judged(one.frame, one.reason) for one in self._held]
        self._held = []
        return judged

    def _begin(self, frame: T, cells: Float) -> list[Judged[T]]:
        """The first frame is told by the second."""
        if not self._held:
            self._held = [_Held(frame, cells, None)]
            return []
        first = self._held.pop()
        reason = _too_dark(first.cells, cells)
        if reason:
            self._held = [_Held(frame, cells, None)]
            return [Judged(first.frame, reason)]
        self._keep(first.cells)
        return [Judged(first.frame, None), *self._judge(frame, cells)]

    def _keep(self, cells: Float) -> None:
        self._fit = [*self._fit[1 - _KEPT :], cells]


def _cells(grey: Float) -> Float:
    """Logarithms to base 2 of the mean light of each cell."""
    light = cv2.resize(grey ** np.float32(_GAMMA), (_CELLS, _CELLS), interpolation=cv2.INTER_AREA)
    return np.asarray(np.log2(np.maximum(light, _BLACK / 16)), np.float32)


def _unlike(cells: Float, beside: Float) -> str | None:
    bright = -_quantiles(beside, cells)[1]
    if bright > _WRONG_STOPS:
        return f"is {bright:.1f} stops brighter than the frames beside it"
    return _too_dark(cells, beside)


def _too_dark(cells: Float, beside: Float) -> str | None:
    low, middle, high = _quantiles(cells, beside)
    if high < -_WRONG_STOPS:
        return f"is {-middle:.1f} stops darker than the frames beside it: did the flash fire?"
    if low < -_WRONG_STOPS and high - low > _WRONG_STOPS:
        return "is lit in part only: much of it is far darker than in the frames beside it"
    return None


def _quantiles(cells: Float, beside: Float) -> tuple[float, float, float]:
    """Stops by which cells are brighter than those beside, where those are not black: dark ones, the middle, bright."""
    telling = beside > np.log2(_BLACK)
    if not telling.any():
        return 0.0, 0.0, 0.0
    low, middle, high = np.quantile((cells - beside)[telling], (_PART, 0.5, 1.0 - _PART))
    return float(low), float(middle), float(high)
