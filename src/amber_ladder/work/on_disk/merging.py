"""Merging frames on the disk into a folder of results: shared by the command line and the worker."""

import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from amber_ladder import __version__
from amber_ladder.core.depth import depth_between, depth_spread
from amber_ladder.core.frames import Progress
from amber_ladder.core.fusion import (
    Finding,
    Merged,
    Style,
    Survey,
    findings,
    merge,
    survey,
    usual_step,
)
from amber_ladder.core.optics import Rig, growth_limit, resolve, rim_slope
from amber_ladder.errors import BadInput
from amber_ladder.formats.exif import exif_of
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.pictures import LeftOut, StoredFrames, colour_profile, frames_in, natural_key, too_few
from amber_ladder.formats.results import write_composite, write_depth, write_json
from amber_ladder.formats.surveys import FILE as SURVEY
from amber_ladder.formats.surveys import key_of, read_survey, write_survey
from amber_ladder.work.memory import give_back
from amber_ladder.work.on_disk.merge_settings import Grows, MergeSettings, recipe

RESULTS = ("composite.tif", "depth.tif", "depth_u.tif", "report.json")
_OF_AIRY = 0.213
"""Standard deviation of the picture of a point, of the Airy disc's diameter, as the band sees it in which frames are

compared: 0.26 λ / NA."""


def merge_folder(folder: Path, out: Path, settings: MergeSettings, progress: Progress) -> dict[str, Any]:
    """Merge a folder of frames into ``out`` and return the report. Raises BadInput, StorageFull."""
    if out.resolve() == folder.resolve():
        raise BadInput("the results cannot go into the folder of the originals: name another", field="out")
    settings.checked()
    frames, left_out = frames_in(folder)
    _check_named(settings, frames, left_out)
    places = [place for place, name in enumerate(frames.names) if name not in settings.exclude]
    left_out += [LeftOut(name, "left out as asked") for name in frames.names if name in settings.exclude]
    depths = None
    if settings.positions_um:
        places.sort(key=lambda place: (settings.positions_um[frames.names[place]], place))
        depths = [settings.positions_um[frames.names[place]] for place in places]
    if len(places) < 2:
        raise BadInput(too_few(str(folder), len(places), left_out), field="exclude")
    chosen = frames.part(places)
    if depths:
        return merge_frames(chosen, left_out, out, settings, progress, depths_um=depths, depth_from="positions given")
    counted = sorted({*frames.names, *(one.name for one in left_out)}, key=natural_key)
    numbers = [counted.index(name) for name in chosen.names]
    return merge_frames(chosen, left_out, out, settings, progress, numbers=numbers)


def _check_named(settings: MergeSettings, frames: StoredFrames, left_out: Sequence[LeftOut]) -> None:
    """Raises BadInput for names that are not there, and frames whose position is not told."""
    there = {*frames.names, *(one.name for one in left_out)}
    for names, what in ((settings.exclude, "exclude"), (settings.positions_um, "positions")):
        strange = [name for name in names if name not in there]
        if strange:
            raise BadInput(f"{strange[0]} is not in the folder: name frames as their files are called", field=what)
    if settings.positions_um:
        untold = [name for name in frames.names if name not in settings.positions_um and name not in settings.exclude]
        if untold:
            raise BadInput(
                f"the positions tell nothing of {untold[0]}: give one for every frame, or leave it out with --exclude",
                field="positions",
            )


