"""Where tiles lie, from what all of their overlaps tell together; and what each seam leaves over."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.tiles._match import Match

Double = NDArray[np.float64]
Float = NDArray[np.float32]

_SCALE_U, _TURN_U = 0.002, 0.005  # one rig: scale and turn differ little from tile to tile
_POINT_U_PX = 0.15  # how well a patch tells its place, at best
_ROUNDS, _TUKEY = 25, 4.685
_AWAY = 1e-9  # what nominal places say where nothing else does
_DEPTH_HALF_PX = 4


@dataclass(frozen=True, slots=True)
class Overlap:
    """Two tiles (by their numbers) that overlap, and what both show; None where nothing alike was found."""

    first: int
    second: int
    match: Match | None


@dataclass(frozen=True, slots=True)
class Seam:
    """What is left over between two tiles: root mean square in px over so many points that agree; None where nothing

    tells.
    """

    first: int
    second: int
    rms_px: float | None
    points: int


@dataclass(frozen=True, slots=True)
class Placed:
    """``matrices`` (2×3) map each tile's px to px of the whole. ``tied`` says which hang together by what they show

    with the first of the largest group; the others lie where they were said to. ``corner_px`` is the standard
    uncertainty of each at its corners, NaN for one that is not tied.
    """

    matrices: tuple[Double, ...]
    tied: tuple[bool, ...]
    corner_px: tuple[float, ...]
    seams: tuple[Seam, ...]


def place(shape: tuple[int, int], said_px: Double, overlaps: Sequence[Overlap]) -> Placed:
    """Place tiles of one ``shape`` (H, W) that were said to lie at ``said_px`` (N, 2: x, y of their corners).

    All overlaps together, by least squares over shift, turn and scale of every tile, robust against single points
    (Tukey); the tile in the middle of the largest group keeps its place, turn and scale.
    """
    count, centre = len(said_px), np.array([(shape[1] - 1) / 2.0, (shape[0] - 1) / 2.0])
    told = [one for one in overlaps if one.match is not None]
    group = _largest_group(count, told)
    middle = said_px[sorted(group)].mean(axis=0)
    anchor = min(group, key=lambda one: float(np.hypot(*(said_px[one] - middle))))
    now = np.column_stack([np.ones(count), np.zeros(count), said_px + centre])  # a, b, and where its middle lies
    normal = np.eye(4 * count)
    for _ in range(_ROUNDS):
        normal, right = _equations(count, centre, now, said_px, told, anchor)
        step = np.linalg.solve(normal, right).reshape(count, 4)
        now = now + step
        if np.abs(step[:, 2:]).max() < 1e-4:
            break
    seams = tuple(_seam(one, centre, now) for one in overlaps)
    spread = [one.rms_px for one in seams if one.rms_px is not None]
    noise = max(float(np.median(spread)), _POINT_U_PX) if spread else _POINT_U_PX
    inverse = np.linalg.inv(normal) * (noise / _POINT_U_PX) ** 2
    radius = float(np.hypot(*centre))
    corner = [
        _corner_u(inverse[4 * n : 4 * n + 4, 4 * n : 4 * n + 4], radius) if n in group else float("nan")
        for n in range(count)
    ]
    matrices = tuple(_matrix(one, centre) for one in now)
    return Placed(matrices, tuple(n in group for n in range(count)), tuple(corner), seams)


def _largest_group(count: int, told: Sequence[Overlap]) -> set[int]:
    groups = [{n} for n in range(count)]
    for one in told:
        first, second = (next(group for group in groups if n in group) for n in (one.first, one.second))
        if first is not second:
            first |= second
            groups.remove(second)
    return max(groups, key=len)


def _equations(
    count: int, centre: Double, now: Double, said_px: Double, told: Sequence[Overlap], anchor: int
) -> tuple[Double, Double]:
    normal, right = np.zeros((4 * count, 4 * count)), np.zeros(4 * count)
    for n in range(count):
        held = np.array([_SCALE_U**-2, _TURN_U**-2, _AWAY, _AWAY]) if n != anchor else np.full(4, 1e12)
        at = np.arange(4 * n, 4 * n + 4)
        normal[at, at] += held
        right[at] += held * (np.concatenate([[1.0, 0.0], said_px[n] + centre]) - now[n])
    for one in told:
        assert one.match is not None
        i, j = one.first, one.second
        p, q = one.match.first - centre, one.match.second - centre
        left = _carried(now[j], q) - _carried(now[i], p)
        off = np.linalg.norm(left, axis=1)
        say = _counts(off) / _POINT_U_PX**2
        rows_i, rows_j = _derivative(p), -_derivative(q)
        at = np.concatenate([np.arange(4 * i, 4 * i + 4), np.arange(4 * j, 4 * j + 4)])
        both = np.concatenate([rows_i, rows_j], axis=2)  # (N, 2, 8)
        normal[np.ix_(at, at)] += np.einsum("n,nki,nkj->ij", say, both, both)
        right[at] += np.einsum("n,nki,nk->i", say, both, left)
    return normal, right


def _counts(off_px: Double) -> Double:
    """How much points count that lie so far off (Tukey): what repeats, as facets do, is sometimes taken for another."""
    reach = _TUKEY * max(_POINT_U_PX, 1.4826 * float(np.median(off_px)))
    return np.asarray(np.clip(1.0 - (off_px / reach) ** 2, 0.0, None) ** 2, np.float64)


def _carried(tile: Double, points: Double) -> Double:
    a, b = tile[0], tile[1]
    return np.asarray(points @ np.array([[a, b], [-b, a]]) + tile[2:], np.float64)


def _derivative(points: Double) -> Double:
    """Of carried points by a, b and the middle's place: (N, 2, 4)."""
    out = np.zeros((len(points), 2, 4))
    out[:, 0, 0], out[:, 0, 1] = points[:, 0], -points[:, 1]
    out[:, 1, 0], out[:, 1, 1] = points[:, 1], points[:, 0]
    out[:, 0, 2] = out[:, 1, 3] = 1.0
    return out


