"""The scale of a picture from something of known size in it: two points, a coin, a ball, a ruling."""

from dataclasses import dataclass, replace
from math import hypot, radians, sqrt
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from amber_ladder.core.measuring._fits import heights, outliers, plane
from amber_ladder.core.measuring._instrument import Draws, Instrument
from amber_ladder.core.measuring._rim import Rim, find_rim
from amber_ladder.core.measuring._ruling import find_ruling
from amber_ladder.errors import BadInput

Float = NDArray[np.float32]
Double = NDArray[np.float64]

ReferenceKind = Literal["two_points", "coin", "ball", "ruling"]
LEAST_PLACES: dict[ReferenceKind, int] = {"two_points": 2, "coin": 3, "ball": 3, "ruling": 2}
"""Two points are the ends of what is known; of coin and ball places beside the rim; of a ruling two corners."""
_SIGMA_PX = 4.0
_EDGE_PX = 0.4
"""Standard uncertainty of where a solid thing ends in a picture: shading and what lies behind move its edge."""
_PLACES = 15  # along a side of what is looked at for its depth
_KNOWN = 0.2  # of it needs a depth, or its depth counts as unknown


@dataclass(frozen=True, slots=True)
class Reference:
    """A scale that was found: µm in a px at the depth at which the picture's scale holds, with what it rests on.

    ``found_px`` is the length in the picture that was found, ``depth_um`` how deep it lies, None where nobody knows.
    ``middle`` (x, y) is where it is; ``rim`` what was found of a coin or ball.
    """

    um_per_px: float
    u_um_per_px: float
    found_px: float
    depth_um: float | None
    middle: tuple[float, float]
    rim: Rim | None
    notes: tuple[str, ...]


def scale_from(
    instrument: Instrument, grey: Float, kind: ReferenceKind, points: Double, *, size_um: float, u_size_um: float
) -> Reference:
    """The scale from ``points`` (N, 2) px on something of ``size_um``: a length, a width, or line to line of a ruling.

    ``grey`` (H, W), 0 to 1, is the picture. The instrument's own scale says only how steep is steep; depth comes from
    the rail, and the scale at another depth from how it changes with depth. Raises BadInput where nothing is found.
    """
    if len(points) < LEAST_PLACES[kind]:
        raise BadInput(f"{LEAST_PLACES[kind]} places are needed, and there are {len(points)}", field="points")
    height, width = instrument.shape
    outside = ~((points >= -0.5) & (points <= [width - 0.5, height - 0.5])).all(axis=1)
    if outside.any():
        x, y = points[outside][0]
        raise BadInput(f"{x:g}, {y:g} lies outside the picture of {width} × {height} px", field="points")
    match kind:
        case "two_points":
            return _two_points(instrument, points, size_um, u_size_um)
        case "coin" | "ball":
            return _round(instrument, grey, kind, points, size_um, u_size_um)
        case "ruling":
            return _ruling(instrument, grey, points, size_um, u_size_um)


def _two_points(instrument: Instrument, points: Double, size_um: float, u_size_um: float) -> Reference:
    # With a scale that nobody doubts: what is sought is by how much it is wrong.
    draws = Draws(replace(instrument, u_scale=0.0), 200)
    xy = draws.picked(points[:2])
    found_px = float(np.hypot(*(points[1] - points[0])))
    if found_px < 2:
        raise BadInput("the two points lie on one another", field="points")
    depth = _seen(draws, xy)
    if depth is None:
        solid = draws.in_um(xy)
        ratio = size_um / np.hypot(*np.moveaxis(solid[:, 1, :2] - solid[:, 0, :2], -1, 0))
        notes = ["nothing is known of its depth: it is taken to lie level, at any depth of the ladder"]
        return _told(draws, ratio, size_um, u_size_um, found_px, None, points[:2].mean(axis=0), notes, instrument)
    solid = draws.in_um(xy, depth)
    aside = np.hypot(*np.moveaxis(solid[:, 1, :2] - solid[:, 0, :2], -1, 0))
    deeper = solid[:, 1, 2] - solid[:, 0, 2]
    level = size_um**2 - np.square(deeper)
    if level[0] <= 0:
        raise BadInput(
            f"one point lies {abs(deeper[0]):.4g} µm deeper than the other, and they are to be {size_um:g} µm apart"
        )
    ratio = np.sqrt(np.maximum(level, 0.0)) / aside
    return _told(draws, ratio, size_um, u_size_um, found_px, float(depth[0].mean()), points[:2].mean(axis=0), [],
                 instrument)  # fmt: skip


