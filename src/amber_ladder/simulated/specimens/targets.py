"""What a bench is calibrated with: a ruled slide, and a flat card that slopes."""

from math import radians, tan

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import Float, blend, noise, step

RULING_UM = 20.0
RAMP_SLOPE_DEG = 20.0
_RULED_UM = 2400.0
_RAMP_WIDTH_UM = 1800.0
_RAMP_DEPTH_UM = _RAMP_WIDTH_UM * tan(radians(RAMP_SLOPE_DEG))


def _ruled_slide(grid: Grid, seed: int) -> Scene:
    """Marks every 20 µm, every fifth longer, turned a little, on clear glass with dust."""
    random = np.random.default_rng([seed, 11])
    turn = radians(float(random.uniform(-6, 6)))
    across = grid.x_um * np.float32(np.cos(turn)) + grid.y_um * np.float32(np.sin(turn))
    along = -grid.x_um * np.float32(np.sin(turn)) + grid.y_um * np.float32(np.cos(turn))
    number = np.rint(across / np.float32(RULING_UM))
    distance = np.abs(across - number * np.float32(RULING_UM))
    half = 0.5 * grid.y_um.max()
    length = np.where(np.mod(number, 5) == 0, 1.25 * half, 0.85 * half)
    soft = max(0.6, grid.pixel_um / 2)
    mark = 1 - step(2.0, soft, distance)
    mark *= (along > -0.6 * half) & (along < length - 0.6 * half) & (np.abs(across) < _RULED_UM / 2)
    dust = step(1.7, 0.2, noise(grid, 90, random, octaves=3))
    light = 0.78 + 0.05 * noise(grid, 900, random, octaves=2)
    colour = blend((0.82, 0.84, 0.8), (0.05, 0.05, 0.06), np.maximum(mark, 0.6 * dust).astype(np.float32))
    return _flat(colour * light[..., None], np.zeros_like(grid.x_um))


def _focus_ramp(grid: Grid, seed: int) -> Scene:
    """A finely printed card that falls away by 20° from left to right."""
    random = np.random.default_rng([seed, 12])
    depth = (grid.x_um + np.float32(_RAMP_WIDTH_UM / 2)) * np.float32(tan(radians(RAMP_SLOPE_DEG)))
    print_ = 0.55 * noise(grid, 24, random) + 0.35 * noise(grid, 7, random)
    colour = blend((0.12, 0.11, 0.1), (0.8, 0.78, 0.72), np.clip(0.5 + 0.5 * print_, 0, 1).astype(np.float32))
    return _flat(colour, np.clip(depth, -0.2 * _RAMP_DEPTH_UM, 1.2 * _RAMP_DEPTH_UM).astype(np.float32))


def _flat(colour: Float, depth_um: Float) -> Scene:
    return Scene((Sheet(colour.astype(np.float32), np.ones_like(depth_um), depth_um),))


RULED_SLIDE = SimulatedSpecimen("ruled-slide", "Ruled slide, 20 µm", "target", _RULED_UM, 10.0, _ruled_slide)
FOCUS_RAMP = SimulatedSpecimen("focus-ramp", "Focus ramp, 20°", "target", _RAMP_WIDTH_UM, _RAMP_DEPTH_UM, _focus_ramp)