def _seam(one: Overlap, centre: Double, now: Double) -> Seam:
    if one.match is None:
        return Seam(one.first, one.second, None, 0)
    left = _carried(now[one.second], one.match.second - centre) - _carried(now[one.first], one.match.first - centre)
    square = (left**2).sum(axis=1)
    counted = _counts(np.sqrt(square)) > 0
    return Seam(one.first, one.second, float(np.sqrt(square[counted].mean())), int(counted.sum()))


def _corner_u(covariance: NDArray[Any], radius: float) -> float:
    scale, turn, x, y = np.maximum(np.diag(covariance), 0.0)
    return float(np.sqrt(x + y + radius**2 * (scale + turn)))


def _matrix(tile: Double, centre: Double) -> Double:
    a, b = tile[0], tile[1]
    turn = np.array([[a, -b], [b, a]])
    return np.asarray(np.column_stack([turn, tile[2:] - turn @ centre]), np.float64)


def even_depths(depths: Sequence[Float], overlaps: Sequence[Overlap]) -> tuple[Double, Double]:
    """What to add to each tile's depth map (H, W) so that they agree, µm (N,), and what is left over (N, RMS).

    From the medians around the points that both tiles show, robustly; NaN for tiles that no known depth ties to the
    first. The first tied one keeps its depth.
    """
    count = len(depths)
    pairs: list[tuple[int, int, Double]] = []
    for one in overlaps:
        if one.match is None:
            continue
        first, second = (
            _around(depths[n], points) for n, points in ((one.first, one.match.first), (one.second, one.match.second))
        )
        off = (first - second)[np.isfinite(first) & np.isfinite(second)]
        if off.size >= 3:
            pairs.append((one.first, one.second, off))
    group = _largest_group(count, [Overlap(i, j, None) for i, j, _ in pairs])
    anchor = min(group)
    normal, right = np.zeros((count, count)), np.zeros(count)
    normal[anchor, anchor] += 1e12
    for i, j, off in pairs:
        middle = float(np.median(off))
        say = off.size / max(1.4826 * float(np.median(np.abs(off - middle))), 1e-3) ** 2
        normal[i, i] += say
        normal[j, j] += say
        normal[i, j] -= say
        normal[j, i] -= say
        right[j] += say * middle
        right[i] -= say * middle
    added = np.linalg.solve(normal + 1e-12 * np.eye(count), right)
    added[[n for n in range(count) if n not in group]] = np.nan
    left = np.full(count, np.nan)
    for n in group:
        off = np.concatenate([d - (added[j] - added[i]) for i, j, d in pairs if n in (i, j)] or [np.array([np.nan])])
        left[n] = 1.4826 * float(np.median(np.abs(off)))
    return np.asarray(added, np.float64), left


def _around(depth: Float, points: Double) -> Double:
    """The median depth around points, NaN where little is known."""
    out = np.full(len(points), np.nan)
    for n, (x, y) in enumerate(np.rint(points).astype(int)):
        part = depth[
            max(y - _DEPTH_HALF_PX, 0) : y + _DEPTH_HALF_PX + 1, max(x - _DEPTH_HALF_PX, 0) : x + _DEPTH_HALF_PX + 1
        ]
        known = part[np.isfinite(part)]
        if known.size > part.size // 2:
            out[n] = np.median(known)
    return out
