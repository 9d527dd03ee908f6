"""A feeler that stands before a specimen: slender, alone, and about at one depth."""

from dataclasses import replace

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import Point, hairs

_LONG_UM, _THICK_UM = 420.0, 24.0
_SLOPE_UM = 8.0  # from its root to its tip
_COLOUR = (0.16, 0.09, 0.035)


def with_feeler(specimen: SimulatedSpecimen, deep_um: float) -> SimulatedSpecimen:
    """The same with a feeler before it, its middle at this depth: its foremost sheet."""

    def build(grid: Grid, seed: int) -> Scene:
        root, tip = feeler_ends(seed, deep_um)
        behind = specimen.build(grid, seed).sheets
        return Scene((*behind, hairs(grid, [root], [tip], _THICK_UM, _COLOUR, bend=0.02)))

    return replace(specimen, key=f"{specimen.key}-feeler", name=f"{specimen.name}, a feeler before it", build=build)


def feeler_ends(seed: int, deep_um: float) -> tuple[Point, Point]:
    """Its root and its tip: µm from the middle of the field, and deep."""
    random = np.random.default_rng([seed, 21])
    # Upright or upside down, more or less: parts that move aside move to the right.
    angle, (x, y) = random.uniform(-1, 1) + np.pi * random.choice([0.5, 1.5]), random.uniform(-50, 50, 2)
    way = 0.5 * _LONG_UM * np.array([np.cos(angle), np.sin(angle)])
    half = 0.5 * _SLOPE_UM
    return (
        (float(x - way[0]), float(y - way[1]), deep_um + half),
        (float(x + way[0]), float(y + way[1]), deep_um - half),
    )
