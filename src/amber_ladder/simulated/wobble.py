"""How far from ideal the optical side of the simulated bench is, and what is true of each of its frames."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True)
class Wobble:
    """All zero: a perfect bench.

    ``breathing_per_mm`` is the relative growth of the picture for each mm of stage travel, and so how much smaller what
    lies a mm deeper is seen; drift and turn
    are random walks a rung (px, degrees); ``flicker`` the relative spread of the light; ``full_well`` and
    ``read_noise`` in electrons (a full well of 0 means no noise). ``room_stops`` is the room's light alone, in stops
    from a right exposure; ``tired`` how many times slower the flash is than it says.
    """

    breathing_per_mm: float = 0.01
    drift_px: float = 0.25
    turn_deg: float = 0.004
    flicker: float = 0.015
    full_well: float = 30000.0
    read_noise: float = 5.0
    hot_pixels: int = 0
    dust: int = 0
    room_stops: float = -14.0
    tired: float = 1.0


@dataclass(frozen=True, slots=True)
class FrameTruth:
    """What really happened to one frame: focus depth in µm, 2×3 matrix frame px → scene px, gain."""

    focus_um: float
    matrix: NDArray[np.float64]
    gain: float