def merge_frames(
    frames: StoredFrames,
    left_out: Sequence[LeftOut],
    out: Path,
    settings: MergeSettings,
    progress: Progress,
    *,
    depths_um: Sequence[float] | None = None,
    depth_from: str | None = None,
    numbers: Sequence[int] | None = None,
    earlier: Sequence[Path] | None = None,
) -> dict[str, Any]:
    """Merge frames into ``out``: composite.tif, depth.tif, depth_u.tif, report.json, all or nothing.

    ``depths_um`` are the frames' depths in the medium where they are known, rising: then frames come nearest first,
    and depth is exact even where rungs are missing. ``depth_from`` says what they rest on. Without them, frames come
    in the order in which they were shot, one step apart; ``numbers`` count them with those that were left out before.
    ``earlier`` are results of other merges: what one of them was aligned by is taken over where it was reckoned from
    the same, and kept for those that follow. None does neither.
    """
    started = time.monotonic()
    settings.checked()
    order = settings.order
    if depths_um is not None:
        order = "near-first"
    _check_size(settings, frames)
    if settings.has_range and depths_um is None and settings.step_um is None:
        raise BadInput(
            "what shall be sharp is told in µm, but how far frames lie apart is not known: give the step or positions",
            field="sharp_near_um",
        )
    optics = resolve(settings.rig) if settings.rig else None
    spread_px = _OF_AIRY * optics.airy_px if optics else None
    step_um = settings.step_um if depths_um is None else usual_step(depths_um)
    blur_px = None
    if optics and step_um:
        blur_px = rim_slope(optics.numerical_aperture, optics.medium_index) * step_um / optics.pixel_um
    reckoned_from: dict[str, Any] = {
        "order": order, "positions_um": depths_um, "numbers": numbers, "spread_px": spread_px, "blur_px": blur_px,
        "side": settings.moved,
    }  # fmt: skip
    # What is looked up lies among the originals, whose names are their checksums, on whichever machine.
    key = key_of(frames=[frames.path(place).name for place in range(len(frames.names))], **reckoned_from)
    grows = settings.grows or (grows_by_optics(settings.rig, focus_ring=None) if settings.rig else None)
    growth = (grows.low_per_mm * step_um / 1e3, grows.high_per_mm * step_um / 1e3) if grows and step_um else None
    taken_over = (read_survey(folder / SURVEY, key) for folder in earlier or ())
    found = next((one for one in taken_over if one and one.growth.within(growth) == one.growth), None) or survey(
        frames, **reckoned_from, growth=growth, progress=progress
    )
    if optics and depths_um is not None:
        found = replace(found, gaps=_where_nothing_is_sharp(found, depths_um, optics.sharp_depth_um.total))
    at, unit = _frame_depths(found, settings, depths_um)
    give_back()  # what looking at the frames took: merging them is the peak
    merged = merge(frames, found, style_of(found, settings, depths_um), progress=progress)
    um_per_px = settings.um_per_px or (optics.pixel_um if optics else None)
    progress("save", 0, 1)
    with folder_in_one_piece(out) as scratch:
        reference = frames.path(found.reference)
        write_composite(
            scratch / "composite.tif",
            merged.composite,
            colour_profile=colour_profile(reference),
            exif=exif_of(reference),
            um_per_px=um_per_px,
        )
        depth, u = depth_between(merged.depth_frames, merged.depth_u_frames, at)
        write_depth(scratch / "depth.tif", depth, unit=unit, um_per_px=um_per_px)
        write_depth(scratch / "depth_u.tif", u, unit=unit, um_per_px=um_per_px, uncertainty=True)
        spread = depth_spread(depth)
        told = findings(found, merged.share, frames.names)
        report = {
            **_report(frames, left_out, found, merged, settings, at, unit),
            "findings": [_finding(one, frames.names, um_per_px) for one in told],
            "scale": _scale(settings, um_per_px),
            "growth": _growth(found, step_um, grows),
            "warnings": [
                *(f"alignment doubtful: {one.do}." for one in told if one.kind == "alignment"),
                *(_counted_steps(found) if depths_um is None else []),
            ],
            "seconds": round(time.monotonic() - started, 3),
            "version": __version__,
        }
        report["made_from"] = recipe(frames.names, left_out, settings, depths_um, depth_from, numbers)
        report["depth_um"] = round(spread[1] - spread[0], 3) if spread and unit == "µm" else None
        report["settings"]["depth_from"] = depth_from or ("step given" if settings.step_um is not None else None)
        write_json(scratch / "report.json", report)
        if earlier is not None:
            write_survey(scratch / SURVEY, found, key)
    progress("save", 1, 1)
    return report


