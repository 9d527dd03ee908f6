"""Fern sporangia: a heap of stalked capsules with a ringed spine."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import blend, lit, noise, spread_depth, step

_DEEPEST_UM = 520.0
_CAPSULES = 42


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 5])
    leaf = noise(grid, 90, random)
    depth = np.clip(_DEEPEST_UM - 40 + 20 * leaf, 0, _DEEPEST_UM).astype(np.float32)
    colour = blend((0.03, 0.09, 0.02), (0.16, 0.30, 0.08), np.clip(0.5 + 0.45 * leaf, 0, 1))
    ground = Sheet(lit(colour, depth, grid.pixel_um), np.ones_like(depth), depth)
    return Scene((ground, _heap(grid, random)))


def _heap(grid: Grid, random: np.random.Generator) -> Sheet:
    shape = grid.x_um.shape
    depth = np.full(shape, _DEEPEST_UM, np.float32)
    colour = np.zeros((*shape, 3), np.float32)
    cover = np.zeros(shape, np.float32)
    grain = noise(grid, 16, random)
    for _ in range(_CAPSULES):
        away, turn = 480 * np.sqrt(random.uniform()), random.uniform(0, 2 * np.pi)
        centre = np.float32(away * np.cos(turn)), np.float32(0.8 * away * np.sin(turn))
        size, lean = random.uniform(75, 115), random.uniform(0, 2 * np.pi)
        top = 15 + 300 * (away / 480) ** 1.5 + random.uniform(0, 60)
        columns = np.flatnonzero(np.abs(grid.x_um[0] - centre[0]) < size)
        rows = np.flatnonzero(np.abs(grid.y_um[:, 0] - centre[1]) < size)
        if rows.size == 0 or columns.size == 0:
            continue
        near = (slice(rows[0], rows[-1] + 1), slice(columns[0], columns[-1] + 1))
        x, y = grid.x_um[near] - centre[0], grid.y_um[near] - centre[1]
        u, v = x * np.cos(lean) + y * np.sin(lean), -x * np.sin(lean) + y * np.cos(lean)
        reach = np.hypot(u / size, v / (0.78 * size))
        dome = top + size * (1 - np.sqrt(np.clip(1 - reach**2, 0, 1)))
        mine = (reach < 1) & (dome < depth[near])
        spine = (np.abs(v) < 0.2 * size) & (u > -0.5 * size)
        ribs = step(0.0, 0.5, np.sin(u / 4.2).astype(np.float32))
        shell = blend((0.30, 0.13, 0.04), (0.72, 0.42, 0.14), np.clip(0.5 + 0.4 * grain[near], 0, 1))
        ring = blend((0.14, 0.05, 0.02), (0.85, 0.50, 0.18), ribs)
        here = np.where(spine[..., None], ring, shell)
        colour[near][mine], cover[near][mine] = here[mine], 1.0
        depth[near][mine] = (dome + 1.5 * grain[near])[mine]
    depth = np.clip(depth, 0, _DEEPEST_UM).astype(np.float32)
    spread = spread_depth(cover, depth)
    return Sheet(lit(colour, spread, grid.pixel_um, gloss=0.3), cover, spread)


SPORANGIA = SimulatedSpecimen("fern-sporangia", "Fern sporangia", "plant", 1200.0, _DEEPEST_UM, _build)
