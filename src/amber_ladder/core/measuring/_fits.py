"""Planes, circles and spheres through points, by least squares; many draws at once."""

import numpy as np
from numpy.typing import NDArray

Double = NDArray[np.float64]

_ROUNDS, _SETTLED = 30, 1e-9
_FLAT = 1e4  # times the size of what was picked: no radius could be told
_NEAR_BY = 3  # rounds that suffice from the fit of a draw that is all but the same


def plane(points: Double, weights: Double | None = None) -> Double:
    """Slopes along x and y and height at 0 (…, 3) of the plane z = a x + b y + c nearest in z to points (…, N, 3).

    NaN where the points lie on one line. ``weights`` (N,) say how much each counts.
    """
    w = np.full(points.shape[-2], 1.0 / points.shape[-2]) if weights is None else weights / weights.sum()
    middle = (points * w[:, None]).sum(axis=-2, keepdims=True)
    off = points - middle
    x, y, z = off[..., 0], off[..., 1], off[..., 2]
    sxx, sxy, syy = (x * x) @ w, (x * y) @ w, (y * y) @ w
    sxz, syz = (x * z) @ w, (y * z) @ w
    whole = sxx * syy - sxy * sxy
    flat = np.where(whole > 1e-12 * (sxx + syy) ** 2, whole, np.nan)
    a, b = (sxz * syy - syz * sxy) / flat, (syz * sxx - sxz * sxy) / flat
    at = middle[..., 0, :]
    return np.stack([a, b, at[..., 2] - a * at[..., 0] - b * at[..., 1]], axis=-1)


def heights(points: Double, fitted: Double) -> Double:
    """How far points (…, N, 3) lie deeper than a plane (…, 3), along z: (…, N)."""
    a, b, c = (fitted[..., i, None] for i in range(3))
    return np.asarray(points[..., 2] - (a * points[..., 0] + b * points[..., 1] + c), np.float64)


def normal(fitted: Double) -> Double:
    """Unit normals (…, 3) of planes (…, 3), pointing at the camera."""
    up = np.stack([fitted[..., 0], fitted[..., 1], -np.ones(fitted.shape[:-1])], axis=-1)
    return np.asarray(up / np.linalg.norm(up, axis=-1, keepdims=True), np.float64)


def circle(points: Double) -> Double:
    """Centre and radius (…, 3) of the circle through points (…, N, 2), N ≥ 3, least in distance; NaN for a line.

    Source: Gauss–Newton from the algebraic fit (Chernov, *Circular and Linear Regression*, ch. 5).
    """
    return _round(points)


def sphere(points: Double, weights: Double | None = None) -> Double:
    """Centre and radius (…, 4) of the sphere through points (…, N, 3), N ≥ 4, least in depth; NaN for a plane.

    Depth is what is uncertain of a surface that was measured from above, so it is what is made least, not the distance.
    ``weights`` (N,) say how much each counts.
    """
    return _round(points, weights)


def outliers(off: Double) -> NDArray[np.bool_]:
    """Which of what is left over after a fit (N,), in its own uncertainty, belongs to something else.

    Source: rejection at 3.5 robust standard deviations (Rousseeuw and Leroy, *Robust Regression*, ch. 3).
    """
    spread = max(1.0, 1.4826 * float(np.median(np.abs(off))))
    return np.asarray(np.abs(off) > 3.5 * spread, np.bool_)


def _round(points: Double, weights: Double | None = None) -> Double:
    """A circle or a sphere, by the number of coordinates; several draws (D, N, ·) begin from the fit of the first."""
    dimensions = points.shape[-1]
    root = np.ones(points.shape[-2]) if weights is None else np.sqrt(weights / weights.mean())
    first = points[0] if points.ndim == 3 else points
    middle = first.mean(axis=-2)
    size = float(np.sqrt(np.square(first - middle).sum(-1).mean()))
    spread = np.linalg.svd(first - middle, compute_uv=False) if np.isfinite(size) else np.zeros(1)
    if not spread[-1] > spread[0] / _FLAT:  # all on one line, or on one plane
        return np.full((*points.shape[:-2], dimensions + 1), np.nan)
    state = _settled((first - middle) / size, root)
    if points.ndim == 3:
        state = np.repeat(state[None], len(points), axis=0)
        off = (points - middle) / size
        for _ in range(_NEAR_BY):
            state = state + _step(off, state, root)
    found = state * size
    found[..., :dimensions] += middle
    # What is all but flat has no radius that could be told.
    return np.where(state[..., dimensions:] < _FLAT, found, np.nan)


def _settled(off: Double, root: Double) -> Double:
    """Centre and radius of points (N, ·) about 0 of about size 1."""
    # |p|² = 2 c·p + (r² − |c|²): linear in c and in what stands in brackets.
    design = np.concatenate([2.0 * off, np.ones((len(off), 1))], axis=-1)
    start = _solved(design * root[:, None], np.square(off).sum(-1) * root)
    radius = np.sqrt(max(float(start[-1] + np.square(start[:-1]).sum()), 1e-12))
    state = np.append(start[:-1], radius)
    for _ in range(_ROUNDS):
        change = _step(off, state, root)
        state = state + change
        if np.nanmax(np.abs(change), initial=0.0) < _SETTLED:
            break
    return np.asarray(state, np.float64)


def _step(off: Double, state: Double, root: Double) -> Double:
    """What a round of Gauss–Newton changes of centre and radius (…, D + 1)."""
    away = off - state[..., None, :-1]
    distance = np.maximum(np.sqrt(np.square(away).sum(-1)), 1e-9)
    unit = away / distance[..., None]
    residual = distance - state[..., None, -1]
    weight = np.broadcast_to(root, distance.shape)
    if off.shape[-1] == 3:  # a miss in distance is one in depth, times how much depth counts there
        weight = weight / np.maximum(np.abs(unit[..., 2]), 0.2)
    design = np.concatenate([unit, np.ones((*unit.shape[:-1], 1))], axis=-1)
    return _solved(design * weight[..., None], residual * weight)


def _solved(design: Double, wanted: Double) -> Double:
    """Least squares of many systems (…, N, K) · x = (…, N)."""
    turned = np.swapaxes(design, -1, -2)
    normal_matrix, right = turned @ design, (turned @ wanted[..., None])
    size = design.shape[-1]
    sound = np.asarray(np.isfinite(normal_matrix).all((-1, -2)) & np.isfinite(right).all((-1, -2)))[..., None]
    regular = np.asarray(np.where(sound[..., None], normal_matrix, np.eye(size)), np.float64) + 1e-12 * np.eye(size)
    solved = np.linalg.solve(regular, np.asarray(np.where(sound[..., None], right, 0.0), np.float64))[..., 0]
    return np.asarray(np.where(sound, solved, np.nan), np.float64)
