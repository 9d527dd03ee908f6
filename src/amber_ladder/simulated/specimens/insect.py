"""Eye and face of a lacewing: faceted domes and crossing bristles."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import blend, facets, hairs, lit, noise, step

_DEEPEST_UM = 420.0


def _build(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 2])
    grain = noise(grid, 60, random)
    face = _DEEPEST_UM - 120 + 70 * np.hypot(grid.x_um / 300, grid.y_um / 420) + 14 * grain
    face = np.clip(face, 0, _DEEPEST_UM)
    colour = blend((0.10, 0.17, 0.05), (0.38, 0.44, 0.16), np.clip(0.5 + 0.45 * grain, 0, 1))
    stripe = step(0.35, 0.15, np.cos(grid.x_um / 38 + 0.8 * noise(grid, 150, random, octaves=2)))
    colour = colour * (1 - 0.55 * stripe[..., None])
    # Beyond the head there is only the dark, far ground.
    beyond = step(1.0, 0.03, np.hypot(grid.x_um / 560, (grid.y_um - 10) / 400) + 0.03 * grain)
    colour = colour * (1 - 0.93 * beyond[..., None])
    depth = (face * (1 - beyond) + _DEEPEST_UM * beyond).astype(np.float32)
    for side in (-1.0, 1.0):
        x, y = grid.x_um - np.float32(side * 300), grid.y_um + 40
        away = np.hypot(x / 255, y / 300)
        inside = 1 - step(1.0, 0.02, away)
        dome = 12 + 330 * (1 - np.sqrt(np.clip(1 - away**2 * 0.985, 0, 1)))
        # Facets are laid out along the dome's surface: the angle from its axis, not the distance seen.
        swell = np.arcsin(np.clip(away, 0, 0.99)) / np.maximum(away, 1e-3)
        facet = facets(x * swell, y * swell, 21.0)
        eye_depth = dome - 3.0 * facet
        sheen = 0.5 + 0.5 * np.sin(away * 5 + side + 0.6 * noise(grid, 120, random, octaves=3))
        eye = blend((0.08, 0.30, 0.10), (0.62, 0.34, 0.06), sheen.astype(np.float32))
        eye = eye * (0.35 + 0.75 * facet + 0.12 * noise(grid, 9, random))[..., None]
        depth = (depth * (1 - inside) + np.minimum(eye_depth, depth) * inside).astype(np.float32)
        colour = colour * (1 - inside[..., None]) + eye * inside[..., None]
    base = Sheet(lit(colour, depth, grid.pixel_um, gloss=0.3, relief=0.8), np.ones_like(depth), depth)
    return Scene((base, _bristles(grid, random)))


def _bristles(grid: Grid, random: np.random.Generator) -> Sheet:
    roots, tips = [], []
    for _ in range(46):
        x, y = random.uniform(-240, 240), random.uniform(-340, 340)
        angle = random.uniform(0, 2 * np.pi)
        length = random.uniform(120, 330)
        roots.append((x, y, random.uniform(250, 300)))
        tips.append((x + length * np.cos(angle), y + length * np.sin(angle), random.uniform(4, 160)))
    return hairs(grid, roots, tips, 9.0, (0.10, 0.06, 0.03))


LACEWING_EYE = SimulatedSpecimen("lacewing-eyes", "Lacewing head, front", "insect", 1200.0, _DEEPEST_UM, _build)
