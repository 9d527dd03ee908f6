"""Measuring on the result of a merge as it lies on the disk: shared by the command line and the application."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial
from math import degrees, hypot, inf, sqrt
from pathlib import Path
from typing import Any

import numpy as np
import tifffile
from numpy.typing import NDArray

from amber_ladder import __version__
from amber_ladder.core.measuring import (
    COVERAGE,
    KINDS,
    NOMINAL_TOLERANCE,
    PARTS,
    PICK_PX,
    RAIL_TOLERANCE,
    TILT_TOLERANCE_DEG,
    Growth,
    Instrument,
    Measured,
    Rungs,
    measure,
    of_tolerance,
    rail_tilt,
    rounded,
)
from amber_ladder.errors import BadInput
from amber_ladder.formats.measures_json import FocusedBy, MeasureJson, MeasuresJson, MediumJson, ScaleJson, TravelJson
from amber_ladder.formats.results import read_depth
from amber_ladder.work.on_disk.merge_result import MergeResult, read_merge
from amber_ladder.work.on_disk.referencing import reference_in, reference_json

Double = NDArray[np.float64]

_LEAST_SURE_STEPS = 0.3
"""A depth less sure than so many steps is left out: among simulated crystals and bristles one in ten of those is off by

over two steps, of all others one in a hundred or fewer."""
_AXIS_OFF = 0.05  # of the width: half-width for where the optical axis goes through a sensor
_ENOUGH_PX = 200_000


RAIL_TRAVEL = TravelJson(
    u=of_tolerance(RAIL_TOLERANCE), assumed=[f"the rail's travel is true to {100 * RAIL_TOLERANCE:g} %"]
)


@dataclass(frozen=True)
class Known:
    """What a measure rests on: the instrument, where its scale comes from, what is assumed, and what was found."""

    instrument: Instrument
    scale_from: str
    assumed: tuple[str, ...]
    found: tuple[str, ...] = ()


def measure_folder(result: Path, entry: MeasuresJson) -> dict[str, Any]:
    """Measure on a merge's folder, as MEASURES.json has it. Raises BadInput, which names the measure."""
    merge, scale, found = read_merge(result), entry.scale, None
    made = partial(
        instrument_of, merge,
        medium=entry.medium, pick_px=entry.pick_px, focused_by=entry.focused_by, travel=entry.travel,
    )  # fmt: skip
    if entry.reference is not None:
        own = merge.report.get("scale") or {}
        first = made(scale=ScaleJson(um_per_px=own.get("um_per_px") or 1.0))
        found = reference_json(entry.reference, reference_in(merge, first.instrument, entry.reference))
        scale = ScaleJson(um_per_px=found["um_per_px"], u_um_per_px=found["u_um_per_px"])
    known = made(scale=scale)
    told = []
    for number, one in enumerate(entry.measures):
        try:
            measured = measure(known.instrument, one.kind, one.points, one.points_b)
        except BadInput as error:
            called = f"measure {number + 1} ({one.name or one.kind})"
            raise BadInput(f"{called}: {error}", field=f"measures.{number}") from error
        told.append(told_json(one, measured, known))
    out = {"measures": told, "scale": scale_json(known), "assumed": list(known.assumed),
           "found": list(known.found), "version": __version__}  # fmt: skip
    return out if found is None else {**out, "reference": found}


