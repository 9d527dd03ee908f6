"""What can be measured on a merged picture: each kind gives its value in every draw.

A depth that is unknown is NaN, and so is what would need it.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring._fits import circle, heights, normal, outliers, plane, sphere
from amber_ladder.core.measuring._instrument import Draws, Seen
from amber_ladder.core.measuring._lines import along, area, closed, within

Double = NDArray[np.float64]

_AT_A_PLACE_PX, _ON_A_LINE_PX, _IN_A_REGION_PX = 2.0, 6.0, 1.4
"""σ of the Gaussian by which depth is averaged at one place, along a line or for slopes, and where many places are."""
_EVERY_PX, _MOST_ON_A_LINE, _MOST_ON_AN_OUTLINE, _MOST_ON_A_PROFILE = 3.0, 400, 160, 1500
_MOST_IN_A_REGION, _MOST_OF_A_SPHERE = 1600, 900
_NO_SUCH_SHAPE = 2.5  # times its errors: what lies off a fitted shape by more is of another
_OF_A_RIM = 0.5  # of an outline has to have a depth, for its plane
_FEWEST = 12  # places with a depth, for a plane or a sphere
_FOR_SLOPES_PX = 9.0
_OF_LENGTHS, _OF_SLOPES, _OF_HEIGHTS = (0.8, 0.9), (1.2, 0.5), (0.7, 0.25)
"""What an average over twice the width takes away tells what that over the first took, and the depth map's own: a

Gaussian of σ ≈ 6 px, measured on simulated rough surfaces. As losses go with σ² where slopes change smoothly, and with
σ at edges, it is so many times as much, and uncertain by so much of what the wider one takes."""
_OF_RANGES = 0.7
"""Of what noise on top adds to a range, so much more was added by what is there already: noise makes a range grow with

itself, not with its square, and noise of the same size on top adds less than the first. Measured, as above."""
_BRIDGED_SLOPES = 0.65
_DOUBT_OF_NOISE = 0.3  # relative: how well a depth map's errors are themselves known


@dataclass(frozen=True)
class Outcome:
    """A measure in every draw (draws,), the first of them as it is; NaN where depth that it needs is unknown.

    ``known`` is the share of its places with a depth. ``noisy`` measures come out too large with noise, which is taken
    off by what the draws show. ``u_more`` is what the draws do not tell of what depth brings, and ``misfit`` how many
    times farther a surface lies off the shape that is fitted to it than its errors let it. ``at_least`` and
    ``at_most`` bound what has no value.
    """

    values: Double
    known: float = 1.0
    noisy: bool = False
    u_more: float = 0.0
    misfit: float = 1.0
    at_least: float | None = None
    at_most: float | None = None
    notes: tuple[str, ...] = ()
    along_um: Double | None = None
    depth_um: Double | None = None
    u_um: Double | None = None
    places: Double = field(default_factory=lambda: np.empty((0, 2)))


@dataclass(frozen=True, slots=True)
class Kind:
    """A kind of measure: its unit, how many places it needs, whether they are an outline, and how it is reckoned."""

    unit: str
    least: int
    most: int | None
    evaluate: Callable[[Draws, Double, Double | None], Outcome]
    needs_depth: bool = False
    outline: bool = False
    formula: str = ""
    draws: int = 40


def _spots(draws: Draws, points: Double) -> tuple[Double, Seen | None]:
    """Places that were clicked, in every draw, and what the depth map says there."""
    xy = draws.picked(points)
    return xy, draws.at(xy, _AT_A_PLACE_PX) if draws.of.depth_um is not None else None


def _flat(draws: Draws, points: Double) -> tuple[Double, float, Double]:
    """Places in the picture (draws, P, 2) µm; how many have a depth, as a share; and their px (draws, P, 2).

    The scale is that of each place's own depth where all have one.
    """
    xy, seen = _spots(draws, points)
    known = 0.0 if seen is None else seen.known
    depth = seen.depth if seen is not None and np.isfinite(seen.depth).all() else None
    return draws.in_um(xy, depth)[..., :2], known, xy


def _steps(places: Double) -> Double:
    return np.asarray(np.linalg.norm(np.diff(places, axis=-2), axis=-1), np.float64)


def length(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Length of a line in the picture."""
    places, known, xy = _flat(draws, points)
    return Outcome(_steps(places).sum(-1), known, places=xy[0])


