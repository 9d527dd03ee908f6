"""Building blocks of surfaces: noise in physical units, light from above, hairs, blended colours."""

from math import ceil, log2

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder.simulated.scene import Grid, Sheet

Float = NDArray[np.float32]


def noise(grid: Grid, feature_um: float, random: np.random.Generator, *, octaves: int | None = None) -> Float:
    """Fractal value noise around 0, about −1 to 1, (H, W). Without ``octaves`` it goes down to two pixels.

    The pattern is fixed in µm, so one seed gives one specimen however many pixels look at it.
    """
    if octaves is None:
        octaves = max(1, ceil(log2(max(feature_um / (2.0 * grid.pixel_um), 1.0))) + 1)
    seeds = random.integers(0, 2**31, 16)
    total, weight = np.zeros(grid.x_um.shape, np.float32), 0.0
    for octave in range(min(octaves, 16)):
        cell_um = feature_um / 2**octave
        share = 0.62**octave
        total += np.float32(share) * _lattice(grid, cell_um, int(seeds[octave]))
        weight += share**2
    return np.asarray(total / np.float32(np.sqrt(weight)), np.float32)


def _lattice(grid: Grid, cell_um: float, seed: int) -> Float:
    table = np.random.default_rng(seed).uniform(-1.7, 1.7, (512, 512)).astype(np.float32)
    return np.asarray(
        cv2.remap(
            table,
            np.mod(grid.x_um / np.float32(cell_um) + 256, 511).astype(np.float32),
            np.mod(grid.y_um / np.float32(cell_um) + 256, 511).astype(np.float32),
            cv2.INTER_CUBIC,
            borderMode=cv2.BORDER_WRAP,
        ),
        np.float32,
    )


def step(edge: float, softness: float, value: Float) -> Float:
    """Smooth step from 0 to 1 as ``value`` passes ``edge``, over ``softness`` to either side."""
    t = np.clip((value - edge) / (2 * softness) + 0.5, 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


def blend(first: tuple[float, float, float], second: tuple[float, float, float], amount: Float) -> Float:
    """Colours (H, W, 3) between two linear RGB values."""
    return np.asarray(first, np.float32) * (1 - amount[..., None]) + np.asarray(second, np.float32) * amount[..., None]


def lit(colour: Float, depth_um: Float, pixel_um: float, *, gloss: float = 0.0, relief: float = 1.0) -> Float:
    """Colour (H, W, 3) under a soft light from the upper left and a bright dome."""
    dy, dx = np.gradient(cv2.GaussianBlur(depth_um, (0, 0), 1.0) * np.float32(relief / pixel_um))
    length = np.sqrt(1 + dx * dx + dy * dy)
    facing = np.clip((0.45 * dx + 0.55 * dy + 0.7) / length, 0, None)
    light = 0.32 + 0.75 * facing + gloss * np.clip(facing, 0, 1) ** 24
    return np.asarray(colour * light[..., None], np.float32)


def spread_depth(cover: Float, depth_um: Float) -> Float:
    """Give every uncovered pixel the depth of the nearest covered one, so that its blur reaches out rightly."""
    outside = (cover < 0.5).astype(np.uint8)
    if outside.all():
        return depth_um
    _, labels = cv2.distanceTransformWithLabels(outside, cv2.DIST_L2, 5, labelType=cv2.DIST_LABEL_PIXEL)
    table = np.zeros(int(labels.max()) + 1, np.float32)
    inside = outside == 0
    table[labels[inside]] = depth_um[inside]
    return np.asarray(table[labels], np.float32)


def facets(x_um: Float, y_um: Float, pitch_um: float) -> Float:
    """Height of hexagonal facets, 1 in the middle of one, 0 at its border."""
    height = np.zeros_like(x_um)
    for turn in (0.0, np.pi / 3, 2 * np.pi / 3):
        height += np.cos(2 * np.pi * (x_um * np.cos(turn) + y_um * np.sin(turn)) / (pitch_um * 0.866))
    return np.asarray(np.clip((height + 1.5) / 4.5, 0, 1), np.float32)


def solid(rgb: Float, cover: Float, depth_um: Float) -> Sheet:
    """A sheet of these colours (H, W, 3), cover and depth (H, W), with depth spread beyond its border."""
    cover = np.asarray(np.clip(cover, 0, 1), np.float32)
    return Sheet(np.asarray(rgb, np.float32), cover, spread_depth(cover, np.asarray(depth_um, np.float32)))


Point = tuple[float, float, float]


def between(start: Point, end: Point, share: float) -> Point:
    """The point this share of the way from one (x, y, depth) to another."""
    x, y, deep = (a + (b - a) * share for a, b in zip(start, end, strict=True))
    return x, y, deep


def hairs(
    grid: Grid,
    roots: list[Point],
    tips: list[Point],
    width_um: float,
    colour: tuple[float, float, float],
    *,
    bend: float = 0.15,
) -> Sheet:
    """Tapering curved hairs from root to tip, each an (x, y, depth) in µm. The nearer of two covers the other."""
    height, width = grid.x_um.shape
    cover = np.zeros((height, width), np.float32)
    depth = np.zeros((height, width), np.float32)
    shade = np.zeros((height, width), np.float32)
    centre = np.array([(width - 1) / 2, (height - 1) / 2])
    aside = np.array(grid.aside_um)
    steps = 160
    t = np.linspace(0, 1, steps)
    for root, tip in sorted(zip(roots, tips, strict=True), key=lambda pair: -(pair[0][2] + pair[1][2])):
        start, end = np.asarray(root), np.asarray(tip)
        across = np.array([-(end - start)[1], (end - start)[0], 0.0]) * bend
        path = start + np.outer(t, end - start) + np.outer(4 * t * (1 - t), across)
        pixels = (path[:, :2] - aside) / grid.pixel_um + centre
        radius = np.maximum(width_um / 2 * (1 - 0.85 * t) / grid.pixel_um, 0.35)
        low = np.minimum(pixels[:-1], pixels[1:]) - radius[:-1, None] - 2
        high = np.maximum(pixels[:-1], pixels[1:]) + radius[:-1, None] + 2
        seen = ((high >= 0) & (low < (width, height))).all(axis=1)  # most of a field sees few of its hairs
        for i in np.flatnonzero(seen).tolist():
            # cv2 draws anti-aliased with 4 fractional bits; a hair is a chain of short thick lines.
            a, b = (np.rint(p * 16).astype(int) for p in (pixels[i], pixels[i + 1]))
            thick = max(1, round(2 * radius[i]))
            cv2.line(cover, a.tolist(), b.tolist(), 1.0, thick, cv2.LINE_8, 4)
            cv2.line(depth, a.tolist(), b.tolist(), float(path[i, 2]), thick, cv2.LINE_8, 4)
            cv2.line(shade, a.tolist(), b.tolist(), float(0.55 + 0.45 * np.sin(i * 0.9)), thick, cv2.LINE_8, 4)
    soft = cv2.GaussianBlur(cover, (0, 0), 0.6)
    rgb = np.asarray(colour, np.float32) * (0.5 + 0.8 * cv2.GaussianBlur(shade, (0, 0), 0.8))[..., None]
    return Sheet(rgb.astype(np.float32), np.asarray(soft, np.float32), spread_depth(cover, depth))
