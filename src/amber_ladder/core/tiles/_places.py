"""Where tiles lie, from what all of their overlaps tell together; and what each seam leaves over."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
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
_FIRM = 1e12
_DEPTH_HALF_PX = 4
_DEPTH_LEAST_UM = 0.1  # what two tiles differ by, at least
_FEWEST_KNOWN = 6  # points of a seam whose depth is known, below which those without count as well


@dataclass(frozen=True, slots=True)
class Overlap:
    """Two tiles (by their numbers) that overlap, and what both show; None where nothing alike was found.

    ``depth`` (N,) is how deep each of these points lies, in the common zero of all tiles; None where nobody knows.
    """

    first: int
    second: int
    match: Match | None
    depth: Double | None = None


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
    uncertainty of each at its corners, NaN for one that is not tied. ``matrices`` hold at the depth 0; a unit deeper
    they are those of ``deeper`` more: the whole is seen from where the ``anchor`` was seen from.
    """

    matrices: tuple[Double, ...]
    deeper: tuple[Double, ...]
    anchor: int
    tied: tuple[bool, ...]
    corner_px: tuple[float, ...]
    seams: tuple[Seam, ...]


@dataclass(frozen=True, slots=True)
class Perspective:
    """By which share a picture shows smaller what lies a unit deeper (``growth``), as far as merges tell.

    ``u`` is its standard uncertainty; ``depth_range`` how deep the tiles are, to either side of the depth 0, and
    ``aligned_px`` (N,) what the alignment of each tile's own frames may be off over that.
    """

    growth: float
    u: float
    depth_range: float
    aligned_px: Double


def place(
    shape: tuple[int, int], said_px: Double, overlaps: Sequence[Overlap], seen: Perspective | None = None
) -> Placed:
    """Place tiles of one ``shape`` (H, W) that were said to lie at ``said_px`` (N, 2: x, y of their corners).

    All overlaps together, by least squares over shift, turn and scale of every tile, robust against single points
    (Tukey); the tile in the middle of the largest group keeps its place, turn and scale. With a perspective, shift,
    turn and scale change with depth too: each tile was seen from above its own middle, so that what lies deep is
    shifted against what lies near; and the merges of tiles err a little, more the farther from their own reference.
    """
    count, centre = len(said_px), np.array([(shape[1] - 1) / 2.0, (shape[0] - 1) / 2.0])
    range_um = seen.depth_range if seen else 1.0
    overlaps = [one if one.depth is None else replace(one, depth=one.depth / range_um) for one in overlaps]
    told = [one for one in overlaps if one.match is not None]
    group = _largest_group(count, told)
    middle = said_px[sorted(group)].mean(axis=0)
    anchor = min(group, key=lambda one: float(np.hypot(*(said_px[one] - middle))))
    # a, b, and where its middle lies; then how all four change with depth.
    expected = np.column_stack([np.ones(count), np.zeros(count), said_px + centre, np.zeros((count, 4))])
    held = np.tile([_SCALE_U**-2, _TURN_U**-2, _AWAY, _AWAY, *[_FIRM] * 4], (count, 1))
    if seen is not None:
        away = said_px - said_px[anchor]
        # Per depth of all tiles: numbers of one size solve well.
        expected[:, 6:] = -seen.growth * range_um * away
        held[:, 4:6] = (seen.aligned_px[:, None] / np.hypot(*centre)) ** -2
        held[:, 6:] = ((seen.u * range_um * np.hypot(*away.T) + seen.aligned_px) ** -2)[:, None]
    held[anchor] = _FIRM
    now, normal = expected.copy(), np.eye(8 * count)
    for _ in range(_ROUNDS):
        normal, right = _equations(centre, now, expected, held, told)
        step = np.linalg.solve(normal, right).reshape(count, 8)
        now = now + step
        if np.abs(step[:, 2:4]).max() < 1e-4:
            break
    seams = tuple(_seam(one, centre, now) for one in overlaps)
    spread = [one.rms_px for one in seams if one.rms_px is not None]
    noise = max(float(np.median(spread)), _POINT_U_PX) if spread else _POINT_U_PX
    inverse = np.linalg.inv(normal) * (noise / _POINT_U_PX) ** 2
    radius = float(np.hypot(*centre))
    corner = [
        _corner_u(inverse[8 * n : 8 * n + 4, 8 * n : 8 * n + 4], radius) if n in group else float("nan")
        for n in range(count)
    ]
    return Placed(
        tuple(_matrix(one[:4], centre) for one in now), tuple(_matrix(one[4:] / range_um, centre) for one in now),
        anchor,
        tuple(n in group for n in range(count)), tuple(corner), seams,
    )  # fmt: skip


def _largest_group(count: int, told: Sequence[Overlap]) -> set[int]:
    groups = [{n} for n in range(count)]
    for one in told:
        first, second = (next(group for group in groups if n in group) for n in (one.first, one.second))
        if first is not second:
            first |= second
            groups.remove(second)
    return max(groups, key=len)


