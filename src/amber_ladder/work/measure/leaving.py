"""Measures as they leave the house: tables, JSON, a profile, and the picture with them on it."""

from dataclasses import asdict
from typing import Any, Literal

import cv2
import numpy as np
from numpy.typing import NDArray

from amber_ladder import __version__
from amber_ladder.core.measuring import KINDS, PARTS
from amber_ladder.errors import BadInput
from amber_ladder.formats.drawn_measures import DrawnMeasure, measures_svg, with_measures
from amber_ladder.formats.exports import csv_table, eight_bits, picture_file
from amber_ladder.formats.pictures import colour_profile
from amber_ladder.pages import PAGES
from amber_ladder.settings import settings
from amber_ladder.store import measures
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Product
from amber_ladder.work.measure.instruments import finished
from amber_ladder.work.measure.measures import MeasureView, ToldView, TriedEntry, measuring, tried
from amber_ladder.work.on_disk.exporting import seen_aside
from amber_ladder.work.on_disk.merge_result import read_merge
from amber_ladder.work.stack.naming import file_stem
from amber_ladder.work.stack.scale import scale_of_merge

_PLACE_PX, _PLACE_LINES_PX = 360, 28


def measures_csv(merge_id: int) -> tuple[str, str]:
    """All measures of a merge as a table, and its file's name. Raises NotFound."""
    found = measuring(merge_id)
    head = ["number", "name", "kind", "value", "unit", "U", "k", "depth known",
            *(f"{part}, share of variance" for part in PARTS), "picks", "picked by", "points px", "notes"]  # fmt: skip
    return csv_table(head, [_row(one) for one in found.measures]), f"{_stem(merge_id)}_measures.csv"


def _row(one: MeasureView) -> list[object]:
    share = {line.part: line.share for line in one.told.parts}
    people = sorted({pick.by for pick in one.picks if pick.by})
    points = "; ".join(f"{x:g} {y:g}" for x, y in one.picks[0].points)
    notes = [*one.told.notes, *([one.told.message] if one.told.message else [])]
    return [one.number, one.name, one.kind, one.told.value, one.told.unit, one.told.expanded, one.told.k,
            one.told.known, *(share.get(part, "") for part in PARTS), len(one.picks), ", ".join(people), points,
            "; ".join(notes)]  # fmt: skip


def measures_json(merge_id: int) -> tuple[dict[str, Any], str]:
    """All measures of a merge with all that they rest on, and the file's name. Raises NotFound."""
    return {
        **asdict(measuring(merge_id)),
        "made_with": f"Amber Ladder {__version__}",
    }, f"{_stem(merge_id)}_measures.json"


def picture_svg(merge_id: int) -> tuple[str, str]:
    """The merge with its measures drawn on it, and the file's name. Raises NotFound."""
    return measures_svg(_picture(merge_id), _drawn(merge_id), _stem(merge_id)), f"{_stem(merge_id)}_measures.svg"


def picture_png(merge_id: int) -> tuple[bytes, str]:
    """The same in pixels, with the merge's scale and colour profile. Raises NotFound."""
    with transaction(steady=True) as session:
        merge = finished(session, merge_id)
        profile = colour_profile(FrameStore(settings().data).product_folder(merge.id) / "composite.tif")
        um_per_px = _known_scale(merge)
    drawn = with_measures(_picture(merge_id), _drawn(merge_id), pages=PAGES)
    content = picture_file(drawn, "PNG", um_per_px=um_per_px, colour_profile=profile)
    return content, f"{_stem(merge_id)}_measures.png"


def seen_from_aside(merge_id: int, kind: Literal["anaglyph", "rocking-film"]) -> tuple[bytes, str]:
    """The merge for red and cyan glasses, or as a film, and the file's name. Raises NotFound, BadInput."""
    with transaction(steady=True) as session:
        merge = finished(session, merge_id)
        folder, um_per_px = FrameStore(settings().data).product_folder(merge.id), _known_scale(merge)
    ending = "anaglyph.png" if kind == "anaglyph" else "rocking.webp"
    return seen_aside(read_merge(folder), kind, um_per_px), f"{_stem(merge_id)}_{ending}"


