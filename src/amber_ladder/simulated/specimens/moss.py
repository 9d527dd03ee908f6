"""Mouth of a moss capsule: a ring of barred teeth over a bowl of spores."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import Float, blend, lit, noise, spread_depth, step

_TEETH = 16
_RIM_UM = 520.0


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 1])
    radius = np.hypot(grid.x_um, grid.y_um)
    wander = noise(grid, 260, random, octaves=2)
    return Scene((_bowl(grid, random, radius + 14 * wander), _teeth(grid, random, radius)))


def _bowl(grid: Grid, random: np.random.Generator, radius: Float) -> Sheet:
    grain = noise(grid, 46, random)
    outside = np.clip((radius - _RIM_UM) / 420, 0, 1)
    inside = step(330, 90, radius)
    hollow = 430 - 290 * inside + 560 * outside**1.6
    depth = np.asarray(np.clip(hollow + 9 * grain, 60, 700), np.float32)
    wall = blend((0.20, 0.13, 0.05), (0.42, 0.30, 0.10), np.clip(0.5 + 0.4 * grain, 0, 1))
    spores = blend((0.10, 0.055, 0.03), (0.30, 0.19, 0.11), np.clip(0.5 + 0.55 * noise(grid, 24, random), 0, 1))
    colour = spores * (1 - inside[..., None]) + wall * inside[..., None]
    return Sheet(lit(colour, depth, grid.pixel_um), np.ones_like(depth), depth)


def _teeth(grid: Grid, random: np.random.Generator, radius: Float) -> Sheet:
    angle = np.arctan2(grid.y_um, grid.x_um) / (2 * np.pi) * _TEETH
    which = np.floor(angle).astype(int) % _TEETH
    across = np.abs(angle - np.floor(angle) - 0.5) * 2  # 0 on a tooth's middle line, 1 between two
    along = (radius - 250) / (_RIM_UM - 250)  # 0 at the tip, 1 at the rim
    reach = 0.06 * random.standard_normal(_TEETH).astype(np.float32)[which]
    half = 0.30 + 0.34 * np.clip(along, 0, 1)
    softness = 1.2 * grid.pixel_um * _TEETH / (np.pi * np.maximum(radius, 50))
    cover = (
        (1 - step(0, 1, np.asarray((across - half) / softness, np.float32)))
        * step(0, 0.012, along - reach)
        * (1 - step(1.06, 0.012, along))
    )
    lean = 26 * random.standard_normal(_TEETH).astype(np.float32)[which]
    grain = noise(grid, 30, random)
    depth = 22 + (118 + lean) * np.clip(along, 0, 1.1) ** 1.5 + 26 * across**2 + 3 * grain
    depth = np.clip(depth, 0, None).astype(np.float32)
    bars = 0.5 + 0.5 * np.sin(along * 46 + 1.3 * noise(grid, 200, random, octaves=2) + which)
    colour = blend((0.62, 0.36, 0.09), (0.95, 0.70, 0.27), np.clip(bars + 0.30 * grain, 0, 1).astype(np.float32))
    cover = cover.astype(np.float32)
    return Sheet(lit(colour, depth, grid.pixel_um, gloss=0.25), cover, spread_depth(cover, depth))


CAPSULE_MOUTH = SimulatedSpecimen("moss-capsule", "Moss capsule mouth", "plant", 1500.0, 700.0, _build)
