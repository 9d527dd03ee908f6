"""What can be measured on a merged picture: each kind gives its value in every draw.

A depth that is unknown is NaN, and so is what would need it.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring._fits import circle
from amber_ladder.core.measuring._instrument import Draws, Seen
from amber_ladder.core.measuring._lines import along, area, closed
from amber_ladder.core.measuring._outcome import (
    AT_A_PLACE_PX,
    EVERY_PX,
    MOST_ON_A_LINE,
    MOST_ON_AN_OUTLINE,
    OF_LENGTHS,
    ON_A_LINE_PX,
    Outcome,
    follows,
    nothing,
    regained,
)
from amber_ladder.core.measuring._regions import (
    area_surface,
    dihedral,
    roughness,
    roughness_line,
    sphere_radius,
    tilt,
    volume,
)

Double = NDArray[np.float64]

_MOST_ON_A_PROFILE = 1500
_OF_RANGES = 0.7
"""Of what noise on top adds to a range, so much more was added by what is there already: noise makes a range grow with

itself, not with its square, and noise of the same size on top adds less than the first. Measured, as above."""
SPOTS = 200  # draws of what rests on a few places: they are quick


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
    return xy, draws.at(xy, AT_A_PLACE_PX) if draws.of.depth_um is not None else None


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
    xy = along(draws.picked(points), every_px=EVERY_PX, most=MOST_ON_A_LINE)
    seen = draws.at(xy, ON_A_LINE_PX)
    places = draws.in_um(xy, seen.depth)
    known = seen.usable
    values, u_more, at_least = _steps(places).sum(-1), 0.0, None
    if known.all():
        wider = _steps(draws.in_um(xy[:1], draws.of.look(xy[0], 2 * ON_A_LINE_PX)[0][None])[0]).sum()
        values, u_more = regained(draws, values, float(wider), OF_LENGTHS)
    elif known.sum() > 1:  # straight across what is unknown: no surface is shorter
        flat = draws.in_um(xy)[0, :, :2]
        first, last = np.argmax(known), len(known) - 1 - np.argmax(known[::-1])
        ends = _steps(flat[: first + 1]).sum() + _steps(flat[last:]).sum()
        at_least = float(_steps(places[0][known]).sum() + ends)
    return Outcome(values, seen.known, noisy=True, u_more=u_more, at_least=at_least, places=xy[0],
                   notes=(follows(draws, ON_A_LINE_PX),))  # fmt: skip


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
    xy = along(closed(draws.picked(points)), every_px=EVERY_PX, most=MOST_ON_AN_OUTLINE)
    seen = draws.at(xy, AT_A_PLACE_PX) if draws.of.depth_um is not None else None
    known = 0.0 if seen is None else seen.known
    depth = seen.depth if seen is not None and np.isfinite(seen.depth).all() else None
    return Outcome(area(draws.in_um(xy, depth)[..., :2]), known, places=xy[0])


def profile(draws: Draws, points: Double, _: Double | None) -> Outcome:
    """Depth along a line, and the greatest difference in it."""
    line = draws.picked(points)
    # The curve in full, without the draws; its greatest difference in the draws, at fewer places.
    xy = along(line[:1], every_px=1.0, most=_MOST_ON_A_PROFILE)
    depth, _slopes, u = draws.of.look(xy[0], AT_A_PLACE_PX)
    run = np.concatenate([[0.0], np.cumsum(_steps(draws.in_um(xy)[0, :, :2]))])
    values, grows = nothing(draws), 0.0
    if np.isfinite(depth).any():
        seen = draws.at(along(line, every_px=EVERY_PX, most=MOST_ON_AN_OUTLINE), AT_A_PLACE_PX)
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
    "roughness_line": Kind("µm", 2, 2, roughness_line, needs_depth=True, formula="Pq = √mean (Z − straight line)²"),
    "profile": Kind("µm", 2, None, profile, needs_depth=True, formula="Z along the line; its value is max Z − min Z"),
    "count": Kind("", 1, None, count, formula="n"),
}  # fmt: skip
