"""Merges that overlap, laid together in one picture and depth map: a result like any other, with its seams told."""

import time
from collections.abc import Callable, Sequence
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder import __version__
from amber_ladder.core.frames import Progress
from amber_ladder.core.tiles import (
    Overlap,
    Perspective,
    Placed,
    Tile,
    bounds,
    depth_around,
    even_depths,
    even_light,
    inner_box,
    laid_rows,
    match,
    place,
    with_depths,
)
from amber_ladder.errors import BadInput
from amber_ladder.formats.files import folder_in_one_piece
from amber_ladder.formats.results import open_composite, open_floats, read_depth, write_json
from amber_ladder.formats.tile_set_json import TileSetJson
from amber_ladder.work.on_disk.merge_result import MergeResult, read_merge

_SCALES_APART = 0.01
_LEAST_SHARED = 0.03  # of a tile's side: less is no overlap
_SIDE_BY_SIDE = 0.4  # of a tile's side, that two share along their seam: corners alone tell little
_WELL_PX = 0.5  # a seam that is left over more is said
_MOST_PX = 4_000_000_000
_INSET_PX = 2
_GROWS_PER_UM = 2e-5  # how a picture changes with depth where no merge tells: usual of lenses, either way
_LEAST_U_PER_UM = 2e-6
_ALIGNED_PX = (0.5, 20.0)  # the least and the most that an alignment is thought to be off


def lay_tiles(entry: TileSetJson, base: Path, out: Path, progress: Progress) -> dict[str, Any]:
    """Lay merges together, as TILES.json has it, and write composite, depth and report to ``out``, all or nothing.

    Folders are found from ``base`` on. Returns the report. Raises BadInput, which names the tile.
    """
    return lay([_merge(base / name, number) for number, name in enumerate(entry.results)], entry, out, progress)


def lay(
    merges: list[MergeResult], entry: TileSetJson, out: Path, progress: Progress, *, also: Sequence[str] = ()
) -> dict[str, Any]:
    """The same with merges that were read; ``entry.results`` are their names, ``also`` more to be warned of."""
    began = time.monotonic()
    um_per_px = _common(merges, entry)
    shape = (int(merges[0].composite.shape[0]), int(merges[0].composite.shape[1]))
    said = entry.said_px(shape, um_per_px)
    depths = [read_depth(one.folder / "depth.tif") for one in merges]
    unit = {str((one.report.get("settings") or {}).get("depth_unit") or "frames") for one in merges}
    overlaps = _overlaps(merges, depths, said, shape, entry.off, progress)
    added, u_added, left = even_depths(depths, overlaps)
    at_um, seen = _seen_from(merges, depths, added, unit)
    placed = place(shape, said, with_depths(overlaps, depths, added, at_um) if seen else overlaps, seen)
    gains = even_light([one.composite for one in merges], placed.matrices, overlaps)
    warnings = [*_warnings(entry, merges, placed, added, unit), *also]
    boxes = [_box(one) for one in merges]
    _, _, width, height = bounds(placed.matrices, boxes)
    if width * height > _MOST_PX:
        raise BadInput(f"together they are {width} × {height} px: more than a file should hold", field="results")
    report = _report(
        entry,
        merges,
        placed,
        gains,
        added,
        u_added,
        left,
        um_per_px,
        boxes,
        sorted(unit),
        warnings,
        at_um if seen else None,
    )
    # Depth is as sure as the tile's own, and as its zero.
    depth_us = [np.hypot(_depth_u(one, shape), np.float32(u)) for one, u in zip(merges, u_added, strict=True)]
    tiles = [
        Tile(one.composite, depths[n], depth_us[n], boxes[n], placed.matrices[n], placed.deeper[n], float(gains[n]),
             float(added[n]), at_um)
        for n, one in enumerate(merges)
    ]  # fmt: skip
    with folder_in_one_piece(out) as scratch:
        picture = open_composite(scratch / "composite.tif", (height, width, 3), merges[0].composite.dtype, um_per_px)
        planes = [
            open_floats(scratch / name, (height, width), f"{what}, {' or '.join(sorted(unit))}", um_per_px)
            for name, what in (("depth.tif", "Depth"), ("depth_u.tif", "Standard uncertainty of depth"))
        ]
        known, nearest, farthest = 0, np.inf, -np.inf
        for part in laid_rows(tiles, progress=lambda done, total: progress("save", done, total)):
            rows = slice(part.top, part.top + part.composite.shape[0])
            picture[rows], planes[0][rows], planes[1][rows] = part.composite, part.depth, part.depth_u
            told = part.depth[np.isfinite(part.depth)]
            if told.size:
                known += told.size
                nearest, farthest = min(nearest, float(told.min())), max(farthest, float(told.max()))
        for one in (picture, *planes):
            one.flush()
        report["coverage"] = {"depth_known": round(known / (width * height), 4), "gaps": []}
        report["depth_um"] = round(farthest - nearest, 3) if known and unit == {"µm"} else None
        report["seconds"] = round(time.monotonic() - began, 2)
        write_json(scratch / "report.json", report)
    return report