def _round(
    instrument: Instrument, grey: Float, kind: Literal["coin", "ball"], points: Double, size_um: float, u_size_um: float
) -> Reference:
    rim = find_rim(grey, points, aslant=kind == "coin")
    middle = np.array(rim.middle)
    draws = Draws(replace(instrument, u_scale=0.0, pick_px=0.0), 200)
    # A coin is looked at where it lies flat; a ball at its top, from which its rim lies deeper by half its width.
    wide = 0.8 if kind == "coin" else 0.15
    angle = np.linspace(0, 2 * np.pi, 4 * _PLACES, endpoint=False)
    around = np.column_stack([np.cos(angle), np.sin(angle)]) * wide * rim.shortest_px + middle
    laid = _plane_of(draws, around)
    notes = []
    depth = None
    if laid is None:
        scale = draws.scale(None)[:, 0]
        notes.append("nothing is known of its depth: it may lie at any depth of the ladder")
    else:
        level = (laid[:, :2] @ middle + laid[:, 2])[:, None]
        if kind == "ball":
            level = level + size_um / 2.0 * sqrt(1.0 - wide**2)
        scale = draws.scale(level)[:, 0]
        depth = level
    if kind == "coin" and rim.shortest_px < 0.995 * rim.longest_px:
        notes.append(f"it lies aslant by {np.rad2deg(np.arccos(rim.shortest_px / rim.longest_px)):.0f}°")
    if rim.share < 0.95:
        notes.append(f"its rim was found over {rim.share:.0%} of the way around")
    ratio = size_um / (2.0 * rim.longest_px * scale)
    told = _told(draws, ratio, size_um, u_size_um, 2.0 * rim.longest_px, None if depth is None else float(depth[0, 0]),
                 middle, notes, instrument, hypot(rim.u_px, _EDGE_PX) / rim.longest_px)  # fmt: skip
    return replace(told, rim=rim)


def _ruling(instrument: Instrument, grey: Float, points: Double, size_um: float, u_size_um: float) -> Reference:
    height, width = grey.shape
    left, top = np.clip(np.floor(points.min(axis=0)), 0, [width, height]).astype(int)
    right, bottom = np.clip(np.ceil(points.max(axis=0)) + 1, 0, [width, height]).astype(int)
    if right - left < 24 or bottom - top < 24:
        raise BadInput("pick two opposite corners of the ruling, 24 px apart at least", field="points")
    found = find_ruling(np.ascontiguousarray(grey[top:bottom, left:right]))
    draws = Draws(replace(instrument, u_scale=0.0, pick_px=0.0), 100)
    x, y = np.meshgrid(np.linspace(left, right - 1, _PLACES), np.linspace(top, bottom - 1, _PLACES))
    places = np.column_stack([x.ravel(), y.ravel()])
    middle = np.array([(left + right - 1) / 2, (top + bottom - 1) / 2])
    laid = _plane_of(draws, places)
    depth = None
    notes = [f"{found.lines} lines were found"]
    across = np.array([np.cos(radians(found.angle_deg)), np.sin(radians(found.angle_deg))])
    if laid is None:
        ratio = size_um / (found.pitch_px * draws.scale(None)[:, 0])
        notes.append("nothing is known of its depth: it is taken to lie level, at any depth of the ladder")
    else:
        rise = (laid[:, :2] @ across) * found.pitch_px
        level = size_um**2 - np.square(rise)
        if not np.isfinite(level[0]) or level[0] <= 0:
            raise BadInput(
                "the depth map is steeper here than this ruling can be: it is no plane, or the spacing wrong"
            )
        at = laid[:, :2] @ middle + laid[:, 2]
        ratio = np.sqrt(np.maximum(level, 0.0)) / (found.pitch_px * draws.scale(at[:, None])[:, 0])
        depth = at[:, None]
    return _told(draws, ratio, size_um, u_size_um, found.pitch_px, None if depth is None else float(depth[0, 0]),
                 middle, notes, instrument, found.u_pitch_px / found.pitch_px)  # fmt: skip


def _seen(draws: Draws, xy: Double) -> Double | None:
    """Depth (draws, N) at places; None where it is not known at all of them."""
    if draws.of.depth_um is None:
        return None
    seen = draws.at(xy, _SIGMA_PX)
    return seen.depth if seen.usable.all() else None


def _plane_of(draws: Draws, places: Double) -> Double | None:
    """The plane (draws, 3) through the depths at places (N, 2) px; None where too few of them are known."""
    height, width = draws.of.shape
    inside = ((places >= 0) & (places <= [width - 1, height - 1])).all(axis=1)
    if draws.of.depth_um is None or not inside.any():
        return None
    places = places[inside]
    seen = draws.at(np.repeat(places[None], draws.count, axis=0), _SIGMA_PX)
    if seen.usable.mean() < _KNOWN:
        return None
    depth = seen.depth[:, seen.usable] * draws.depth_factor()
    at = np.broadcast_to(places[seen.usable], (draws.count, int(seen.usable.sum()), 2))
    solid = np.concatenate([at, depth[..., None]], axis=-1)
    kept = ~outliers(heights(solid[0], plane(solid[0])))
    laid = plane(solid[:, kept])
    return laid if np.isfinite(laid[0]).all() else None


def _told(
    draws: Draws, ratio: Double, size_um: float, u_size_um: float, found_px: float, depth_um: float | None,
    middle: Double, notes: list[str], instrument: Instrument, u_found: float = 0.0,
) -> Reference:  # fmt: skip
    value = float(ratio[0])
    u = sqrt(sum(part**2 for part in draws.parts(ratio).values())) / value
    u = sqrt(u**2 + (u_size_um / size_um) ** 2 + u_found**2)
    scale = instrument.um_per_px * value
    return Reference(scale, scale * u, found_px, depth_um, (float(middle[0]), float(middle[1])), None, tuple(notes))
