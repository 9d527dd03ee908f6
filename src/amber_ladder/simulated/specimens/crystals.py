"""Garnet grown in schist, and the corner of a fluorite cube: flat faces that meet at edges."""

import numpy as np

from amber_ladder.simulated.scene import Grid, Scene, Sheet
from amber_ladder.simulated.specimens._registry import SimulatedSpecimen
from amber_ladder.simulated.specimens._surface import Float, blend, hairs, lit, noise, solid, step

_GARNET_UM = 345.0
_FLUORITE_UM = 800.0


def _faces(x: Float, y: Float, normals: list[tuple[float, float]], slope: float, radius: float) -> tuple[Float, Float]:
    """Height of a pyramid-like solid, and which face each pixel belongs to. ``normals`` are (angle °, slope factor)."""
    planes = [
        (radius - (x * np.cos(np.deg2rad(a)) + y * np.sin(np.deg2rad(a)))) * np.float32(slope * k) for a, k in normals
    ]
    stack = np.stack(planes)
    return np.asarray(stack.min(axis=0), np.float32), np.asarray(stack.argmin(axis=0), np.float32)


def _garnet(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 13])
    mica = noise(grid, 120, random)
    flakes = noise(grid, 34, random)
    lie = np.clip(_GARNET_UM - 60 + 30 * mica + 16 * np.sign(flakes), 0, _GARNET_UM).astype(np.float32)
    stone = blend((0.10, 0.10, 0.09), (0.52, 0.51, 0.46), np.clip(0.45 + 0.3 * mica + 0.25 * np.sign(flakes), 0, 1))
    sheets = [Sheet(lit(stone, lie, grid.pixel_um, gloss=0.5), np.ones_like(lie), lie)]
    # centre x, y, radius (µm), turn (°)
    for x, y, radius, turn in ((-90.0, 10.0, 430.0, 8.0), (520.0, -260.0, 190.0, 33.0), (470.0, 330.0, 150.0, -12.0)):
        dx, dy = grid.x_um - np.float32(x), grid.y_um - np.float32(y)
        rim = [(turn + 60.0 * i, 1.0) for i in range(6)]
        height, face = _faces(dx, dy, rim, 0.95, radius)
        # The rhombic top of a dodecahedron: three faces that meet in the middle.
        top, cap = _faces(dx, dy, [(turn + 30 + 120.0 * i, 1.0) for i in range(3)], 0.55, 1.32 * radius)
        upper = top < height
        solid_height, facet = np.where(upper, top, height), np.where(upper, 10 + cap, face)
        lines = np.sin(solid_height / 7.0 + 2.0 * noise(grid, 160, random, octaves=2))
        depth = _GARNET_UM - 70 - solid_height * (0.8 if radius > 300 else 0.7) + 1.2 * lines
        grain = noise(grid, 18, random)
        tone = 0.28 + 0.13 * np.sin(facet * 2.4) + 0.16 * grain + 0.10 * lines
        colour = blend((0.10, 0.004, 0.006), (0.62, 0.075, 0.06), np.clip(tone, 0, 1).astype(np.float32))
        cover = step(0.0, grid.pixel_um, solid_height)
        body = solid(colour, cover, np.clip(depth, 0, _GARNET_UM))
        sheets.append(Sheet(lit(body.rgb, body.depth_um, grid.pixel_um, gloss=0.9), body.cover, body.depth_um))
    return Scene(tuple(sheets))


def _fluorite(grid: Grid, seed: int) -> Scene:
    random = np.random.default_rng([seed, 14])
    bed = noise(grid, 200, random)
    lie = np.clip(_FLUORITE_UM - 50 + 26 * bed, 0, _FLUORITE_UM).astype(np.float32)
    druse = blend(
        (0.20, 0.19, 0.17), (0.74, 0.72, 0.66), np.clip(0.5 + 0.4 * bed + 0.2 * noise(grid, 26, random), 0, 1)
    )
    sheets = [Sheet(lit(druse, lie, grid.pixel_um, gloss=0.4), np.ones_like(lie), lie)]
    # Cubes seen on their corners: three faces each.
    for x, y, edge, turn, tip in (
        (30.0, 20.0, 620.0, 14.0, 0.0),
        (-520.0, 300.0, 260.0, 50.0, 330.0),
        (540.0, -320.0, 230.0, -20.0, 380.0),
    ):
        dx, dy = grid.x_um - np.float32(x), grid.y_um - np.float32(y)
        stack = np.stack(
            [
                (dx * np.cos(np.deg2rad(turn + 120 * i)) + dy * np.sin(np.deg2rad(turn + 120 * i))) * np.float32(0.707)
                for i in range(3)
            ]
        )
        down, face = stack.max(axis=0), stack.argmax(axis=0)
        reach = np.max(
            np.stack(
                [
                    np.abs(dx * np.cos(np.deg2rad(turn + 60 * i + 30)) + dy * np.sin(np.deg2rad(turn + 60 * i + 30)))
                    for i in range(3)
                ]
            ),
            axis=0,
        )
        zones = np.sin(down / 15.0 + 0.8 * noise(grid, 260, random, octaves=2))
        steps = np.mod(np.floor((dx + dy * 0.4 + 40 * noise(grid, 320, random, octaves=2)) / 90), 2)
        grain = noise(grid, 15, random)
        tone = 0.32 + 0.16 * face + 0.10 * zones + 0.10 * steps + 0.16 * grain
        colour = blend((0.07, 0.035, 0.16), (0.52, 0.62, 0.78), np.clip(tone, 0, 1).astype(np.float32))
        depth = tip + down + 2.0 * steps + 0.8 * grain
        cover = 0.96 * (1 - step(0.62 * edge, grid.pixel_um, reach))
        body = solid(colour, cover, np.clip(depth, 0, _FLUORITE_UM))
        sheets.append(Sheet(lit(body.rgb, body.depth_um, grid.pixel_um, gloss=0.7), body.cover, body.depth_um))
    sheets.append(_needles(grid, random))
    return Scene(tuple(sheets))


def _needles(grid: Grid, random: np.random.Generator) -> Sheet:
    """A spray of thin needles that crosses the large cube."""
    roots, tips = [], []
    for _ in range(34):
        a, length = random.uniform(2.3, 3.6), random.uniform(260, 560)
        roots.append((430.0 + random.uniform(-40, 40), 240.0 + random.uniform(-40, 40), 430.0))
        tips.append((430 + length * np.cos(a), 240 + length * np.sin(a), float(random.uniform(40, 420))))
    return hairs(grid, roots, tips, 9.0, (0.62, 0.52, 0.30), bend=0.01)


GARNET = SimulatedSpecimen("garnet", "Garnet in schist", "mineral", 1500.0, _GARNET_UM, _garnet)
FLUORITE = SimulatedSpecimen("fluorite", "Fluorite, corners of cubes", "mineral", 1500.0, _FLUORITE_UM, _fluorite)