def _merge(folder: Path, number: int) -> MergeResult:
    try:
        return read_merge(folder)
    except BadInput as error:
        raise BadInput(f"tile {number + 1}: {error}", field=f"results.{number}") from error


def _common(merges: list[MergeResult], entry: TileSetJson) -> float | None:
    """The scale that all of them have, µm/px; None where none is known. Raises BadInput where they differ."""
    first = merges[0]
    scales = []
    for number, one in enumerate(merges):
        told = f"tile {number + 1} ({one.folder.name})"
        if one.composite.shape != first.composite.shape or one.composite.dtype != first.composite.dtype:
            raise BadInput(f"{told} has another size or depth of colour than the first one", field=f"results.{number}")
        scales.append((one.report.get("scale") or {}).get("um_per_px"))
        if scales[-1] and scales[0] and abs(scales[-1] / scales[0] - 1) > _SCALES_APART:
            raise BadInput(
                f"{told} has {scales[-1]:.4g} µm/px and the first one {scales[0]:.4g}: tiles are shot with one rig",
                field=f"results.{number}",
            )
    known = [float(one) for one in scales if one]
    if entry.places_um is not None and not known:
        raise BadInput("no scale is known, so places in µm tell nothing: merge with --um-per-px", field="places_um")
    return float(np.median(known)) if len(known) == len(scales) else None


def _overlaps(
    merges: list[MergeResult], depths: list[NDArray[np.float32]], said: NDArray[np.float64], shape: tuple[int, int],
    off: float, progress: Progress,
) -> list[Overlap]:  # fmt: skip
    pairs = [
        (i, j) for i in range(len(said)) for j in range(i + 1, len(said)) if _side_by_side(said[j] - said[i], shape)
    ]

    @lru_cache(maxsize=8)
    def grey(number: int) -> NDArray[np.uint8]:
        picture = merges[number].composite
        if picture.dtype == np.uint16:
            picture = (picture >> 8).astype(np.uint8)
        return np.asarray(cv2.cvtColor(np.ascontiguousarray(picture), cv2.COLOR_RGB2GRAY), np.uint8)

    found = []
    for done, (i, j) in enumerate(pairs):
        progress("register", done, len(pairs))
        found.append(Overlap(i, j, match(
            grey(i), grey(j), said[j] - said[i], off * max(shape), partial(depth_around, depths[i])
        )))  # fmt: skip
    progress("register", len(pairs), len(pairs))
    return found


