"""What a measure comes to in every draw, and what all kinds share: how much is averaged, what averages take."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring._instrument import Draws

Double = NDArray[np.float64]

AT_A_PLACE_PX, ON_A_LINE_PX, IN_A_REGION_PX, FOR_SLOPES_PX = 2.0, 6.0, 1.4, 9.0
"""σ of the Gaussian by which depth is averaged at one place, along a line, where many places are, and for slopes."""
EVERY_PX, MOST_ON_A_LINE, MOST_ON_AN_OUTLINE = 3.0, 400, 160
OF_LENGTHS, OF_SLOPES, OF_HEIGHTS = (0.8, 0.9), (1.2, 0.5), (0.55, 0.22)
"""What an average over twice the width takes away tells what that over the first took, and the depth map's own: a

Gaussian of σ ≈ 6 px, measured on simulated rough surfaces. As losses go with σ² where slopes change smoothly, and with
σ at edges, it is so many times as much, and uncertain by so much of what the wider one takes."""


@dataclass(frozen=True)
class Outcome:
    """A measure in every draw (draws,), the first of them as it is; NaN where depth that it needs is unknown.

    ``known`` is the share of its places with a depth. ``noisy`` measures come out too large with noise, which is taken
    off by what the draws show. ``u_more`` is what the draws do not tell of what depth brings. ``at_least`` and
    ``at_most`` bound what has no value.
    """

    values: Double
    known: float = 1.0
    noisy: bool = False
    u_more: float = 0.0
    at_least: float | None = None
    at_most: float | None = None
    notes: tuple[str, ...] = ()
    along_um: Double | None = None
    depth_um: Double | None = None
    u_um: Double | None = None
    places: Double = field(default_factory=lambda: np.empty((0, 2)))


def nothing(draws: Draws) -> Double:
    """A value that nobody knows, in every draw."""
    return np.full(draws.count, np.nan)


def follows(draws: Draws, sigma_px: float) -> str:
    """How fine a surface is followed."""
    return f"follows what is wider than about {4 * sigma_px * draws.of.um_per_px:.2g} µm"


def regained(draws: Draws, values: Double, wider: float, by: tuple[float, float]) -> tuple[Double, float]:
    """Values with what averaging took from them, and the standard uncertainty of that."""
    lost = max(float(values[0]) - draws.bias(values) - wider, 0.0)
    return values + by[0] * lost, by[1] * lost
