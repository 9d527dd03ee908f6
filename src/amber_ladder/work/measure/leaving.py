"""Measures as they leave the house: tables, JSON, a profile, and the picture with them on it."""

from dataclasses import asdict
from typing import Any

import numpy as np

from amber_ladder import __version__
from amber_ladder.core.measuring import KINDS, PARTS
from amber_ladder.errors import BadInput
from amber_ladder.formats.drawn_measures import DrawnMeasure, measures_svg
from amber_ladder.formats.exports import csv_table
from amber_ladder.settings import settings
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.measure.instruments import finished
from amber_ladder.work.measure.measures import MeasureView, ToldView, TriedEntry, measuring, tried
from amber_ladder.work.on_disk.merge_result import read_merge
from amber_ladder.work.stack.scale import file_stem


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
    found = measuring(merge_id)
    with transaction() as session:
        folder = FrameStore(settings().data).product_folder(finished(session, merge_id).id)
    picture = np.asarray(read_merge(folder).composite)
    eight = (picture >> 8).astype(np.uint8) if picture.dtype == np.uint16 else picture
    drawn = [
        DrawnMeasure(places, KINDS[one.kind].outline, one.kind != "count", label)
        for one in found.measures
        for places, label in _parts(one)
    ]
    return measures_svg(eight, drawn, _stem(merge_id)), f"{_stem(merge_id)}_measures.svg"


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
    with transaction() as session:
        return file_stem(finished(session, merge_id))
