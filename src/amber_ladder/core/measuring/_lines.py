"""Lines and outlines as places along and within them."""

import numpy as np
from numpy.typing import NDArray

Double = NDArray[np.float64]


def along(points: Double, *, every_px: float, most: int) -> Double:
    """Places (draws, N, 2) along lines through points (draws, P, 2), as many on each; both ends are among them.

    As many as come to one ``every_px`` on the first of them, ``most`` at most.
    """
    lengths = np.linalg.norm(np.diff(points[0], axis=0), axis=-1)
    counts = np.maximum(np.ceil(lengths / max(every_px, lengths.sum() / most)).astype(int), 1)
    parts = []
    for i, count in enumerate(counts):
        share = np.arange(count)[:, None] / count
        parts.append(points[:, i, None] * (1 - share) + points[:, i + 1, None] * share)
    return np.concatenate([*parts, points[:, -1:]], axis=1)


def closed(points: Double) -> Double:
    """The same points (…, P + 1, 2), with the first one once more at the end."""
    return np.concatenate([points, points[..., :1, :]], axis=-2)


def area(points: Double) -> Double:
    """Area (…) within outlines (…, P, 2), by the shoelace formula; never negative."""
    x, y = points[..., 0], points[..., 1]
    return np.asarray(np.abs((x * np.roll(y, -1, -1) - np.roll(x, -1, -1) * y).sum(-1)) / 2.0, np.float64)


def apart(outline: Double, most: int) -> float:
    """How many px apart about ``most`` places fill an outline (P, 2); no less than 1."""
    return max(1.0, float(np.sqrt(area(outline) / most)))


def within(outline: Double, every: float) -> Double:
    """Places (N, 2) on an even grid within an outline (P, 2), ``every`` so many px; 0 for one without area."""
    low, high = outline.min(axis=0), outline.max(axis=0)
    x = np.arange(np.ceil(low[0]), high[0] + 1e-9, every)
    y = np.arange(np.ceil(low[1]), high[1] + 1e-9, every)
    places = np.stack(np.meshgrid(x, y), axis=-1).reshape(-1, 2)
    return places[_inside(places, outline)]


def _inside(places: Double, outline: Double) -> NDArray[np.bool_]:
    """Whether places (N, 2) lie within an outline (P, 2): they do if a ray from them crosses it an odd time."""
    inside = np.zeros(len(places), np.bool_)
    for (x1, y1), (x2, y2) in zip(outline, np.roll(outline, -1, axis=0), strict=True):
        if y1 == y2:
            continue
        crosses = (places[:, 1] < y1) != (places[:, 1] < y2)
        inside ^= crosses & (places[:, 0] < x1 + (places[:, 1] - y1) / (y2 - y1) * (x2 - x1))
    return inside
