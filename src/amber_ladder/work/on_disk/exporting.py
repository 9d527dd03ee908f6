"""The result of a merge in the formats that others read."""

from io import BytesIO
from pathlib import Path
from typing import Any, Literal

import cv2
import numpy as np
from PIL import Image

from amber_ladder.core.measuring import anaglyph, relief, rocking, scale_bar
from amber_ladder.errors import BadInput
from amber_ladder.formats.exports import eight_bits, picture_file, with_bar
from amber_ladder.formats.files import file_in_one_piece, folder_in_one_piece
from amber_ladder.formats.measures_json import ScaleJson
from amber_ladder.formats.pictures import colour_profile
from amber_ladder.formats.results import read_depth, rescaled_depth, write_ome
from amber_ladder.pages import PAGES
from amber_ladder.work.on_disk.measuring import instrument_of
from amber_ladder.work.on_disk.merge_result import MergeResult, read_merge

ExportKind = Literal["ome-tiff", "png", "jpeg", "depth-tiff", "ply", "gltf", "iiif", "anaglyph", "rocking-film"]
_MOST_CORNERS = 1_000_000
_ANAGLYPH_PX, _FILM_PX = 4000, 960
_FILM_FRAMES, _FILM_MS, _FILM_DEG = 36, 70, 6.0


def export(
    result: Path,
    kind: ExportKind,
    out: Path,
    *,
    um_per_px: float | None = None,
    bar: bool = False,
    address: str | None = None,
) -> dict[str, Any]:
    """Write a merge's folder as ``kind`` to ``out``, all or nothing; returns what was written.

    ``address`` is the one at which a folder for a web site will be given out; without it that is this machine's own.

    Raises:
        BadInput: what it needs is not known, or ``out`` cannot be written.
        StorageFull: no room.
    """
    merge = read_merge(result)
    scale = um_per_px or (merge.report.get("scale") or {}).get("um_per_px")
    if bar and kind not in ("png", "jpeg"):
        raise BadInput(f"a scale bar is drawn into a PNG or JPEG, not into {kind}", field="bar")
    if bar and scale is None:
        raise BadInput("a scale bar needs a scale: give --um-per-px", field="um_per_px")
    if address and kind != "iiif":
        raise BadInput(f"only a folder for a web site (iiif) needs an address, {kind} does not", field="address")
    if address and not address.startswith(("http://", "https://")):
        raise BadInput(f"{address} is no address: it begins with https://", field="address")
    if out.resolve() == result.resolve() or result.resolve() in out.resolve().parents:
        raise BadInput("an export cannot go into the folder of the merge: name another place", field="out")
    if kind == "iiif":
        base = address.rstrip("/") if address else f"http://localhost/{out.name}"
        _iiif(merge, out, scale, base)
        return {"as": kind, "out": str(out), "um_per_px": scale, "manifest": f"{base}/manifest.json"}
    with file_in_one_piece(out) as scratch:
        _write(merge, kind, scratch, scale, bar)
    return {"as": kind, "out": str(out), "um_per_px": scale}


def _write(merge: MergeResult, kind: ExportKind, path: Path, scale: float | None, bar: bool) -> None:
    match kind:
        case "png" | "jpeg":
            _picture(merge, kind, path, scale, bar)
        case "depth-tiff":
            rescaled_depth(merge.folder / "depth.tif", path, um_per_px=scale)
        case "ome-tiff":
            unit = (merge.report.get("settings") or {}).get("depth_unit", "frames")
            planes = {f"depth, {unit}": "depth.tif", f"standard uncertainty of depth, {unit}": "depth_u.tif"}
            there = {name: merge.folder / file for name, file in planes.items() if (merge.folder / file).is_file()}
            write_ome(path, merge.composite, {name: read_depth(file) for name, file in there.items()}, scale)
        case "ply" | "gltf":
            _mesh(merge, "ply" if kind == "ply" else "gltf", path, scale)
        case "anaglyph" | "rocking-film":
            path.write_bytes(seen_aside(merge, kind, scale))


def _picture(merge: MergeResult, kind: ExportKind, path: Path, scale: float | None, bar: bool) -> None:
    picture = np.asarray(merge.composite)
    drawn = None
    if bar and scale:
        drawn = with_bar(picture, scale_bar(picture.shape[1], scale), "", pages=PAGES)
    content = picture_file(
        picture if drawn is None else drawn,
        "PNG" if kind == "png" else "JPEG",
        um_per_px=scale,
        colour_profile=colour_profile(merge.folder / "composite.tif"),
    )
    path.write_bytes(content)


def _mesh(merge: MergeResult, kind: Literal["ply", "gltf"], path: Path, scale: float | None) -> None:
    from amber_ladder.formats.meshes import write_mesh  # takes a second to load

    given = None if scale is None else ScaleJson(um_per_px=scale)
    instrument = instrument_of(merge, scale=given, medium=None).instrument
    if instrument.depth_um is None:
        raise BadInput("nothing is known of depth in µm here: merge with steps or positions", field="result")
    surface = relief(instrument, most_corners=_MOST_CORNERS)
    if not len(surface.triangles):
        raise BadInput("no depth is known in this merge: there is no surface", field="result")
    x, y = surface.places.T
    colours = eight_bits(merge.composite[y, x])
    write_mesh(path, kind, surface.corners_um / 1e3, surface.triangles, colours)


def seen_aside(merge: MergeResult, kind: Literal["anaglyph", "rocking-film"], scale: float | None) -> bytes:
    """A merge to look at with red and cyan glasses, as a PNG, or as a film that rocks to and fro, as a WebP.

    Both are for the eyes: where depth is unknown that of what is beside it is taken. Raises BadInput without a depth.
    """
    given = None if scale is None else ScaleJson(um_per_px=scale)
    known = instrument_of(merge, scale=given, medium=None).instrument
    if known.depth_um is None or not np.isfinite(known.depth_um).any():
        raise BadInput("nothing is known of depth in µm here: merge with steps or positions", field="result")
    largest = _ANAGLYPH_PX if kind == "anaglyph" else _FILM_PX
    every = max(1, -(-max(known.shape) // largest))
    eight = eight_bits(merge.composite)
    depth = np.ascontiguousarray(known.depth_um[::every, ::every])
    size = depth.shape[1], depth.shape[0]
    small = np.asarray(cv2.resize(eight, size, interpolation=cv2.INTER_AREA) if every > 1 else eight, np.uint8)
    if kind == "anaglyph":
        shown, _ = anaglyph(small, depth, known.um_per_px * every)
        return picture_file(shown, "PNG", um_per_px=known.um_per_px * every)
    views = rocking(small, depth, known.um_per_px * every, frames=_FILM_FRAMES, angle_deg=_FILM_DEG)
    first, *others = (Image.fromarray(one) for one in views)
    file = BytesIO()
    first.save(file, "WEBP", save_all=True, append_images=others, duration=_FILM_MS, loop=0, quality=85)
    return file.getvalue()


def _iiif(merge: MergeResult, out: Path, scale: float | None, base: str) -> None:
    from amber_ladder.formats.iiif import write_iiif

    if out.exists():
        raise BadInput(f"{out} is there already: name a new folder", field="out")
    with folder_in_one_piece(out) as scratch:
        profile = colour_profile(merge.folder / "composite.tif")
        write_iiif(scratch, merge.composite, name=merge.folder.name, um_per_px=scale, base=base, colour_profile=profile)
