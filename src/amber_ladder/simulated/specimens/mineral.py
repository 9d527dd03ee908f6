"""Wulfenite: thin square blades standing at angles on a crust."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import blend, lit, noise, spread_depth, step

_DEEPEST_UM = 600.0
# centre x, y (µm), half side (µm), turn (°), tilt along x and y, depth of the centre (µm)
_BLADES = (
    (-260.0, 150.0, 260.0, 22.0, 0.35, -0.15, 430.0),
    (300.0, 160.0, 230.0, -14.0, -0.25, 0.30, 360.0),
    (20.0, -150.0, 330.0, 38.0, 0.28, 0.22, 190.0),
)


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 3])
    crust = noise(grid, 160, random)
    depth = np.clip(_DEEPEST_UM - 60 + 34 * crust, 0, _DEEPEST_UM).astype(np.float32)
    colour = blend((0.09, 0.08, 0.08), (0.46, 0.42, 0.38), np.clip(0.5 + 0.4 * crust, 0, 1))
    sheets = [Sheet(lit(colour, depth, grid.pixel_um), np.ones_like(depth), depth)]
    sheets += [_blade(grid, random, *blade) for blade in _BLADES]
    return Scene(tuple(sheets))


def _blade(
    grid: Grid,
    random: np.random.Generator,
    x_um: float,
    y_um: float,
    half_um: float,
    turn_deg: float,
    tilt_x: float,
    tilt_y: float,
    depth_um: float,
) -> Sheet:
    turn = np.deg2rad(turn_deg)
    dx, dy = grid.x_um - np.float32(x_um), grid.y_um - np.float32(y_um)
    u = dx * np.cos(turn) + dy * np.sin(turn)
    v = -dx * np.sin(turn) + dy * np.cos(turn)
    edge = np.maximum(np.abs(u), np.abs(v))
    cover = 1 - step(half_um, grid.pixel_um, edge)
    bevel = np.clip((edge - 0.86 * half_um) / (0.14 * half_um), 0, 1)
    lines = noise(grid, 40, random)
    steps = np.floor((u + 30 * noise(grid, 300, random, octaves=2)) / 55)
    depth = depth_um + tilt_x * dx + tilt_y * dy + 24 * bevel + 1.2 * lines + 2.5 * np.mod(steps, 2)
    depth = np.clip(depth, 0, _DEEPEST_UM).astype(np.float32)
    fine = 0.5 + 0.22 * lines + 0.18 * np.sin(v / 3.1) + 0.2 * np.mod(steps, 2)
    colour = blend((0.62, 0.17, 0.01), (0.98, 0.52, 0.06), np.clip(fine, 0, 1).astype(np.float32))
    colour = colour * (1 + 0.5 * bevel[..., None])
    return Sheet(lit(colour, depth, grid.pixel_um, gloss=0.2), cover.astype(np.float32), spread_depth(cover, depth))


WULFENITE = SimulatedSpecimen("wulfenite", "Wulfenite blades", "mineral", 1400.0, _DEEPEST_UM, _build)
