"""Sundew: stalked glands with drops of glue, leaning out of the leaf at all heights."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import blend, hairs, lit, noise, solid, step

_DEEPEST_UM = 820.0


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 16])
    fold = noise(grid, 260, random)
    cells = noise(grid, 24, random)
    depth = np.clip(_DEEPEST_UM - 80 + 44 * fold + 3 * cells, 0, _DEEPEST_UM).astype(np.float32)
    veins = step(0.86, 0.08, np.cos(grid.y_um / 62 + 1.4 * fold))
    leaf = blend((0.035, 0.10, 0.012), (0.30, 0.46, 0.07), np.clip(0.45 + 0.3 * fold + 0.25 * cells, 0, 1))
    leaf = leaf * (1 - 0.35 * veins[..., None])
    sheets = [Sheet(lit(leaf, depth, grid.pixel_um, gloss=0.15), np.ones_like(depth), depth)]
    roots, heads = [], []
    for i in range(19):
        x, y = random.uniform(-640, 640), random.uniform(-430, 430)
        lean, a = random.uniform(110, 330), random.uniform(0, 2 * np.pi)
        roots.append((x, y, 760.0))
        heads.append((x + lean * np.cos(a), y + lean * np.sin(a), 30.0 + 640.0 * ((i * 7) % 19) / 19))
    sheets.append(hairs(grid, roots, heads, 30.0, (0.50, 0.085, 0.035), bend=0.12))
    # Heads from the farthest to the nearest, in three layers so that a nearer one hides a farther.
    order = sorted(heads, key=lambda head: -head[2])
    glands = [_glands(grid, random, part) for part in (order[:7], order[7:13], order[13:])]
    return Scene((*sheets, *glands))


def _glands(grid: Grid, random: np.random.Generator, heads: list[tuple[float, float, float]]) -> Sheet:
    shape = grid.x_um.shape
    cover, depth = np.zeros(shape, np.float32), np.full(shape, heads[0][2], np.float32)
    colour = np.zeros((*shape, 3), np.float32)
    grain = noise(grid, 13, random)
    for x, y, deep in heads:
        dx, dy = grid.x_um - np.float32(x), grid.y_um - np.float32(y)
        drop, gland = np.hypot(dx, dy) / 62, np.hypot(dx, dy) / 33
        inside = 1 - step(1.0, 0.03, drop)
        ball = 44 * np.sqrt(np.clip(1 - drop**2, 0, 1))
        red = blend((0.20, 0.006, 0.012), (0.78, 0.07, 0.06), np.clip(0.5 + 0.4 * grain, 0, 1))
        glue = blend((0.42, 0.20, 0.12), (0.95, 0.72, 0.55), step(0.74, 0.2, drop))
        inner = (1 - step(1.0, 0.06, gland))[..., None]
        glint = 1 - step(0.16, 0.05, np.hypot(drop - 0.55, (dx + dy) / 70 + 0.55))
        own = red * inner + glue * (1 - inner) + 1.2 * glint[..., None]
        alpha = inside * (0.55 + 0.45 * np.maximum(inner[..., 0], step(0.8, 0.1, drop)) + 0.4 * glint)
        nearer = inside > 0.02
        colour = np.where(nearer[..., None], own, colour)
        depth = np.where(nearer, deep - ball + 1.5 * grain, depth)
        cover = np.where(nearer, np.clip(alpha, 0, 1), cover)
    return solid(colour, cover, np.clip(depth, 0, _DEEPEST_UM))


SUNDEW = SimulatedSpecimen("sundew", "Sundew tentacles", "plant", 1400.0, _DEEPEST_UM, _build)
