"""Graupel: a rimed grain of frozen droplets with the arms of the star that it grew on still standing out."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import Float, blend, hairs, lit, noise, solid, step

_DEEPEST_UM = 700.0


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 15])
    slate = noise(grid, 80, random)
    depth = np.clip(_DEEPEST_UM - 14 + 9 * slate, 0, _DEEPEST_UM).astype(np.float32)
    colour = blend((0.008, 0.013, 0.022), (0.07, 0.095, 0.13), np.clip(0.4 + 0.4 * slate, 0, 1))
    ground = Sheet(lit(colour, depth, grid.pixel_um), np.ones_like(depth), depth)
    return Scene((ground, _arms(grid, random), _grain(grid, random)))


def _grain(grid: Grid, random: np.random.Generator) -> Sheet:
    lumps = noise(grid, 210, random, octaves=3)
    away = np.hypot(grid.x_um / 450, grid.y_um / 400) + 0.10 * lumps
    height = 560 * np.sqrt(np.clip(1 - away**2, 0, 1))
    shade = np.zeros_like(height)
    drops = _droplets(grid, random)
    height = height + 26 * drops
    shade = 0.5 * drops
    frost = noise(grid, 11, random)
    cover = 1 - step(0.96, 0.012, away)
    colour = blend(
        (0.16, 0.25, 0.36), (0.86, 0.92, 0.98), np.clip(0.25 + shade + 0.16 * frost, 0, 1).astype(np.float32)
    )
    body = solid(colour, 0.97 * cover, np.clip(_DEEPEST_UM - 90 - height + 1.5 * frost, 0, _DEEPEST_UM))
    return Sheet(lit(body.rgb, body.depth_um, grid.pixel_um, gloss=0.25), body.cover, body.depth_um)


def _droplets(grid: Grid, random: np.random.Generator) -> Float:
    """Droplets that froze where they struck: heights of small balls, 0 to 1; the higher of two hides the other."""
    height, width = grid.x_um.shape
    out = np.zeros((height, width), np.float32)
    for _ in range(1500):
        a, away = random.uniform(0, 2 * np.pi), np.sqrt(random.uniform(0, 1.1))
        x_um, y_um, radius_um = 450 * away * np.cos(a), 400 * away * np.sin(a), random.uniform(12, 30)
        x, y = grid.px(x_um, y_um)
        reach = int(radius_um / grid.pixel_um) + 2
        rows = slice(max(int(y) - reach, 0), max(int(y) + reach + 1, 0))
        columns = slice(max(int(x) - reach, 0), max(int(x) + reach + 1, 0))
        part = out[rows, columns]
        squared = ((grid.x_um[rows, columns] - x_um) ** 2 + (grid.y_um[rows, columns] - y_um) ** 2) / radius_um**2
        np.maximum(part, radius_um / 30 * np.sqrt(np.clip(1 - squared, 0, 1)), out=part)
    return out


def _arms(grid: Grid, random: np.random.Generator) -> Sheet:
    roots, tips = [], []
    for i in range(6):
        a = np.deg2rad(60 * i + 11)
        end = np.array([690 * np.cos(a), 560 * np.sin(a), 380 + 130 * np.sin(1.7 * i)])
        roots.append((0.0, 0.0, 420.0))
        tips.append(tuple(end))
        for share in (0.62, 0.74, 0.86):
            for side in (-1, 1):
                b, reach = a + side * np.pi / 3, 240 * (1.05 - share)
                stem = (end[0] * share, end[1] * share, 420 + (end[2] - 420) * share)
                roots.append(stem)
                tips.append(
                    (stem[0] + reach * np.cos(b), stem[1] + reach * np.sin(b), stem[2] + float(random.uniform(-60, 60)))
                )
    return hairs(grid, roots, tips, 34.0, (0.42, 0.54, 0.66), bend=0.0)


GRAUPEL = SimulatedSpecimen("graupel", "Graupel on a star", "snow", 1450.0, _DEEPEST_UM, _build)
