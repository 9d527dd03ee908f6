"""Measures of what lies within an outline: surfaces, volumes, faces, spheres, roughness."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring._fits import heights, normal, outliers, plane, sphere
from amber_ladder.core.measuring._instrument import Draws, Seen
from amber_ladder.core.measuring._lines import along, apart, area, closed, within
from amber_ladder.core.measuring._outcome import (
    EVERY_PX,
    FOR_SLOPES_PX,
    IN_A_REGION_PX,
    MOST_ON_A_LINE,
    MOST_ON_AN_OUTLINE,
    OF_HEIGHTS,
    OF_SLOPES,
    ON_A_LINE_PX,
    Outcome,
    follows,
    nothing,
    regained,
)

Double = NDArray[np.float64]

_MOST_IN_A_REGION, _MOST_OF_A_SPHERE = 1600, 600
_NO_SUCH_SHAPE = 2.5  # times its errors: what lies off a fitted shape by more is of another
_LEAST_SPREAD = 0.85
"""What lies closer to a shape than its errors let it shows that they are stated too large: that is believed so far.

Of tilts, radii and dihedral angles (seeds 21 and 301) 94, 95 and 97 % lie within; with 1, 96, 98 and 97 %."""
_OF_A_RIM = 0.5  # of an outline has to have a depth, for its plane
_FEWEST = 12  # places with a depth, for a plane or a sphere
_BRIDGED_SLOPES = 0.65
_DOUBT_OF_NOISE = 0.3  # relative: how well a depth map's errors are themselves known


def _region(draws: Draws, outline: Double, most: int, sigma_px: float) -> tuple[Double, Seen]:
    """Places (N, 2) within an outline, and what the depth map says there."""
    places = within(outline, apart(outline, most))
    return places, draws.at(np.broadcast_to(places, (draws.count, *places.shape)), sigma_px)


def _surface(draws: Draws, outline: Double, most: int) -> tuple[Double, Double, float]:
    """Places in space (draws, N, 3) of the surface within an outline that the depth map knows itself.

    Also how sure their depths are (N,) µm, and how much of the outline that is.
    """
    places, seen = _region(draws, outline, most, IN_A_REGION_PX)
    here = seen.there & seen.usable
    picture = np.broadcast_to(places[here], (draws.count, int(here.sum()), 2))
    return draws.in_um(picture, seen.depth[:, here]), seen.u[here], seen.known


def area_surface(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Area of the surface within an outline, by its slopes."""
    places, seen = _region(draws, points, _MOST_IN_A_REGION, FOR_SLOPES_PX)
    flat, known = area(draws.picked(points)), seen.usable
    if not known.any():
        return Outcome(nothing(draws), 0.0, places=places)
    here, depth = places[known], seen.depth[:, known]
    # Bridges are wider than the average here, and smoother.
    u = seen.u[known] * np.where(seen.there[known], 1.0, _BRIDGED_SLOPES)
    slopes = draws.slopes(here, seen.slopes[known], u, FOR_SLOPES_PX)
    each = _stretched(draws, here, depth, slopes)
    share, scale = known.mean(), draws.scale(depth)[0]
    values, u_more = nothing(draws), 0.0
    if known.all():
        _, wider, _ = draws.of.look(here, 2 * FOR_SLOPES_PX)
        smooth = _stretched(draws, here, depth, np.repeat(wider[None], draws.count, axis=0))[0].mean()
        values, u_more = regained(draws, flat * each.mean(-1), float(flat[0] * smooth), OF_SLOPES)
    at_least = float(flat[0] * (share * each[0].mean() + (1 - share) * np.square(scale).mean()))
    return Outcome(values, seen.known, noisy=True, u_more=u_more, at_least=at_least, places=places,
                   notes=(f"{follows(draws, FOR_SLOPES_PX)}, walls not",))  # fmt: skip


def _stretched(draws: Draws, here: Double, depth: Double, slopes: Double) -> Double:
    """µm² of surface in a pixel (draws, N), by its slopes (draws, N, 2) a px."""
    p, q = np.moveaxis(slopes * draws.depth_factor()[..., None], -1, 0)
    scale = draws.scale(depth)
    # The tangents along a row and a column, with what the change of scale adds to them, are (s + x p, y p, p) and
    # (x q, s + y q, q): so long is their cross product.
    x, y = ((here - np.array(draws.of.middle)) * draws.of.um_per_px * draws.of.growth.per_um).T
    return np.asarray(scale * np.sqrt(p * p + q * q + np.square(scale + x * p + y * q)), np.float64)


