"""A capped column: two hexagonal plates joined by a column, on chilled slate."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import Float, blend, lit, noise, spread_depth, step

_DEEPEST_UM = 460.0


def _hexagon(x_um: Float, y_um: Float) -> Float:
    """Distance from the centre in units that make the border of a hexagon a constant."""
    reach = np.abs(x_um)
    for turn in (np.pi / 3, -np.pi / 3):
        reach = np.maximum(reach, np.abs(x_um * np.cos(turn) + y_um * np.sin(turn)))
    return reach


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 4])
    slate = noise(grid, 70, random)
    depth = np.clip(_DEEPEST_UM - 12 + 8 * slate, 0, _DEEPEST_UM).astype(np.float32)
    colour = blend((0.010, 0.016, 0.026), (0.09, 0.12, 0.16), np.clip(0.4 + 0.4 * slate, 0, 1))
    ground = Sheet(lit(colour, depth, grid.pixel_um), np.ones_like(depth), depth)
    lower = _plate(grid, random, (70.0, 60.0), 330.0, 12.0, 380.0, (0.10, -0.06))
    upper = _plate(grid, random, (-50.0, -45.0), 270.0, 12.0, 70.0, (0.16, -0.10))
    return Scene((ground, lower, _column(grid, random), upper))


def _plate(
    grid: Grid,
    random: np.random.Generator,
    centre: tuple[float, float],
    half_um: float,
    turn_deg: float,
    depth_um: float,
    tilt: tuple[float, float],
) -> Sheet:
    turn = np.deg2rad(turn_deg)
    dx, dy = grid.x_um - np.float32(centre[0]), grid.y_um - np.float32(centre[1])
    u, v = dx * np.cos(turn) + dy * np.sin(turn), -dx * np.sin(turn) + dy * np.cos(turn)
    reach = _hexagon(u, v)
    angle = np.arctan2(v, u)
    ribs = step(0.93, 0.06, np.cos(6 * angle + np.pi)) * step(0.1 * half_um, 10, reach)
    rings = 0.5 + 0.5 * np.cos(reach / 17 + 1.5 * noise(grid, 180, random, octaves=2))
    rim = step(0.93 * half_um, 6, reach)
    frost = noise(grid, 26, random)
    depth = depth_um + tilt[0] * dx + tilt[1] * dy - 9 * rim - 6 * ribs + 1.5 * frost
    depth = np.clip(depth, 0, _DEEPEST_UM).astype(np.float32)
    bright = np.clip(0.26 + 0.30 * rings + 0.5 * rim + 0.4 * ribs + 0.20 * frost, 0, 1.1)
    colour = blend((0.10, 0.20, 0.32), (0.72, 0.84, 0.95), bright.astype(np.float32))
    cover = 0.9 * (1 - step(half_um, grid.pixel_um, reach))
    return Sheet(
        lit(colour, depth, grid.pixel_um, gloss=0.2),
        cover.astype(np.float32),
        spread_depth(cover.astype(np.float32), depth),
    )


def _column(grid: Grid, random: np.random.Generator) -> Sheet:
    # Seen a little from the side: its axis runs from the upper plate's centre to the lower one's.
    start, end = np.array([-50.0, -45.0]), np.array([70.0, 60.0])
    axis = (end - start) / np.linalg.norm(end - start)
    along = (grid.x_um - np.float32(start[0])) * axis[0] + (grid.y_um - np.float32(start[1])) * axis[1]
    across = -(grid.x_um - np.float32(start[0])) * axis[1] + (grid.y_um - np.float32(start[1])) * axis[0]
    part = np.clip(along / np.linalg.norm(end - start), 0, 1)
    cover = (1 - step(75, grid.pixel_um, np.abs(across))) * step(-75, 3, along) * (1 - step(235, 3, along))
    frost = noise(grid, 30, random)
    depth = np.clip(85 + 285 * part + 0.3 * np.abs(across) + 2 * frost, 0, _DEEPEST_UM).astype(np.float32)
    faces = 0.5 + 0.3 * np.sign(np.sin(across / 24)) + 0.25 * frost
    colour = blend((0.12, 0.22, 0.34), (0.60, 0.74, 0.88), np.clip(faces, 0, 1).astype(np.float32))
    cover = (0.9 * cover).astype(np.float32)
    return Sheet(lit(colour, depth, grid.pixel_um), cover, spread_depth(cover, depth))


CAPPED_COLUMN = SimulatedSpecimen("capped-column", "Capped column", "snow", 1000.0, _DEEPEST_UM, _build)