def instrument_of(
    merge: MergeResult,
    *,
    scale: ScaleJson | None,
    medium: MediumJson | None,
    pick_px: float = PICK_PX,
    focused_by: FocusedBy = "unknown",
    travel: TravelJson | None = None,
) -> Known:
    """A merge as an instrument. Without a ``scale`` the merge's own counts. Raises BadInput where there is none.

    ``travel`` says how true the distances of its frames are; without it they lie as a good rail's do.
    """
    travel = travel or RAIL_TRAVEL
    own = merge.report.get("scale")
    if scale is None and own:
        scale = ScaleJson(um_per_px=own["um_per_px"], u_um_per_px=own.get("u_um_per_px"))
    if scale is None:
        raise BadInput("no scale is known, of this merge or from elsewhere: give µm per px", field="scale")
    assumed = []
    u_scale = of_tolerance(NOMINAL_TOLERANCE)
    if scale.u_um_per_px is None:
        assumed.append(f"the scale is nominal: true to {NOMINAL_TOLERANCE:.0%}")
    else:
        u_scale = scale.u_um_per_px / scale.um_per_px
    depth, u_depth = _depth(merge)
    growth, told = _growth(merge, focused_by)
    index = medium.index if medium else 1.0
    laid = bool(merge.report.get("laid"))
    tells = depth is not None and focused_by == "rail" and not laid
    tilt = _tilt(merge, scale.um_per_px, index, growth) if tells else None
    if depth is not None and tilt is None:
        assumed.append(f"focus moves along the optical axis to {TILT_TOLERANCE_DEG:g}°")
    if depth is not None:
        assumed += [*travel.assumed, *told]
    if pick_px == PICK_PX:
        assumed.append(f"a place is clicked to {PICK_PX} px")
    at_um = [] if laid else sorted(float(one.get("depth", 0.0)) for one in merge.report["registration"])
    step_um = float(np.median(np.diff(at_um))) if len(at_um) > 1 else merge.report.get("step_um") or 0.0
    if laid:
        u_px = max(float(one["u_px"] or 0.0) for one in merge.report["registration"])
        pick_px = hypot(pick_px, u_px)
        assumed.append(f"tiles lie where they belong to {u_px:.2g} px, wherever on them a place is")
    most_u_um = _LEAST_SURE_STEPS * step_um if step_um > 0 else inf
    instrument = Instrument(
        shape=(int(merge.composite.shape[0]), int(merge.composite.shape[1])),
        um_per_px=scale.um_per_px,
        u_scale=u_scale,
        depth_um=depth,
        u_depth_um=u_depth,
        most_u_um=most_u_um,
        growth=growth,
        u_index=medium.u_index / medium.index if medium else 0.0,
        u_rail=travel.u,
        **({"tilt_deg": tilt[0], "u_tilt_deg": tilt[1]} if tilt else {}),
        pick_px=pick_px,
        rungs=None if depth is None else _rungs(depth, u_depth, most_u_um, at_um),
        aside=None if laid else _Aside.of(merge.report["registration"]),
        deepest_um=0.0 if depth is None else at_um[-1] if at_um else float(np.nanmax(depth, initial=0.0)),
    )
    found = () if tilt is None else (f"the rail runs {tilt[0]:.2f}° ± {2 * tilt[1]:.2f}° aslant, as the frames tell",)
    return Known(instrument, _scale_from(merge, scale), tuple(assumed), found)


def _scale_from(merge: MergeResult, scale: ScaleJson) -> str:
    own = merge.report.get("scale") or {}
    if own.get("um_per_px") == scale.um_per_px and own.get("u_um_per_px") == scale.u_um_per_px:
        return str(own.get("source") or "of the merge")
    return "given"


def _depth(merge: MergeResult) -> tuple[NDArray[np.float32] | None, NDArray[np.float32] | None]:
    """Depth and its uncertainty; None where depth is in no µm, or nobody knows how sure it is."""
    beside = merge.folder / "depth_u.tif"
    if (merge.report.get("settings") or {}).get("depth_unit") != "µm" or not beside.is_file():
        return None, None
    try:
        depth, u = read_depth(merge.folder / "depth.tif"), read_depth(beside)
    except (OSError, ValueError, tifffile.TiffFileError) as error:
        raise BadInput(f"{merge.folder} holds a damaged depth map: merge again", field="result") from error
    if depth.shape != merge.composite.shape[:2] or u.shape != depth.shape:
        raise BadInput(f"{merge.folder}: depth and composite differ in size: merge again", field="result")
    return depth, u


def _rungs(
    depth: NDArray[np.float32], u: NDArray[np.float32] | None, most_u_um: float, at_um: Sequence[float]
) -> Rungs | None:
    assert u is not None, "both are there, or none"
    every = max(1, round(sqrt(depth.size / _ENOUGH_PX)))
    thin, sure = np.asarray(depth[::every, ::every], np.float64), np.asarray(u[::every, ::every])
    return Rungs.of(thin[np.isfinite(thin) & (sure <= most_u_um)], np.array(at_um))


def _growth(merge: MergeResult, focused_by: FocusedBy) -> tuple[Growth, list[str]]:
    """How the scale changes with depth, and what of that is assumed.

    On a rail, what is in focus has the same scale in every frame; laid on the reference frame, what lies deeper is as
    much smaller as the picture grew when focus followed it there. A focus ring changes the picture's size by itself,
    and how much nearer things are larger is not seen: the change lies between none and what the rig's optics allow.
    """
    told = merge.report.get("growth")
    reference = next(
        (one for one in merge.report["registration"] if one["file"] == merge.report.get("reference_frame")), None
    )
    at_um = float(reference.get("depth", 0.0)) if reference else 0.0
    if not told:
        return Growth(at_um=at_um), ["the scale is the same at every depth: the merge says nothing of that"]
    seen, u = told["per_mm"] / 1e3, told["u_per_mm"] / 1e3
    if focused_by == "rail":
        return Growth(seen, u, at_um), []
    if focused_by == "ring":
        limits = told.get("limits_per_mm")
        most = max(abs(limits[0]), abs(limits[1])) / 1e3 if limits else max(abs(seen), 1 / 25e3)
        return Growth(most / 2, most / sqrt(12.0), at_um), [
            f"things a mm deeper are smaller by 0 to {1e3 * most:.1%}" + ("" if limits else ", as nobody told the rig")
        ]
    return Growth(seen / 2, hypot(abs(seen) / sqrt(12.0), u), at_um), [
        "whether rail or ring moved focus is not known: the scale changes with depth as on a rail, or not at all"
    ]