def _equations(
    centre: Double, now: Double, expected: Double, held: Double, told: Sequence[Overlap]
) -> tuple[Double, Double]:
    size = now.size
    normal, right = np.diag(held.ravel()), (held * (expected - now)).ravel()
    for one in told:
        assert one.match is not None
        i, j = one.first, one.second
        p, q = one.match.first - centre, one.match.second - centre
        z = _depths(one)
        left = _carried(now[j], q, z) - _carried(now[i], p, z)
        off = np.linalg.norm(left, axis=1)
        say = _counts(off) / _POINT_U_PX**2
        rows_i, rows_j = _derivative(p, z), -_derivative(q, z)
        at = np.concatenate([np.arange(8 * i, 8 * i + 8), np.arange(8 * j, 8 * j + 8)])
        both = np.concatenate([rows_i, rows_j], axis=2)  # (N, 2, 16)
        normal[np.ix_(at, at)] += np.einsum("n,nki,nkj->ij", say, both, both)
        right[at] += np.einsum("n,nki,nk->i", say, both, left)
    assert normal.shape == (size, size)
    return normal, right


def _depths(one: Overlap) -> Double:
    """Depths of an overlap's points; those that are not known lie where all matrices hold."""
    assert one.match is not None
    return np.zeros(len(one.match.first)) if one.depth is None else np.nan_to_num(one.depth)


def _counts(off_px: Double) -> Double:
    """How much points count that lie so far off (Tukey): what repeats, as facets do, is sometimes taken for another."""
    reach = _TUKEY * max(_POINT_U_PX, 1.4826 * float(np.median(off_px)))
    return np.asarray(np.clip(1.0 - (off_px / reach) ** 2, 0.0, None) ** 2, np.float64)


def _carried(tile: Double, points: Double, z: Double) -> Double:
    a, b, x, y = (tile[:4] + z[:, None] * tile[4:]).T
    return np.column_stack([a * points[:, 0] - b * points[:, 1] + x, b * points[:, 0] + a * points[:, 1] + y])


def _derivative(points: Double, z: Double) -> Double:
    """Of carried points by a, b and the middle's place, then by how these change with depth: (N, 2, 8)."""
    out = np.zeros((len(points), 2, 4))
    out[:, 0, 0], out[:, 0, 1] = points[:, 0], -points[:, 1]
    out[:, 1, 0], out[:, 1, 1] = points[:, 1], points[:, 0]
    out[:, 0, 2] = out[:, 1, 3] = 1.0
    return np.concatenate([out, z[:, None, None] * out], axis=2)


def _seam(one: Overlap, centre: Double, now: Double) -> Seam:
    if one.match is None:
        return Seam(one.first, one.second, None, 0)
    z = _depths(one)
    first, second = one.match.first - centre, one.match.second - centre
    left = _carried(now[one.second], second, z) - _carried(now[one.first], first, z)
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


def even_depths(depths: Sequence[Float], overlaps: Sequence[Overlap]) -> tuple[Double, Double, Double]:
    """What to add to each tile's depth map (H, W) so that they agree (N,), its standard uncertainty, and what is left.

    In the depths' unit, the last as a robust standard deviation. From the medians around the points that both tiles
    show; NaN for tiles that no known depth ties to the first. The first tied one keeps its depth.
    """
    count = len(depths)
    pairs: list[tuple[int, int, Double]] = []
    for one in overlaps:
        if one.match is None:
            continue
        first, second = (
            depth_around(depths[n], points)
            for n, points in ((one.first, one.match.first), (one.second, one.match.second))
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
        # As if there were one point only: where tiles differ, they differ in whole regions.
        say = max(1.4826 * float(np.median(np.abs(off - middle))), _DEPTH_LEAST_UM) ** -2
        normal[i, i] += say
        normal[j, j] += say
        normal[i, j] -= say
        normal[j, i] -= say
        right[j] += say * middle
        right[i] -= say * middle
    inverse = np.linalg.inv(normal + 1e-12 * np.eye(count))
    added, u = inverse @ right, np.sqrt(np.diag(inverse))
    for told in (added, u):
        told[[n for n in range(count) if n not in group]] = np.nan
    left = np.full(count, np.nan)
    for n in group:
        off = np.concatenate([d - (added[j] - added[i]) for i, j, d in pairs if n in (i, j)] or [np.array([np.nan])])
        left[n] = 1.4826 * float(np.median(np.abs(off)))
    return np.asarray(added, np.float64), np.asarray(u, np.float64), left


def depth_around(depth: Float, points: Double) -> Double:
    """The median depth (N,) around points (N, 2), NaN where little is known."""
    out = np.full(len(points), np.nan)
    for n, (x, y) in enumerate(np.rint(points).astype(int)):
        part = depth[
            max(y - _DEPTH_HALF_PX, 0) : y + _DEPTH_HALF_PX + 1, max(x - _DEPTH_HALF_PX, 0) : x + _DEPTH_HALF_PX + 1
        ]
        known = part[np.isfinite(part)]
        if known.size > part.size // 2:
            out[n] = np.median(known)
    return out


def with_depths(overlaps: Sequence[Overlap], depths: Sequence[Float], added: Double, at_um: float) -> list[Overlap]:
    """Points whose depth is known in either tile; where only few are, all, as if they lay in the middle."""
    found = []
    for one in overlaps:
        if one.match is None:
            found.append(one)
            continue
        both = np.stack([
            depth_around(depths[n], points) + added[n] - at_um
            for n, points in ((one.first, one.match.first), (one.second, one.match.second))
        ])  # fmt: skip
        known = np.isfinite(both).any(axis=0)
        z = np.where(np.isfinite(both[0]), np.where(np.isfinite(both[1]), both.mean(axis=0), both[0]), both[1])
        if np.count_nonzero(known) < _FEWEST_KNOWN:
            found.append(Overlap(one.first, one.second, one.match, np.nan_to_num(z)))
        else:
            match = Match(one.match.first[known], one.match.second[known])
            found.append(Overlap(one.first, one.second, match, z[known]))
    return found