def _where_nothing_is_sharp(found: Survey, depths_um: Sequence[float], sharp_um: float) -> tuple[tuple[int, int], ...]:
    """Gaps between frames whose sharp depths do not meet: a rung less in a very fine ladder is no loss."""
    return tuple((one, two) for one, two in found.gaps if abs(depths_um[two] - depths_um[one]) > sharp_um)


def grows_by_optics(rig: Rig, *, focus_ring: bool | None) -> Grows | None:
    """What a rig's optics allow, either way; None where they tell no limit, or do not for one of two ways to focus."""
    optics = resolve(rig)
    rings = (False, True) if focus_ring is None else (focus_ring,)
    limits = [growth_limit(rig, optics, focus_ring=ring) for ring in rings]
    told = [limit for limit in limits if limit]
    if len(told) < len(limits):
        return None
    widest = max(told, key=lambda limit: limit.per_mm)
    return Grows(-widest.per_mm, widest.per_mm, widest.basis)


def _growth(found: Survey, step_um: float | None, grows: Grows | None) -> dict[str, Any] | None:
    """The picture's growth a mm of depth, and the limits it was held to; None where depth is in no µm."""
    if not step_um:
        return None
    # Of frames that were shot far first, the picture grows the other way.
    per_mm = 1e3 / step_um * (1.0 if found.near_first else -1.0)
    one = found.growth
    return {
        "per_mm": round(one.per_step * per_mm, 6),
        "u_per_mm": round(one.u_per_step * abs(per_mm), 6),
        "seen_per_mm": None if one.seen is None else round(one.seen * per_mm, 6),
        "limits_per_mm": [grows.low_per_mm, grows.high_per_mm] if grows else None,
        "limits_from": grows.basis if grows else None,
    }


def style_of(found: Survey, settings: MergeSettings, depths_um: Sequence[float] | None) -> Style:
    """The settings as the merge of these surveyed frames takes them. Raises BadInput for what cannot be used."""
    at, _ = _frame_depths(found, settings, depths_um)
    return Style(settings.checked(), settings.window_px, settings.calm, _sharp(found, settings, at))


def _check_size(settings: MergeSettings, frames: StoredFrames) -> None:
    """A rig speaks of whole frames of its own sensor. Raises BadInput for others."""
    if settings.rig is None:
        return
    sensor, (height, width) = settings.rig.sensor, frames.shape
    if (sensor.width_px, sensor.height_px) != (width, height):
        raise BadInput(
            f"the frames have {width} × {height} px, the rig's sensor {sensor.width_px} × {sensor.height_px}: a rig "
            "says nothing of cropped or smaller frames. Leave it away, and give the scale if you know it",
            field="rig",
        )


def _frame_depths(
    found: Survey, settings: MergeSettings, depths_um: Sequence[float] | None
) -> tuple[NDArray[np.float64], str]:
    """Depths of the used frames below the nearest of them, nearest first, and their unit."""
    if depths_um is not None:
        used = np.array([depths_um[i] for i in found.used], np.float64)
        return np.asarray(used - used[0], np.float64), "µm"
    places = np.array(found.places, np.float64)
    steps = places if found.near_first else places[-1] - places[::-1]
    return (steps, "frames") if settings.step_um is None else (steps * settings.step_um, "µm")