def _known_scale(merge: Product) -> float | None:
    """µm in a pixel, None where nobody knows."""
    scale = scale_of_merge(merge)
    return scale.um_per_px if scale else None


def place_picture(measure_id: int) -> bytes:
    """Where a measure was taken, with room around, as a small JPEG. Raises NotFound."""
    with transaction(steady=True) as session:
        measure = measures.get(session, measure_id)
        merge_id, kind, pick = measure.merge_id, KINDS[measure.kind], measure.picks[0]
        joined = measure.kind != "count"
    picture = _picture(merge_id)
    faces = [np.array(one, np.float64) for one in (pick["points"], pick.get("points_b")) if one]
    low, high = np.min([one.min(0) for one in faces], axis=0), np.max([one.max(0) for one in faces], axis=0)
    height, width = picture.shape[:2]
    room = np.array([4.0, 3.0]) * max(float((high - low).max() / 3.0), 40.0) * 0.85
    left, top = np.clip(np.floor((low + high) / 2 - room), 0, None).astype(int)
    right, bottom = np.minimum(np.ceil((low + high) / 2 + room), [width, height]).astype(int)
    share = _PLACE_PX / max(right - left, 1)
    part = np.ascontiguousarray(picture[top:bottom, left:right])
    small = cv2.resize(part, None, fx=share, fy=share, interpolation=cv2.INTER_AREA if share < 1 else cv2.INTER_LINEAR)
    drawn = [
        DrawnMeasure([(float(x), float(y)) for x, y in (one - [left, top] + 0.5) * share - 0.5],
                     kind.outline, joined, "")
        for one in faces
    ]  # fmt: skip
    sheet = with_measures(np.asarray(small, np.uint8), drawn, pages=PAGES, size_px=_PLACE_LINES_PX)
    return picture_file(sheet, "JPEG", um_per_px=None)


def _picture(merge_id: int) -> NDArray[np.uint8]:
    with transaction(steady=True) as session:
        folder = FrameStore(settings().data).product_folder(finished(session, merge_id).id)
    return eight_bits(read_merge(folder).composite)


def _drawn(merge_id: int) -> list[DrawnMeasure]:
    return [
        DrawnMeasure(places, KINDS[one.kind].outline, one.kind != "count", label)
        for one in measuring(merge_id).measures
        for places, label in _parts(one)
    ]


def _parts(one: MeasureView) -> list[tuple[list[tuple[float, float]], str]]:
    pick = one.picks[0]
    parts = [(pick.points, label_of(one.name, one.told))]
    return [*parts, (pick.points_b, one.name)] if pick.points_b else parts


def label_of(name: str, told: ToldView) -> str:
    """A measure as it stands beside its places."""
    if told.value is None:
        return f"{name}: not known"
    sure = f" ± {told.expanded:g}" if told.expanded else ""
    return f"{name}: {told.value:g}{sure} {told.unit}".rstrip()


def profile_csv(merge_id: int, entry: TriedEntry) -> tuple[str, str]:
    """A profile as a table, and the file's name. Raises NotFound, and BadInput for another kind of measure."""
    if entry.kind != "profile":
        raise BadInput("only a profile has a curve", field="kind")
    told = tried(merge_id, entry)
    rows = zip(told.along_um or [], told.depth_um or [], told.u_um or [], strict=True)
    head = ["along, um", "depth, um", "standard uncertainty of depth, um"]
    return csv_table(
        head, [["" if one is None else one for one in row] for row in rows]
    ), f"{_stem(merge_id)}_profile.csv"


def _stem(merge_id: int) -> str:
    with transaction(steady=True) as session:
        return file_stem(finished(session, merge_id))