def _seen_from(
    merges: list[MergeResult], depths: list[NDArray[np.float32]], added: NDArray[np.float64], unit: set[str]
) -> tuple[float, Perspective | None]:
    """The depth that all matrices hold at, and how pictures change with depth; None where depth is in no µm."""
    ends = [np.nanquantile(one, (0.02, 0.98)) + more for one, more in zip(depths, added, strict=True)
            if np.isfinite(more) and np.isfinite(one).any()]  # fmt: skip
    if unit != {"µm"} or not ends:
        return 0.0, None
    low, high = min(one[0] for one in ends), max(one[1] for one in ends)
    told = [one.report["growth"] for one in merges if one.report.get("growth")]
    per_um = float(np.median([one["per_mm"] for one in told])) / 1e3 if told else 0.0
    u = max(float(np.median([one["u_per_mm"] for one in told])) / 1e3, _LEAST_U_PER_UM) if told else _GROWS_PER_UM
    aligned = np.array([_aligned_px(one) for one in merges])
    return float(low + high) / 2, Perspective(per_um, u, max(float(high - low) / 2, 1.0), aligned)


def _aligned_px(merge: MergeResult) -> float:
    """What the alignment of a tile's frames may be off at its corners, as its own report tells."""
    told = [float(one["u_px"]) for one in merge.report["registration"] if one.get("u_px") is not None]
    return float(np.clip(np.quantile(told, 0.9), *_ALIGNED_PX)) if told else _ALIGNED_PX[0]


def _side_by_side(shift: NDArray[np.float64], shape: tuple[int, int]) -> bool:
    shared = 1.0 - np.abs(shift) / np.array([shape[1], shape[0]], np.float64)
    return bool(shared.min() > _LEAST_SHARED and shared.max() > _SIDE_BY_SIDE)


def _box(merge: MergeResult) -> tuple[int, int, int, int]:
    """What of a tile is used: what all of its frames share, but its very border."""
    crop = merge.report["crop"]
    return (
        int(crop["x"]) + _INSET_PX, int(crop["y"]) + _INSET_PX,
        int(crop["width"]) - 2 * _INSET_PX, int(crop["height"]) - 2 * _INSET_PX,
    )  # fmt: skip


def _depth_u(merge: MergeResult, shape: tuple[int, int]) -> NDArray[np.float32]:
    beside = merge.folder / "depth_u.tif"
    return read_depth(beside) if beside.is_file() else np.full(shape, np.nan, np.float32)


def _doubtful(merge: MergeResult) -> bool:
    return any(one["kind"] == "alignment" for one in merge.report.get("findings", []))


def _warnings(
    entry: TileSetJson, merges: list[MergeResult], placed: Placed, added: NDArray[np.float64], unit: set[str]
) -> list[str]:
    told = []
    name: Callable[[int], str] = lambda number: Path(entry.results[number]).name  # noqa: E731
    for number, tied in enumerate(placed.tied):
        if not tied:
            told.append(f"{name(number)} shows nothing that its neighbours show: it lies where it was said to")
        elif np.isnan(added[number]):
            told.append(f"{name(number)} shares no known depth with its neighbours: its depth is left out")
    told += [
        f"the seam of {name(seam.first)} and {name(seam.second)} is {seam.rms_px:.1f} px off"
        for seam in placed.seams
        if seam.rms_px is not None and seam.rms_px > _WELL_PX
    ]
    doubtful = [name(n) for n, one in enumerate(merges) if _doubtful(one)]
    if doubtful:
        told.append(f"the alignment of its own frames is doubtful in {', '.join(doubtful)}: look at the merge of it")
    if unit != {"µm"}:
        told.append("depth is in frames, not in µm: lay only tiles of one step together")
    return told