def _solid(draws: Draws, points: Double) -> tuple[Double, float, Double]:
    """Places in space (draws, P, 3) µm, how many have a depth, and their px."""
    xy, seen = _spots(draws, points)
    assert seen is not None
    return draws.in_um(xy, seen.depth), seen.known, xy


def length_3d(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Length of straight lines through space from place to place."""
    places, known, xy = _solid(draws, points)
    flat = float(_steps(draws.in_um(xy)[..., :2]).sum(-1)[0])
    return Outcome(_steps(places).sum(-1), known, at_least=flat, places=xy[0])


def length_surface(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Length of a line as it runs on the surface."""
    xy = along(draws.picked(points), every_px=_EVERY_PX, most=_MOST_ON_A_LINE)
    seen = draws.at(xy, _ON_A_LINE_PX)
    places = draws.in_um(xy, seen.depth)
    known = seen.usable
    values, u_more, at_least = _steps(places).sum(-1), 0.0, None
    if known.all():
        wider = _steps(draws.in_um(xy[:1], draws.of.look(xy[0], 2 * _ON_A_LINE_PX)[0][None])[0]).sum()
        values, u_more = _regained(draws, values, float(wider), _OF_LENGTHS)
    elif known.sum() > 1:  # straight across what is unknown: no surface is shorter
        flat = draws.in_um(xy)[0, :, :2]
        first, last = np.argmax(known), len(known) - 1 - np.argmax(known[::-1])
        ends = _steps(flat[: first + 1]).sum() + _steps(flat[last:]).sum()
        at_least = float(_steps(places[0][known]).sum() + ends)
    return Outcome(values, seen.known, noisy=True, u_more=u_more, at_least=at_least, places=xy[0],
                   notes=(_follows(draws, _ON_A_LINE_PX),))  # fmt: skip


def _follows(draws: Draws, sigma_px: float) -> str:
    return f"follows what is wider than about {4 * sigma_px * draws.of.um_per_px:.2g} µm"


def _regained(draws: Draws, values: Double, wider: float, by: tuple[float, float]) -> tuple[Double, float]:
    """Values with what averaging took from them, and the standard uncertainty of that."""
    lost = max(float(values[0]) - draws.bias(values) - wider, 0.0)
    return values + by[0] * lost, by[1] * lost


def height(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """How much deeper the second place lies than the first."""
    places, known, xy = _solid(draws, points)
    return Outcome(places[:, 1, 2] - places[:, 0, 2], known, places=xy[0])


def _between(places: Double) -> Double:
    """Angle (draws,) in degrees at the second of three places (draws, 3, D)."""
    one, two = places[:, 0] - places[:, 1], places[:, 2] - places[:, 1]
    cosine = (one * two).sum(-1) / (np.linalg.norm(one, axis=-1) * np.linalg.norm(two, axis=-1))
    return np.asarray(np.degrees(np.arccos(np.clip(cosine, -1, 1))), np.float64)


def angle(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Angle in the picture, at the second place."""
    places, known, xy = _flat(draws, points)
    return Outcome(_between(places), known, places=xy[0])


def angle_3d(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Angle in space, at the second place."""
    places, known, xy = _solid(draws, points)
    return Outcome(_between(places), known, places=xy[0])


def circle_radius(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Radius of the circle nearest to the places, in the picture."""
    places, known, xy = _flat(draws, points)
    return Outcome(circle(places)[:, 2], known, places=xy[0])


def flat_area(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Area within an outline, in the picture."""
    xy = along(closed(draws.picked(points)), every_px=_EVERY_PX, most=_MOST_ON_AN_OUTLINE)
    seen = draws.at(xy, _AT_A_PLACE_PX) if draws.of.depth_um is not None else None
    known = 0.0 if seen is None else seen.known
    depth = seen.depth if seen is not None and np.isfinite(seen.depth).all() else None
    return Outcome(area(draws.in_um(xy, depth)[..., :2]), known, places=xy[0])


def _region(draws: Draws, outline: Double, most: int, sigma_px: float) -> tuple[Double, Seen]:
    """Places (N, 2) within an outline, and what the depth map says there."""
    places = within(outline, most)
    return places, draws.at(np.broadcast_to(places, (draws.count, *places.shape)), sigma_px)


def _surface(draws: Draws, outline: Double, most: int) -> tuple[Double, Double, float]:
    """Places in space (draws, N, 3) of the surface within an outline that the depth map knows itself.

    Also how sure their depths are (N,) µm, and how much of the outline that is.
    """
    places, seen = _region(draws, outline, most, _IN_A_REGION_PX)
    here = seen.there & seen.usable
    picture = np.broadcast_to(places[here], (draws.count, int(here.sum()), 2))
    return draws.in_um(picture, seen.depth[:, here]), seen.u[here], seen.known


def area_surface(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Area of the surface within an outline, by its slopes."""
    places, seen = _region(draws, points, _MOST_IN_A_REGION, _FOR_SLOPES_PX)
    flat, known = area(draws.picked(points)), seen.usable
    if not known.any():
        return Outcome(_nothing(draws), 0.0, places=places)
    here, depth = places[known], seen.depth[:, known]
    # Bridges are wider than the average here, and smoother.
    u = seen.u[known] * np.where(seen.there[known], 1.0, _BRIDGED_SLOPES)
    slopes = draws.slopes(here, seen.slopes[known], u, _FOR_SLOPES_PX)
    each = _stretched(draws, here, depth, slopes)
    share, scale = known.mean(), draws.scale(depth)[0]
    values, u_more = _nothing(draws), 0.0
    if known.all():
        _, wider, _ = draws.of.look(here, 2 * _FOR_SLOPES_PX)
        smooth = _stretched(draws, here, depth, np.repeat(wider[None], draws.count, axis=0))[0].mean()
        values, u_more = _regained(draws, flat * each.mean(-1), float(flat[0] * smooth), _OF_SLOPES)
    at_least = float(flat[0] * (share * each[0].mean() + (1 - share) * np.square(scale).mean()))
    return Outcome(values, seen.known, noisy=True, u_more=u_more, at_least=at_least, places=places,
                   notes=(f"{_follows(draws, _FOR_SLOPES_PX)}, walls not",))  # fmt: skip


def _stretched(draws: Draws, here: Double, depth: Double, slopes: Double) -> Double:
    """µm² of surface in a pixel (draws, N), by its slopes (draws, N, 2) a px."""
    rise, scale = slopes * draws.depth_factor()[..., None], draws.scale(depth)
    # The tangents along a row and a column, with what the change of scale adds to them.
    shift = (here - np.array(draws.of.middle)) * draws.of.um_per_px * draws.of.growth.per_um
    right, down = (
        np.stack([scale * (i == 0) + shift[:, 0] * dz, scale * (i == 1) + shift[:, 1] * dz, dz], axis=-1)
        for i, dz in enumerate((rise[..., 0], rise[..., 1]))
    )
    return np.asarray(np.linalg.norm(np.cross(right, down), axis=-1), np.float64)


def _nothing(draws: Draws) -> Double:
    return np.full(draws.count, np.nan)


def volume(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Volume between the surface and the plane of its outline."""
    rim = along(closed(draws.picked(points)), every_px=_EVERY_PX, most=_MOST_ON_AN_OUTLINE)
    there = draws.at(rim, _IN_A_REGION_PX)
    sure = np.isfinite(there.depth).all(axis=0)
    places, seen = _region(draws, points, _MOST_IN_A_REGION, _IN_A_REGION_PX)
    if sure.mean() < _OF_A_RIM or sure.sum() < _FEWEST or not seen.usable.any():
        return Outcome(_nothing(draws), seen.known, places=places,
                       notes=("its outline has no depth: no plane can be laid through it",))  # fmt: skip
    rim_plane = plane(draws.in_um(rim[:, sure], there.depth[:, sure]))
    flat, picture = area(points), np.broadcast_to(places, (draws.count, *places.shape))

    def between(depth: Double) -> Double:
        off = heights(draws.in_um(picture, depth), rim_plane)
        return np.asarray((off * draws.scale(depth) ** 2).mean(-1) * flat, np.float64)

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
    """Plane (draws, 3) of the surface within an outline, how much of that has a depth, and how badly it is a plane."""

    plane: Double
    known: float
    misfit: float = 1.0
    notes: tuple[str, ...] = ()


def _face(draws: Draws, outline: Double) -> _Face:
    solid, u, known = _surface(draws, outline, _MOST_IN_A_REGION)
    if solid.shape[1] < _FEWEST:
        return _Face(np.full((draws.count, 3), np.nan), known)
    stays = ~outliers(heights(solid[:1], plane(solid[:1], 1 / u**2))[0] / u)
    fitted = plane(solid[:, stays], 1 / u[stays] ** 2)
    misfit, notes = _misfit(heights(solid[:1], fitted[:1])[0], u, "plane")
    return _Face(fitted, known, misfit, notes)


def _misfit(off_um: Double, u: Double, shape: str) -> tuple[float, tuple[str, ...]]:
    """How many times farther places (N,) lie off a shape than their errors let them, and what is said of that."""
    times = float(np.sqrt(np.square(off_um / u).mean()))
    if times < _NO_SUCH_SHAPE:
        return max(times, 1.0), ()
    return times, (f"this is no {shape}: it departs from one by {np.sqrt(np.square(off_um).mean()):.2g} µm (rms)",)


def tilt(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Angle of a face against the picture."""
    face = _face(draws, points)
    x, y, _height = face.plane.T
    down = float(np.degrees(np.arctan2(y[0], x[0]))) % 360.0
    notes = (f"falls away towards {down:.0f}° (0° to the right, 90° down)",) if np.isfinite(down) else ()
    return Outcome(np.degrees(np.arctan(np.hypot(x, y))), face.known, misfit=face.misfit, notes=(*face.notes, *notes),
                   places=points)  # fmt: skip


def dihedral(draws: Draws, points: Double, points_b: Double | None) -> Outcome:
    """Angle between the normals of two faces."""
    assert points_b is not None
    one, two = _face(draws, points), _face(draws, points_b)
    cosine = (normal(one.plane) * normal(two.plane)).sum(-1)
    value = np.degrees(np.arccos(np.clip(cosine, -1, 1)))
    notes = (f"between the normals; the faces enclose {180 - value[0]:.2f}°",) if np.isfinite(value[0]) else ()
    return Outcome(value, min(one.known, two.known), misfit=max(one.misfit, two.misfit),
                   notes=(*one.notes, *two.notes, *notes), places=np.concatenate([points, points_b]))  # fmt: skip


def sphere_radius(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Radius of the sphere nearest to the surface within an outline."""
    solid, u, known = _surface(draws, points, _MOST_OF_A_SPHERE)
    if solid.shape[1] < _FEWEST:
        return Outcome(_nothing(draws), known, places=points)
    first = sphere(solid[0], 1 / u**2)
    away = solid[0] - first[:3]
    off = (np.linalg.norm(away, axis=-1) - first[3]) / np.maximum(np.abs(away[:, 2]) / first[3], 0.2)
    if not np.isfinite(first[3]):
        return Outcome(_nothing(draws), known, notes=("this is flat: no sphere can be told",), places=points)
    stays = ~outliers(off / u)
    fitted = sphere(solid[:, stays], 1 / u[stays] ** 2)
    misfit, notes = _misfit(off, u, "sphere")
    hollow = ("hollow",) if fitted[0, 2] < solid[0, :, 2].mean() else ()
    return Outcome(fitted[:, 3], known, misfit=misfit, notes=(*notes, *hollow), places=points)


def roughness(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Root mean square (Sq) of a surface's heights about its own plane (ISO 25178-2)."""
    places, seen = _region(draws, points, _MOST_IN_A_REGION, _ON_A_LINE_PX)
    here = seen.there & seen.usable
    if here.sum() < _FEWEST:
        return Outcome(_nothing(draws), seen.known, places=points)
    picture = np.broadcast_to(places[here], (draws.count, int(here.sum()), 2))
    squares = _squares(draws.in_um(picture, seen.depth[:, here]))
    noise = max(float(squares[draws.depths].mean() - squares[0]), 0.0)
    values = np.sqrt(np.maximum(squares - noise, 0.0))
    # The draws have noise on top of what is there once already.
    values[draws.depths] = np.sqrt(np.maximum(squares[draws.depths] - 2 * noise, 0.0))
    notes = [_follows(draws, _ON_A_LINE_PX)]
    if noise > 0.5 * squares[0]:
        notes.append("most of what is seen is noise of the depth map")
    doubt = _DOUBT_OF_NOISE * noise / (2 * max(values[0], np.sqrt(noise))) if noise else 0.0
    wider = np.sqrt(_squares(draws.in_um(picture[:1], draws.of.look(picture[0], 2 * _ON_A_LINE_PX)[0][None]))[0])
    lost = max(float(values[0] - wider), 0.0)
    return Outcome(values + _OF_HEIGHTS[0] * lost, seen.known, notes=tuple(notes), places=points,
                   u_more=float(np.hypot(doubt, _OF_HEIGHTS[1] * lost)))  # fmt: skip


def _squares(solid: Double) -> Double:
    """Mean square (draws,) of heights of places (draws, N, 3) about their own plane."""
    return np.asarray(np.square(heights(solid, plane(solid))).mean(-1), np.float64)


def profile(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Depth along a line, and the greatest difference in it."""
    line = draws.picked(points)
    # The curve in full, without the draws; its greatest difference in the draws, at fewer places.
    xy = along(line[:1], every_px=1.0, most=_MOST_ON_A_PROFILE)
    depth, _slopes, u = draws.of.look(xy[0], _AT_A_PLACE_PX)
    run = np.concatenate([[0.0], np.cumsum(_steps(draws.in_um(xy)[0, :, :2]))])
    values, grows = _nothing(draws), 0.0
    if np.isfinite(depth).any():
        seen = draws.at(along(line, every_px=_EVERY_PX, most=_MOST_ON_AN_OUTLINE), _AT_A_PLACE_PX)
        drawn = seen.depth * draws.depth_factor()
        values = np.nanmax(drawn, axis=1) - np.nanmin(drawn, axis=1)
        grows = draws.bias(values)
        values -= _OF_RANGES * grows
    relative = np.hypot(draws.of.u_index, draws.of.u_rail)
    known = float(draws.of.knows(xy[0]).mean())
    return Outcome(values, known, noisy=True, u_more=abs(grows), along_um=run, depth_um=depth, places=xy[0],
                   u_um=np.hypot(u, relative * depth))  # fmt: skip


def count(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """How many places were marked."""
    return Outcome(np.full(draws.count, float(len(points))), places=points)


SPOTS = 200  # draws of what rests on a few places: they are quick

KINDS: dict[str, Kind] = {
    "length": Kind("µm", 2, None, length, formula="Σ √(ΔX² + ΔY²)", draws=SPOTS),
    "length_3d": Kind("µm", 2, None, length_3d, needs_depth=True, formula="Σ √(ΔX² + ΔY² + ΔZ²)", draws=SPOTS),
    "length_surface": Kind("µm", 2, None, length_surface, needs_depth=True, formula="Σ √(ΔX² + ΔY² + ΔZ²) along it"),
    "height": Kind("µm", 2, 2, height, needs_depth=True, formula="Z₂ − Z₁", draws=SPOTS),
    "angle": Kind("°", 3, 3, angle, formula="∠ of the two legs in X, Y", draws=SPOTS),
    "angle_3d": Kind("°", 3, 3, angle_3d, needs_depth=True, formula="∠ of the two legs in X, Y, Z", draws=SPOTS),
    "circle": Kind("µm", 3, None, circle_radius, formula="least squares of the distance to a circle", draws=SPOTS),
    "sphere": Kind("µm", 3, None, sphere_radius, needs_depth=True, outline=True,
                   formula="least squares of the depth against a sphere"),
    "area": Kind("µm²", 3, None, flat_area, outline=True, formula="½ |Σ (Xᵢ Yᵢ₊₁ − Xᵢ₊₁ Yᵢ)|"),
    "area_surface": Kind("µm²", 3, None, area_surface, needs_depth=True, outline=True, formula="∫ |∂ₓP × ∂ᵧP| dx dy"),
    "volume": Kind("µm³", 3, None, volume, needs_depth=True, outline=True, formula="∫ (Z − outline's plane) dX dY"),
    "tilt": Kind("°", 3, None, tilt, needs_depth=True, outline=True, formula="atan √(a² + b²) of Z = a X + b Y + c"),
    "dihedral": Kind("°", 3, None, dihedral, needs_depth=True, outline=True, formula="arccos(n₁ · n₂)"),
    "roughness": Kind("µm", 3, None, roughness, needs_depth=True, outline=True, formula="Sq = √mean (Z − plane)²"),
    "profile": Kind("µm", 2, None, profile, needs_depth=True, formula="Z along the line; its value is max Z − min Z"),
    "count": Kind("", 1, None, count, formula="n"),
}  # fmt: skip
