"""A gnat in resin: wings, legs and feathered antennae at all depths of a warm block, with bubbles."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import blend, hairs, lit, noise, solid, step

_DEEPEST_UM = 520.0


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 12])
    cloud = noise(grid, 420, random, octaves=3)
    depth = np.full(cloud.shape, _DEEPEST_UM, np.float32)
    colour = blend((0.36, 0.15, 0.02), (0.78, 0.42, 0.08), np.clip(0.55 + 0.35 * cloud, 0, 1))
    bubbles = _bubbles(grid, random)
    ground = Sheet(colour, np.ones_like(depth), depth)
    legs = _legs(grid, random)
    return Scene((ground, bubbles, _wing(grid, random), legs, _body(grid, random), _antennae(grid, random)))


def _bubbles(grid: Grid, random: np.random.Generator) -> Sheet:
    cover = np.zeros(grid.x_um.shape, np.float32)
    depth = np.full(cover.shape, 380.0, np.float32)
    shade = np.zeros_like(cover)
    for _ in range(26):
        x, y = random.uniform(-640, 640), random.uniform(-440, 440)
        radius, deep = random.uniform(8, 34), random.uniform(180, 480)
        away = np.hypot(grid.x_um - np.float32(x), grid.y_um - np.float32(y)) / np.float32(radius)
        rim = step(0.72, 0.12, away) * (1 - step(1.0, 0.05, away))
        glint = 1 - step(0.25, 0.1, np.hypot(away - 0.45, (grid.x_um - x + grid.y_um - y) / radius + 0.6))
        mark = np.maximum(rim, glint)
        shade = np.where(mark > cover, 0.2 + glint, shade)
        depth = np.where(mark > cover, np.float32(deep), depth)
        cover = np.maximum(cover, mark)
    colour = blend((0.12, 0.045, 0.01), (1.0, 0.86, 0.6), np.clip(shade, 0, 1).astype(np.float32))
    return solid(colour, 0.85 * cover, depth)


def _wing(grid: Grid, random: np.random.Generator) -> Sheet:
    turn = np.deg2rad(-24.0)
    dx, dy = grid.x_um - 60, grid.y_um + 30
    u, v = dx * np.cos(turn) + dy * np.sin(turn), -dx * np.sin(turn) + dy * np.cos(turn)
    inside = np.hypot((u - 230) / 330, v / 118)
    cover = 1 - step(1.0, 0.012, inside)
    fan = np.arctan2(v, u + 60)
    veins = step(0.90, 0.05, np.cos(fan * 34 + 0.5 * noise(grid, 160, random, octaves=2)))
    rim = step(0.95, 0.02, inside)
    hair = step(0.55, 0.2, noise(grid, 7, random))
    dark = np.clip(veins + rim + 0.35 * hair, 0, 1)
    depth = 210 + 0.42 * u + 26 * np.sin(u / 90)
    colour = blend((0.95, 0.72, 0.36), (0.10, 0.04, 0.01), dark.astype(np.float32))
    return solid(colour, np.asarray(cover * (0.30 + 0.65 * dark), np.float32), np.clip(depth, 60, _DEEPEST_UM - 20))


def _body(grid: Grid, random: np.random.Generator) -> Sheet:
    cover = np.zeros(grid.x_um.shape, np.float32)
    depth = np.full(cover.shape, 300.0, np.float32)
    shade = np.zeros_like(cover)
    grain = noise(grid, 22, random)
    # abdomen in rings, thorax, head: centre, half axes, depth of the middle
    parts = [
        (-250.0 + 46 * i, 90.0 - 22 * i, 62.0 - 3 * abs(i - 2), 56.0 - 2 * abs(i - 2), 300.0 - 8 * i) for i in range(6)
    ]
    parts += [(60.0, -50.0, 110.0, 92.0, 215.0), (170.0, -118.0, 58.0, 54.0, 180.0)]
    for i, (x, y, a, b, deep) in enumerate(parts):
        away = np.hypot((grid.x_um - x) / a, (grid.y_um - y) / b)
        dome = deep - 60 * np.sqrt(np.clip(1 - away**2, 0, 1)) + 3 * grain
        inside = 1 - step(1.0, 0.02, away)
        facet = (
            0.5 + 0.5 * np.cos(grid.x_um / 2.6) * np.cos(grid.y_um / 2.6 + grid.x_um / 5.2)
            if i == len(parts) - 1
            else grain
        )
        tone = 0.35 + 0.25 * facet + 0.25 * step(0.75, 0.1, away)
        nearer = (inside > 0.5) & ((cover < 0.5) | (dome < depth))
        depth, shade = np.where(nearer, dome, depth), np.where(nearer, tone, shade)
        cover = np.maximum(cover, inside)
    colour = blend((0.05, 0.022, 0.008), (0.42, 0.20, 0.06), np.clip(shade, 0, 1).astype(np.float32))
    sheet = solid(colour, cover, np.clip(depth, 0, _DEEPEST_UM))
    return Sheet(lit(sheet.rgb, sheet.depth_um, grid.pixel_um, gloss=0.35), sheet.cover, sheet.depth_um)


def _legs(grid: Grid, random: np.random.Generator) -> Sheet:
    roots, tips = [], []
    for side in range(6):
        x, y = 20.0 + 22 * side, -20.0 - 12 * side
        angle = np.deg2rad(40 + 24 * side)
        knee = (x + 210 * np.cos(angle), y + 210 * np.sin(angle), float(random.uniform(180, 420)))
        foot = (
            knee[0] + 190 * np.cos(angle + 0.9),
            knee[1] + 190 * np.sin(angle + 0.9),
            float(random.uniform(120, 500)),
        )
        roots += [(x, y, 230.0), knee]
        tips += [knee, foot]
    return hairs(grid, roots, tips, 17.0, (0.09, 0.04, 0.015), bend=0.06)


def _antennae(grid: Grid, random: np.random.Generator) -> Sheet:
    roots, tips = [], []
    for turn in (-62.0, -16.0):
        a = np.deg2rad(turn)
        for i in range(24):
            share = i / 24
            stem = (195 + 330 * share * np.cos(a), -140 + 330 * share * np.sin(a), 150 - 120 * share)
            reach = 66 * (1 - 0.7 * share) + 10
            for side in (-1, 1):
                b = a + side * 1.05
                roots.append(stem)
                tips.append(
                    (
                        stem[0] + reach * np.cos(b),
                        stem[1] + reach * np.sin(b),
                        max(stem[2] + float(random.uniform(-45, 45)), 2.0),
                    )
                )
        roots.append((195.0, -140.0, 150.0))
        tips.append((195 + 335 * np.cos(a), -140 + 335 * np.sin(a), 28.0))
    return hairs(grid, roots, tips, 4.5, (0.08, 0.035, 0.012), bend=0.05)


GNAT = SimulatedSpecimen("resin-gnat", "Fungus gnat in resin", "inclusion", 1300.0, _DEEPEST_UM, _build)
