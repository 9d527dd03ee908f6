"""Specimens that do not wait: snow shrinks, an antenna twitches, a leaf wilts."""

from dataclasses import dataclass
from math import floor

import numpy as np

_TWITCH_EVERY_S = 9.0
_TWITCH_DEG = 0.7
_SHRINKS_PER_S = 0.0009  # of its size: a small crystal under a warm lamp
_SINKS_UM_S = 0.25
_WILTS_UM_S = 0.5


@dataclass(frozen=True, slots=True)
class Motion:
    """How one sheet lies now against how it lay at first."""

    scale: float = 1.0
    turn_deg: float = 0.0
    x_um: float = 0.0
    y_um: float = 0.0
    deeper_um: float = 0.0


@dataclass(frozen=True, slots=True)
class Behaviour:
    """What the specimen has done ``after_s`` seconds. The ground, its first sheet, stays where there are others.

    ``aside_um`` is how far its foremost part stands beside where it was.
    """

    after_s: float
    shrinks: bool = False
    twitches: bool = False
    wilts: bool = False
    aside_um: float = 0.0
    seed: int = 0

    def of_sheet(self, index: int, count: int) -> Motion | None:
        """The motion of a sheet, None where it lies still."""
        still = not (self.shrinks or self.twitches or self.wilts or self.aside_um)
        if still or (index == 0 and count > 1):
            return None
        scale, deeper, y_um, turn = 1.0, 0.0, 0.0, 0.0
        x_um = self.aside_um if index == count - 1 else 0.0
        if self.shrinks:
            scale -= min(_SHRINKS_PER_S * self.after_s, 0.8)
            deeper += _SINKS_UM_S * self.after_s
        if self.wilts:
            y_um += _WILTS_UM_S * self.after_s
            deeper += 0.5 * _WILTS_UM_S * self.after_s
        if self.twitches and index == count - 1:
            # It lies still for a while, then elsewhere.
            stage = floor(self.after_s / _TWITCH_EVERY_S)
            if stage:
                turn += float(np.random.default_rng([self.seed, stage]).normal(0.0, _TWITCH_DEG))
        return Motion(scale, turn, x_um, y_um, deeper)
