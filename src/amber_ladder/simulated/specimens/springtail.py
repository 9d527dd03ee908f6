"""A springtail on moss: banded, scaled, with jointed antennae and legs at all heights."""

from itertools import pairwise

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import between, blend, hairs, lit, noise, solid, step

_DEEPEST_UM = 560.0
_BODY = tuple(
    (-390.0 + 92 * i, 40.0 - 9 * i, 96.0 + 44 * float(np.sin((i + 1.5) / 8.5 * np.pi)), 330.0) for i in range(8)
)


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 18])
    soil = noise(grid, 150, random)
    crumbs = noise(grid, 30, random)
    depth = np.clip(_DEEPEST_UM - 46 + 26 * soil + 8 * crumbs, 0, _DEEPEST_UM).astype(np.float32)
    colour = blend((0.045, 0.032, 0.02), (0.34, 0.27, 0.17), np.clip(0.45 + 0.3 * soil + 0.3 * crumbs, 0, 1))
    ground = Sheet(lit(colour, depth, grid.pixel_um), np.ones_like(depth), depth)
    return Scene((ground, _legs(grid, random), _body(grid, random), _hair(grid, random)))


def _body(grid: Grid, random: np.random.Generator) -> Sheet:
    shape = grid.x_um.shape
    cover, depth = np.zeros(shape, np.float32), np.full(shape, 330.0, np.float32)
    tone, band = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    scale = np.cos(grid.x_um / 3.4 + 0.9 * np.cos(grid.y_um / 4.1)) * np.cos(grid.y_um / 4.1)
    grain = noise(grid, 20, random)
    for i, (x, y, half, deep) in enumerate((*_BODY, (392.0, -42.0, 104.0, 330.0))):
        along = 88.0 if i < len(_BODY) else 112.0
        away = np.hypot((grid.x_um - np.float32(x)) / along, (grid.y_um - np.float32(y)) / half)
        ball = deep - 1.35 * half * np.sqrt(np.clip(1 - away**2, 0, 1)) + 2.0 * scale
        inside = 1 - step(1.0, 0.015, away)
        nearer = (inside > 0.5) & ((cover < 0.5) | (ball < depth))
        depth, tone = np.where(nearer, ball, depth), np.where(nearer, 0.5 + 0.2 * scale + 0.22 * grain, tone)
        band = np.where(nearer, step(0.25, 0.25, np.cos((grid.x_um - x) / 29.0)) if i < len(_BODY) else 0.15, band)
        cover = np.maximum(cover, inside)
    pale = blend((0.26, 0.21, 0.10), (0.86, 0.76, 0.46), np.clip(tone, 0, 1).astype(np.float32))
    dark = blend((0.035, 0.03, 0.06), (0.24, 0.19, 0.30), np.clip(tone, 0, 1).astype(np.float32))
    colour = pale * (1 - band[..., None]) + dark * band[..., None]
    # An eye patch of eight small lenses.
    for k in range(8):
        x, y = 420 + 17 * (k % 3), -70 + 15 * (k // 3)
        spot = 1 - step(6.5, 1.0, np.hypot(grid.x_um - x, grid.y_um - y))
        colour = colour * (1 - spot[..., None]) + np.asarray((0.015, 0.012, 0.012), np.float32) * spot[..., None]
    body = solid(colour, cover, np.clip(depth, 0, _DEEPEST_UM))
    return Sheet(lit(body.rgb, body.depth_um, grid.pixel_um, gloss=0.3), body.cover, body.depth_um)


def _legs(grid: Grid, random: np.random.Generator) -> Sheet:
    roots, tips = [], []
    for i in range(6):
        x, side = 120.0 + 62 * (i // 2), 1 if i % 2 else -1
        knee = (x + 40, side * 200.0 - 20, 250.0 + 60 * (i % 3))
        roots += [(x, -10.0, 360.0), knee]
        tips += [knee, (x + 95, side * 310.0 - 20, 470.0)]
    # The fork under the tail.
    roots += [(-330.0, 60.0, 420.0), (-330.0, 60.0, 420.0)]
    tips += [(-600.0, 190.0, 330.0), (-610.0, 130.0, 380.0)]
    return hairs(grid, roots, tips, 24.0, (0.60, 0.50, 0.28), bend=0.05)


def _hair(grid: Grid, random: np.random.Generator) -> Sheet:
    roots, tips = [], []
    for x, y, half, deep in _BODY:
        for _ in range(11):
            a, length = random.uniform(0, 2 * np.pi), random.uniform(50, 120)
            at = (x + 0.6 * 46 * np.cos(a), y + 0.8 * half * np.sin(a), deep - 1.0 * half)
            roots.append(at)
            tips.append(
                (at[0] - 30 + 0.5 * length * np.cos(a), at[1] + length * np.sin(a), max(at[2] - 0.8 * length, 5.0))
            )
    for end in ((690.0, -250.0, 40.0), (700.0, 110.0, 180.0)):
        start = (460.0, -60.0, 250.0)
        joints = [between(start, end, share) for share in (0.0, 0.2, 0.45, 0.7, 1.0)]
        for joint, following in pairwise(joints):
            roots += [joint] * 3
            tips += [following] * 3
    return hairs(grid, roots, tips, 10.0, (0.32, 0.25, 0.20), bend=0.06)


SPRINGTAIL = SimulatedSpecimen("springtail", "Springtail on moss", "insect", 1400.0, _DEEPEST_UM, _build)
