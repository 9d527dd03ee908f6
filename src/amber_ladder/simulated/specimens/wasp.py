"""A jewel wasp's face: pitted metal, faceted eyes, antennae that cross before it."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import (
    Float,
    between,
    blend,
    facets,
    hairs,
    lit,
    noise,
    solid,
    step,
)

_DEEPEST_UM = 760.0


def _pits(x: Float, y: Float, pitch: float) -> Float:
    """Depth of round pits, 1 at their bottom: two crossed rows that drift against each other."""
    u = np.cos(x / pitch * 2 * np.pi) + np.cos((0.5 * x + 0.866 * y) / pitch * 2 * np.pi)
    v = u + np.cos((0.5 * x - 0.866 * y) / pitch * 2 * np.pi)
    return step(1.0, 0.5, np.asarray(v, np.float32))


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 17])
    far = noise(grid, 300, random)
    back = np.full(far.shape, _DEEPEST_UM, np.float32)
    ground = Sheet(
        blend((0.02, 0.022, 0.024), (0.10, 0.11, 0.10), np.clip(0.5 + 0.3 * far, 0, 1)), np.ones_like(back), back
    )
    return Scene((ground, _face(grid, random), _bristles(grid, random), _antenna(grid, random)))


def _face(grid: Grid, random: np.random.Generator) -> Sheet:
    bend = noise(grid, 240, random, octaves=3)
    away = np.hypot(grid.x_um / 640, grid.y_um / 480)
    inside = 1 - step(1.0, 0.008, away + 0.01 * bend)
    dome = 700 - 520 * np.sqrt(np.clip(1 - away**2, 0, 1))
    warp = 8 * noise(grid, 90, random, octaves=2)
    pits = _pits(grid.x_um + warp, grid.y_um - warp, 44.0) * (1 - 0.6 * step(0.8, 0.1, away))
    grain = noise(grid, 12, random)
    hue = 0.5 + 0.5 * np.sin(away * 7.5 + 0.8 * bend + grid.y_um / 260)
    metal = blend((0.02, 0.16, 0.13), (0.30, 0.10, 0.42), hue.astype(np.float32))
    metal = metal + blend((0.0, 0.0, 0.0), (0.55, 0.36, 0.05), np.clip(hue - 0.55, 0, 1).astype(np.float32))
    depth = dome + 16 * pits + 1.5 * grain
    metal = metal * (0.55 + 0.5 * (1 - pits) + 0.2 * grain)[..., None]
    for side in (-1.0, 1.0):
        x, y = grid.x_um - np.float32(side * 430), grid.y_um + 40
        eye = np.hypot(x / 150, y / 265)
        within = (1 - step(1.0, 0.02, eye)) * inside
        facet = facets(x, y, 19.0)
        own = blend((0.05, 0.012, 0.008), (0.46, 0.10, 0.03), np.clip(0.25 + 0.6 * facet + 0.15 * grain, 0, 1))
        metal = metal * (1 - within[..., None]) + own * within[..., None]
        ball = dome - 60 * np.sqrt(np.clip(1 - eye**2, 0, 1)) - 2.5 * facet
        depth = depth * (1 - within) + ball * within
    body = solid(metal, inside, np.clip(depth, 0, _DEEPEST_UM))
    return Sheet(lit(body.rgb, body.depth_um, grid.pixel_um, gloss=1.1, relief=0.9), body.cover, body.depth_um)


def _bristles(grid: Grid, random: np.random.Generator) -> Sheet:
    roots, tips = [], []
    for _ in range(90):
        x, y = random.uniform(-560, 560), random.uniform(-400, 400)
        away = np.hypot(x / 640, y / 480)
        if away > 0.95 or (abs(abs(x) - 430) < 150 and abs(y + 40) < 250):
            continue
        deep = 700 - 520 * float(np.sqrt(1 - away**2))
        length = random.uniform(70, 170)
        roots.append((x, y, deep))
        tips.append((x * (1 + length / 700), y * (1 + length / 500) + 30, max(deep - length * 0.8, 2.0)))
    return hairs(grid, roots, tips, 6.5, (0.75, 0.72, 0.62), bend=0.08)


def _antenna(grid: Grid, random: np.random.Generator) -> Sheet:
    """Two antennae in beaded joints, one across the other."""
    roots, tips = [], []
    for start, knee, end in (
        ((-70.0, 90.0, 190.0), (-250.0, -60.0, 70.0), (240.0, -330.0, 20.0)),
        ((70.0, 90.0, 190.0), (280.0, -20.0, 110.0), (-330.0, -390.0, 90.0)),
    ):
        roots.append(start)
        tips.append(knee)
        for i in range(11):
            roots.append(between(knee, end, (i + 0.86) / 11))
            tips.append(between(knee, end, i / 11))
    return hairs(grid, roots, tips, 40.0, (0.10, 0.12, 0.11), bend=0.0)


JEWEL_WASP = SimulatedSpecimen("jewel-wasp", "Jewel wasp, face", "insect", 1400.0, _DEEPEST_UM, _build)
