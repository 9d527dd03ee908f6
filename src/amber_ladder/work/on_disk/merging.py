"""Merging frames on the disk into a folder of results: shared by the command line and the worker."""

import time
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from amber_ladder import __version__
from amber_ladder.core.depth import depth_spread
from amber_ladder.core.frames import Progress
from amber_ladder.core.fusion import METHODS, Merged, Method, Order, Survey, merge, survey
from amber_ladder.errors import BadInput
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.pictures import LeftOut, StoredFrames, colour_profile, frames_in
from amber_ladder.formats.results import write_composite, write_depth, write_json

_DOUBTFUL_PX = 0.5
_GIVES = 0.5  # share of the picture, of what each frame would give if all gave alike
RESULTS = ("composite.tif", "depth.tif", "report.json")


@dataclass(frozen=True, slots=True)
class MergeSettings:
    """How to merge. ``step_um`` turns frame numbers into µm in the medium; ``um_per_px`` goes into the TIFF."""

    method: str = "auto"
    order: Order = "auto"
    step_um: float | None = None
    um_per_px: float | None = None

    def chosen(self) -> Method:
        """The method itself; ``auto`` is pyramid, which alone keeps bristles that cross. Raises BadInput."""
        if self.method == "auto":
            return "pyramid"
        for method in METHODS:
            if method == self.method:
                return method
        raise BadInput(
            f"no merge method is called {self.method!r}: choose one of auto, {', '.join(METHODS)}",
            field="method",
        )


def merge_folder(folder: Path, out: Path, settings: MergeSettings, progress: Progress) -> dict[str, Any]:
    """Merge a folder of frames into ``out`` and return the report. Raises BadInput, StorageFull."""
    if out.resolve() == folder.resolve():
        raise BadInput("the results cannot go into the folder of the originals: name another", field="out")
    settings.chosen()
    frames, left_out = frames_in(folder)
    return merge_frames(frames, left_out, out, settings, progress)


def merge_frames(
    frames: StoredFrames,
    left_out: Sequence[LeftOut],
    out: Path,
    settings: MergeSettings,
    progress: Progress,
    *,
    depths_um: Sequence[float] | None = None,
    depth_from: str | None = None,
) -> dict[str, Any]:
    """Merge frames into ``out``: composite.tif, depth.tif, report.json, all or nothing.

    ``depths_um`` are the frames' depths in the medium where they are known, rising: then frames come nearest first,
    and depth is exact even where rungs are missing. ``depth_from`` says what they rest on. Without them, frames come
    in the order in which they were shot.
    """
    started = time.monotonic()
    method = settings.chosen()
    order = settings.order
    if depths_um is not None:
        order = "near-first"
    found = survey(frames, order=order, positions_um=depths_um, progress=progress)
    merged = merge(frames, found, method, progress=progress)
    progress("save", 0, 1)
    with folder_in_one_piece(out) as scratch:
        profile = colour_profile(frames.path(found.reference))
        write_composite(
            scratch / "composite.tif", merged.composite, colour_profile=profile, um_per_px=settings.um_per_px
        )
        depth, unit = _depth(merged, found, settings, depths_um)
        write_depth(scratch / "depth.tif", depth, unit=unit, um_per_px=settings.um_per_px)
        spread = depth_spread(depth)
        report = _report(frames, left_out, found, merged, settings, method, unit, time.monotonic() - started)
        report["depth_um"] = round(spread[1] - spread[0], 3) if spread and unit == "µm" else None
        report["settings"]["depth_from"] = depth_from or ("step given" if settings.step_um is not None else None)
        write_json(scratch / "report.json", report)
    progress("save", 1, 1)
    return report


def _depth(
    merged: Merged, found: Survey, settings: MergeSettings, depths_um: Sequence[float] | None
) -> tuple[Any, str]:
    frames = merged.depth_frames
    if depths_um is not None:
        used = np.asarray([depths_um[i] for i in found.used], np.float64)
        # np.interp would turn NaN into a number at the ends; it is put back.
        depth = np.interp(frames, np.arange(len(used)), used - used[0]).astype(np.float32)
        depth[np.isnan(frames)] = np.nan
        return depth, "µm"
    if settings.step_um is not None:
        return frames * np.float32(settings.step_um), "µm"
    return frames, "frames"


def _report(
    frames: StoredFrames,
    left_out: Sequence[LeftOut],
    found: Survey,
    merged: Merged,
    settings: MergeSettings,
    method: Method,
    depth_unit: str,
    seconds: float,
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
            }
            for name, matrix, rms, corner, gain in zip(
                names, found.matrices, found.rms_px, found.corner_px, found.gains, strict=True
            )
        ],
        "coverage": {
            "gaps": [{"after_frame": frames.names[a], "before_frame": frames.names[b]} for a, b in found.gaps],
            "depth_known": round(float(np.isfinite(known).mean()), 4),
        },
        "share": {name: round(share, 6) for name, share in zip(names, merged.share, strict=True)},
        "method": method,
        "settings": {
            "method": settings.method,
            "order": "near-first" if found.near_first else "far-first",
            "order_from": found.order_basis,
            "step_um": settings.step_um,
            "um_per_px": settings.um_per_px,
            "depth_unit": depth_unit,
        },
        "warnings": _warnings(names, found, merged),
        "seconds": round(seconds, 3),
        "version": __version__,
    }


def _warnings(names: Sequence[str], found: Survey, merged: Merged) -> list[str]:
    """What should make a person look at the alignment: of frames that gave something to the picture only."""
    if found.blur_px is None:
        return [
            "alignment doubtful: too little is in focus to tell movement from focus. Compare the picture with single "
            "frames."
        ]
    doubtful = [
        name
        for name, corner, share in zip(names, found.corner_px, merged.share, strict=True)
        if corner > _DOUBTFUL_PX and share > _GIVES / len(names)
    ]
    if not doubtful:
        return []
    return [
        f"alignment doubtful: {len(doubtful)} frames lie no surer than ± {_DOUBTFUL_PX:g} px at the corners "
        f"({', '.join(doubtful[:4])}{' …' if len(doubtful) > 4 else ''}). Compare the picture with them there."
    ]
