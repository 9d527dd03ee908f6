"""How bright a stack's frames are against each other, while it is gone through."""

from collections.abc import Iterable, Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.light import APART, even_out, log_ratio
from amber_ladder.core.registration import Link, Matrix, compose, rescaled

Float = NDArray[np.float32]

_LIGHT_PX = 160  # height of the small pictures that are compared
_BEYOND = -100.0  # where a frame does not reach


class Brightness:
    """Frames with focus positions ``z`` (steps), compared with those before; only the last few are kept, and small."""

    def __init__(self, z: Sequence[float]) -> None:
        self._z = z
        self._small: dict[int, Float] = {}
        self._steps: dict[int, Matrix] = {}
        self._ratios: list[tuple[int, int, float, float]] = []

    def followed(self, said: Iterable[Link | None]) -> list[Link]:
        """What pairs said of a frame; how neighbours lie on each other has to be known when it is compared."""
        links = [link for link in said if link]
        self._steps.update({link.second: link.matrix for link in links if link.second == link.first + 1})
        return links

    def compare(self, at: int, light: Float, depth: Float, blur: float | None) -> None:
        """The next frame, ``light`` (H, W) linear, against those before, laid on it as pairs said.

        What focus does to the light is known from ``depth`` (H, W, steps) and ``blur``, by how much (px² a step²) it
        spreads; None where nobody knows.
        """
        scale = max(light.shape[0] / _LIGHT_PX, 1.0)
        size = (round(light.shape[1] / scale), round(light.shape[0] / scale))
        small, deep = (cv2.resize(plane, size, interpolation=cv2.INTER_AREA) for plane in (light, depth))
        way = np.eye(2, 3)
        for apart in range(1, max(APART) + 1):
            before = self._small.get(at - apart)
            if before is None:
                break
            way = compose(self._steps[at - apart + 1], way)
            if apart not in APART:
                continue
            laid = cv2.warpAffine(
                before, rescaled(way, 1.0 / scale), size,
                flags=cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP, borderValue=_BEYOND,
            )  # fmt: skip
            spread = None
            if blur is not None:
                one, two = self._z[at - apart] - deep, self._z[at] - deep
                spread = np.asarray(0.25 * blur / scale**2 * (two * two - one * one), np.float32)
            ratio = log_ratio(np.asarray(laid, np.float32), np.asarray(small, np.float32), spread)
            if ratio:
                self._ratios.append((at - apart, at, *ratio))
        self._small[at] = np.asarray(small, np.float32)
        self._small.pop(at - max(APART), None)

    def evened(self, count: int) -> NDArray[np.float64]:
        """Factors (count,) of linear light that bring all frames to the brightness of the median frame."""
        return even_out(self._ratios, count)