def _tilt(merge: MergeResult, um_per_px: float, index: float, growth: Growth) -> tuple[float, float] | None:
    """The angle between rail and optical axis, degrees, and its standard uncertainty, as the alignment tells."""
    frames = sorted((one for one in merge.report["registration"] if "matrix" in one), key=lambda one: one["depth"])
    height, width = merge.composite.shape[:2]
    middle = np.array([(width - 1) / 2.0, (height - 1) / 2.0, 1.0])
    aside = np.array([np.asarray(one["matrix"], np.float64)[:2] @ middle for one in frames]) * um_per_px
    # What goes through a medium is so many times the travel.
    found = rail_tilt(np.array([one["depth"] for one in frames]) / index, aside)
    if found is None:
        return None
    # Where the axis is not in the middle, the picture grows aside: that looks like a tilt.
    off = of_tolerance(_AXIS_OFF) * width * um_per_px * hypot(growth.per_um, growth.u_per_um) * index
    return found[0], hypot(found[1], degrees(off))


@dataclass(frozen=True)
class _Aside:
    """How uncertain it is where what lies at a depth is in the picture, as the alignment of frames tells."""

    at_um: Double
    u_px: Double

    @classmethod
    def of(cls, registration: Sequence[dict[str, Any]]) -> "_Aside":
        frames = sorted((float(one.get("depth", 0.0)), float(one.get("u_px") or 0.0)) for one in registration)
        at, u = np.array(frames).T
        return cls(at, np.nan_to_num(u))

    def __call__(self, depth_um: Double) -> Double:
        """Standard uncertainty (N,) in px at depths (N,) µm, with the sign of the side of the reference frame."""
        reference = self.at_um[np.argmin(self.u_px)]
        return np.asarray(np.interp(depth_um, self.at_um, self.u_px) * np.sign(depth_um - reference), np.float64)


def scale_json(known: Known) -> dict[str, Any]:
    """The scale that was measured with."""
    one = known.instrument
    return {"um_per_px": one.um_per_px, "u_um_per_px": one.um_per_px * one.u_scale, "source": known.scale_from}


def told_json(asked: MeasureJson, measured: Measured, known: Known) -> dict[str, Any]:
    """A measure as it is told: the value rounded to its expanded uncertainty, and what that is made of."""
    value, expanded = measured.value, measured.expanded
    if value is not None and expanded:
        value, expanded = rounded(value, expanded)
    whole = sum(u**2 for u in measured.parts.values())
    out: dict[str, Any] = {
        "name": asked.name,
        "kind": asked.kind,
        "value": value,
        "unit": measured.unit,
        "U": expanded,
        "k": COVERAGE,
        "parts": {name: round(measured.parts[name] ** 2 / whole, 6) if whole else 0.0 for name in PARTS},
        "known": round(measured.known, 4),
        "notes": list(measured.notes),
        "formula": KINDS[asked.kind].formula,
    }
    for name, bound in (("at_least", measured.at_least), ("at_most", measured.at_most)):
        if bound is not None:
            out[name] = float(f"{bound:.4g}")
    if measured.along_um is not None and measured.depth_um is not None and measured.u_um is not None:
        out["along_um"] = np.round(measured.along_um, 4).tolist()
        out["depth_um"] = [_or_none(one) for one in measured.depth_um]
        out["u_um"] = [_or_none(one) for one in measured.u_um]
    return out


_FROM = {
    "scale": "µm in a pixel, {scale}",
    "pick": "where places were clicked",
    "depth": "errors of the depth map, and of how far focus travelled",
    "index": "refractive index of the medium",
    "projection": "how the scale changes with depth, alignment, tilt of the rail",
}


def budget(measured: Measured, known: Known) -> list[dict[str, Any]]:
    """What makes a value uncertain, the most first: standard uncertainty in its unit, share of the variance, source."""
    whole = sum(u**2 for u in measured.parts.values())
    lines = [
        {"part": name, "u": float(f"{u:.3g}"), "share": round(u**2 / whole, 4) if whole else 0.0,
         "from": _FROM[name].format(scale=known.scale_from)}
        for name, u in measured.parts.items()
    ]  # fmt: skip
    return sorted(lines, key=lambda one: -one["share"])


def _or_none(number: float) -> float | None:
    return round(float(number), 4) if np.isfinite(number) else None