def _sharp(found: Survey, settings: MergeSettings, at_um: NDArray[np.float64]) -> tuple[int, int] | None:
    """First and last used frame, as shot, of what shall be sharp. Raises BadInput where that means nothing."""
    near, far = settings.sharp_near_um, settings.sharp_far_um
    if not settings.has_range:
        return None
    low, high = at_um[0] if near is None else near, at_um[-1] if far is None else far
    first, last = (int(np.argmin(np.abs(at_um - edge))) for edge in (low, high))
    if low >= high or first >= last:
        raise BadInput(
            f"nothing lies between {low:g} and {high:g} µm: the frames reach from 0 to {at_um[-1]:g} µm",
            field="sharp_far_um",
        )
    end = len(found.used) - 1
    return (first, last) if found.near_first else (end - last, end - first)


def _counted_steps(found: Survey) -> list[str]:
    """A warning where depth rests on steps at which no frame tells that they were any."""
    passed = round(found.places[-1]) + 1 - len(found.used)
    if not passed:
        return []
    what = "a frame that was left out as a step" if passed == 1 else f"{passed} frames that were left out as steps"
    return [f"depth counts {what}: take files that were none out of the folder, or give positions."]


def _finding(one: Finding, names: Sequence[str], um_per_px: float | None) -> dict[str, Any]:
    side = max(one.width, one.height)
    return {
        "kind": one.kind, "x": one.x, "y": one.y, "width": one.width, "height": one.height,
        "files": [names[frame] for frame in one.frames],
        "size": side if um_per_px is None else round(side * um_per_px, 3), "unit": "px" if um_per_px is None else "µm",
        "do": one.do,
    }  # fmt: skip


def _scale(settings: MergeSettings, um_per_px: float | None) -> dict[str, Any] | None:
    """The scale and what it rests on; its uncertainty is known only where somebody measured it."""
    if um_per_px is None:
        return None
    source = "given" if settings.um_per_px else "computed from the rig"
    return {"um_per_px": um_per_px, "u_um_per_px": None, "source": source}


def _report(
    frames: StoredFrames,
    left_out: Sequence[LeftOut],
    found: Survey,
    merged: Merged,
    settings: MergeSettings,
    depths: NDArray[np.float64],
    depth_unit: str,
) -> dict[str, Any]:
    names = [frames.names[i] for i in found.used]
    x, y, width, height = found.crop
    all_out = [*left_out, *(LeftOut(one.name, one.reason) for one in found.excluded)]
    known = merged.depth_frames[y : y + height, x : x + width]
    return {
        "reference_frame": frames.names[found.reference],
        "frames_used": names,
        "excluded": [{"file": one.name, "reason": one.reason} for one in all_out],
        "crop": {"x": x, "y": y, "width": width, "height": height},
        "registration": [
            {
                "file": name,
                "matrix": np.round(matrix, 8).tolist(),
                "rms_px": round(rms, 4),
                "u_px": round(corner, 3),
                "gain": round(gain, 5),
                "depth": round(float(depth), 4),
            }
            for name, matrix, rms, corner, gain, depth in zip(
                names,
                found.matrices,
                found.rms_px,
                found.corner_px,
                found.gains,
                depths if found.near_first else depths[::-1],
                strict=True,
            )
        ],
        "blur_between_px": None if found.blur_px is None else round(found.blur_between_px, 2),
        "coverage": {
            "gaps": [{"after_frame": frames.names[a], "before_frame": frames.names[b]} for a, b in found.gaps],
            "depth_known": round(float(np.isfinite(known).mean()), 4),
        },
        "share": {name: round(share, 6) for name, share in zip(names, merged.share, strict=True)},
        "method": settings.method,
        "gave": {method: round(share, 4) for method, share in merged.gave.items()},
        "settings": {
            "method": settings.method,
            "window_px": settings.window_px,
            "calm": settings.calm,
            "sharp_near_um": settings.sharp_near_um,
            "sharp_far_um": settings.sharp_far_um,
            "moved": settings.moved,
            "exclude": list(settings.exclude),
            "order": "near-first" if found.near_first else "far-first",
            "order_from": found.order_basis,
            "step_um": settings.step_um,
            "um_per_px": settings.um_per_px,
            "depth_unit": depth_unit,
        },
    }