def _report(
    entry: TileSetJson, merges: list[MergeResult], placed: Placed, gains: NDArray[np.float64],
    added: NDArray[np.float64], u_added: NDArray[np.float64], left: NDArray[np.float64], um_per_px: float | None,
    boxes: list[tuple[int, int, int, int]], unit: list[str], warnings: list[str], at_um: float | None,
) -> dict[str, Any]:  # fmt: skip
    def number(value: float, places: int = 4) -> float | None:
        return round(float(value), places) if np.isfinite(value) else None

    anchor = placed.anchor
    x, y, _, _ = bounds(placed.matrices, boxes)
    shift = np.array([[0, 0, x], [0, 0, y]])
    return {
        "laid": True,
        "crop": dict(zip(("x", "y", "width", "height"), inner_box(placed.matrices, boxes), strict=True)),
        "growth": merges[anchor].report.get("growth"),
        "step_um": _step_um(merges),
        "matrices_at_um": None if at_um is None else round(at_um, 3),
        "frames_used": [],
        "excluded": [],
        "share": {},
        "findings": _findings(entry, placed, boxes),
        "reference_frame": entry.results[anchor],
        "registration": [
            {"file": one, "depth": number(_reference_depth(merges[n]) + added[n], 3),
             "matrix": (placed.matrices[n] - shift).round(6).tolist(), "gain": number(gains[n]),
             "tied": placed.tied[n], "u_px": number(placed.corner_px[n]), "depth_added": number(added[n], 3),
             "u_depth_added": number(u_added[n], 3),
             "depth_left": number(left[n], 3),
             "matrix_a_um_deeper": None if at_um is None else placed.deeper[n].round(9).tolist()}
            for n, one in enumerate(entry.results)
        ],
        "seams": [
            {"first": entry.results[one.first], "second": entry.results[one.second],
             "rms_px": None if one.rms_px is None else number(one.rms_px), "points": one.points}
            for one in placed.seams
        ],
        "method": "tiles",
        "settings": {"depth_unit": unit[0] if len(unit) == 1 else "frames", "um_per_px": um_per_px,
                     **entry.model_dump(exclude={"results"})},
        "scale": {**(merges[anchor].report.get("scale") or {}), "um_per_px": um_per_px} if um_per_px else None,
        "warnings": warnings,
        "version": __version__,
    }  # fmt: skip


def _findings(entry: TileSetJson, placed: Placed, boxes: list[tuple[int, int, int, int]]) -> list[dict[str, Any]]:
    """Places to look at: seams that are off, and those where nothing tells how the tiles lie."""
    left, top, _, _ = bounds(placed.matrices, boxes)
    found = []
    for seam in placed.seams:
        if seam.rms_px is not None and seam.rms_px <= _WELL_PX:
            continue
        one, other = (bounds([placed.matrices[n]], [boxes[n]]) for n in (seam.first, seam.second))
        x, y = max(one[0], other[0]), max(one[1], other[1])
        width, height = min(one[0] + one[2], other[0] + other[2]) - x, min(one[1] + one[3], other[1] + other[3]) - y
        if width <= 0 or height <= 0:
            continue
        found.append({
            "kind": "seam", "x": x - left, "y": y - top, "width": width, "height": height, "unit": "px",
            "files": [entry.results[seam.first], entry.results[seam.second]],
            "size": round(seam.rms_px or 0.0, 2),
            "do": "Look whether lines run on across it. If not, merge both tiles again, or shoot one with more overlap."
            if seam.rms_px is not None
            else "Nothing here ties the two: they lie where the stage was said to stand. Measure no length across it.",
        })  # fmt: skip
    return found


def _reference_depth(merge: MergeResult) -> float:
    """How deep the frame lies that a tile's picture goes by, as the tile itself counts."""
    named = merge.report.get("reference_frame")
    return float(next((one.get("depth", 0.0) for one in merge.report["registration"] if one["file"] == named), 0.0))


def _step_um(merges: list[MergeResult]) -> float | None:
    """How far the tiles' frames lie apart, µm in the specimen; None where none tells."""
    depths = (sorted(float(one.get("depth", 0.0)) for one in merge.report["registration"]) for merge in merges)
    steps = [float(np.median(np.diff(one))) for one in depths if len(one) > 1]
    return round(float(np.median(steps)), 4) if steps else None