def volume(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Volume between the surface and the plane of its outline."""
    rim = along(closed(draws.picked(points)), every_px=EVERY_PX, most=MOST_ON_AN_OUTLINE)
    there = draws.at(rim, IN_A_REGION_PX)
    sure = np.isfinite(there.depth).all(axis=0)
    places, seen = _region(draws, points, _MOST_IN_A_REGION, IN_A_REGION_PX)
    if sure.mean() < _OF_A_RIM or sure.sum() < _FEWEST or not seen.usable.any():
        return Outcome(nothing(draws), seen.known, places=places,
                       notes=("its outline has no depth: no plane can be laid through it",))  # fmt: skip
    rim_plane = plane(draws.in_um(rim[:, sure], there.depth[:, sure]))
    picture, every = np.broadcast_to(places, (draws.count, *places.shape)), apart(points, _MOST_IN_A_REGION)

    def between(depth: Double) -> Double:
        # Each place stands for a square; at the rim there is next to nothing, so nothing is lost there.
        off = heights(draws.in_um(picture, depth), rim_plane)
        return np.asarray((off * draws.scale(depth) ** 2).sum(-1) * every**2, np.float64)

    value = between(seen.depth)
    at_least = at_most = None
    if not seen.usable.all():  # what is unknown lies somewhere between nothing and the ladder's end
        unknown = ~np.isfinite(seen.depth)
        ends = [float(between(np.where(unknown, end, seen.depth))[0]) for end in (0.0, draws.of.deepest_um)]
        at_least, at_most = (0.0 if ends[0] * ends[1] < 0 else min(map(abs, ends))), max(map(abs, ends))
    off = heights(draws.in_um(picture, seen.depth), rim_plane)[0][seen.usable]
    below, above = float(np.clip(off, 0, None).sum()), float(np.clip(-off, 0, None).sum())
    notes = [f"{'below' if below >= above else 'above'} the plane of its outline"]
    if min(below, above) > 0.1 * max(below, above):
        notes.append(f"{min(below, above) / (below + above):.0%} lies on its other side and is taken off")
    return Outcome(value * np.sign(value[0]) if np.isfinite(value[0]) else value, seen.known,
                   at_least=at_least, at_most=at_most, notes=tuple(notes), places=places)  # fmt: skip


@dataclass(frozen=True)
class _Face:
    """Plane (draws, 3) of the surface within an outline, and how much of that has a depth."""

    plane: Double
    known: float
    notes: tuple[str, ...] = ()


def _face(draws: Draws, outline: Double) -> _Face:
    solid, u, known = _surface(draws, outline, _MOST_IN_A_REGION)
    if solid.shape[1] < _FEWEST:
        return _Face(np.full((draws.count, 3), np.nan), known)
    stays = ~outliers(heights(solid[:1], plane(solid[:1], 1 / u**2))[0] / u)
    fitted = plane(solid[:, stays], 1 / u[stays] ** 2)
    notes = _widened(draws, fitted, heights(solid[:1], fitted[:1])[0], u, "plane")
    return _Face(fitted, known, notes)


def _widened(draws: Draws, fitted: Double, off_um: Double, u: Double, shape: str) -> tuple[str, ...]:
    """Spread what the depth map's errors make of a fitted shape (draws, …), and say what is to be said of that.

    By as much as places (N,) lie farther off it than their errors let them, or closer. Source: the ratio of Birge,
    *Phys. Rev.* 40 (1932) 207.
    """
    times = float(np.sqrt(np.square(off_um / u).mean()))
    fitted[draws.depths] = fitted[0] + max(times, _LEAST_SPREAD) * (fitted[draws.depths] - fitted[0])
    if times < _NO_SUCH_SHAPE:
        return ()
    by_um = float(np.sqrt(np.square(off_um).mean()))
    return (f"this is no {shape}: it departs from one by {by_um:.{0 if by_um >= 10 else 2}f} µm (rms)",)


def tilt(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Angle of a face against the picture."""
    face = _face(draws, points)
    x, y, _height = face.plane.T
    down = float(np.degrees(np.arctan2(y[0], x[0]))) % 360.0
    notes = (f"falls away towards {down:.0f}° (0° to the right, 90° down)",) if np.isfinite(down) else ()
    return Outcome(np.degrees(np.arctan(np.hypot(x, y))), face.known, notes=(*face.notes, *notes), places=points)


def dihedral(draws: Draws, points: Double, points_b: Double | None) -> Outcome:
    """Angle between the normals of two faces."""
    assert points_b is not None
    one, two = _face(draws, points), _face(draws, points_b)
    cosine = (normal(one.plane) * normal(two.plane)).sum(-1)
    value = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    notes = (f"between the normals; the faces enclose {180 - value[0]:.2f}°",) if np.isfinite(value[0]) else ()
    return Outcome(value, min(one.known, two.known), notes=(*dict.fromkeys((*one.notes, *two.notes)), *notes),
                   places=np.concatenate([points, points_b]))  # fmt: skip


def sphere_radius(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Radius of the sphere nearest to the surface within an outline."""
    solid, u, known = _surface(draws, points, _MOST_OF_A_SPHERE)
    if solid.shape[1] < _FEWEST:
        return Outcome(nothing(draws), known, places=points)
    first = sphere(solid[0], 1 / u**2)
    away = solid[0] - first[:3]
    off = (np.linalg.norm(away, axis=-1) - first[3]) / np.maximum(np.abs(away[:, 2]) / first[3], 0.2)
    if not np.isfinite(first[3]):
        return Outcome(nothing(draws), known, notes=("this is flat: no sphere can be told",), places=points)
    stays = ~outliers(off / u)
    fitted = sphere(solid[:, stays], 1 / u[stays] ** 2)
    notes = _widened(draws, fitted, off, u, "sphere")
    hollow = ("hollow",) if fitted[0, 2] < solid[0, :, 2].mean() else ()
    return Outcome(fitted[:, 3], known, notes=(*notes, *hollow), places=points)


def roughness(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Root mean square (Sq) of a surface's heights about its own plane (ISO 25178-2)."""
    places, seen = _region(draws, points, _MOST_IN_A_REGION, ON_A_LINE_PX)
    return _rough(draws, points, places, seen, seen.there & seen.usable, _squares)


def roughness_line(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Root mean square (Pq) of heights along a line about the straight one nearest to them (ISO 21920-2)."""
    places = along(points[None], every_px=EVERY_PX, most=MOST_ON_A_LINE)[0]
    seen = draws.at(np.broadcast_to(places, (draws.count, *places.shape)), ON_A_LINE_PX)
    if not seen.usable.all():  # of a surface the rest tells as much, of a line it is another line
        return Outcome(nothing(draws), seen.known, places=places)
    return _rough(draws, places, places, seen, seen.usable, _squares_along)


def _rough(
    draws: Draws, points: Double, places: Double, seen: Seen, here: NDArray[np.bool_],
    squares_of: Callable[[Double], Double],
) -> Outcome:  # fmt: skip
    """Root of the mean square of heights ``here`` of places (N, 2), less what noise adds, with what averages took."""
    if here.sum() < _FEWEST:
        return Outcome(nothing(draws), seen.known, places=points)
    picture = np.broadcast_to(places[here], (draws.count, int(here.sum()), 2))
    squares = squares_of(draws.in_um(picture, seen.depth[:, here]))
    noise = max(float(squares[draws.depths].mean() - squares[0]), 0.0)
    values = np.sqrt(np.maximum(squares - noise, 0.0))
    # The draws have noise on top of what is there once already.
    values[draws.depths] = np.sqrt(np.maximum(squares[draws.depths] - 2 * noise, 0.0))
    notes = [follows(draws, ON_A_LINE_PX)]
    if noise > 0.5 * squares[0]:
        notes.append("most of what is seen is noise of the depth map")
    doubt = _DOUBT_OF_NOISE * noise / (2 * max(values[0], np.sqrt(noise))) if noise else 0.0
    wider = np.sqrt(squares_of(draws.in_um(picture[:1], draws.of.look(picture[0], 2 * ON_A_LINE_PX)[0][None]))[0])
    lost = max(float(values[0] - wider), 0.0)
    return Outcome(values + OF_HEIGHTS[0] * lost, seen.known, notes=tuple(notes), places=points,
                   u_more=float(np.hypot(doubt, OF_HEIGHTS[1] * lost)))  # fmt: skip


def _squares(solid: Double) -> Double:
    """Mean square (draws,) of heights of places (draws, N, 3) about their own plane."""
    return np.asarray(np.square(heights(solid, plane(solid))).mean(-1), np.float64)


def _squares_along(solid: Double) -> Double:
    """The same (draws,) about the straight line that is nearest in z, along the places' own way in the picture."""
    off = solid - solid.mean(axis=-2, keepdims=True)
    run = np.linalg.norm(solid[..., :2] - solid[..., :1, :2], axis=-1)
    run -= run.mean(axis=-1, keepdims=True)
    slope = (run * off[..., 2]).sum(-1, keepdims=True) / np.square(run).sum(-1, keepdims=True)
    return np.asarray(np.square(off[..., 2] - slope * run).mean(-1), np.float64)
