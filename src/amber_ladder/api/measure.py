"""Measure."""

import json
from typing import Annotated

from fastapi import APIRouter, Depends, Query
from fastapi.responses import Response

from amber_ladder.api.bodies import KEEP
from amber_ladder.api.problems import RESPONSES
from amber_ladder.formats.measures_json import ReferenceJson
from amber_ladder.work import measure
from amber_ladder.work.leaving import left

router = APIRouter(tags=["measure"], responses=RESPONSES)


@router.get("/measure-kinds")
def kinds() -> list[measure.KindView]:
    """All kinds of measures."""
    return measure.kinds()


@router.get("/merges/{merge_id}/measures")
def measuring(merge_id: int) -> measure.MeasuringView:
    """All measures of a merge, and what they rest on."""
    return measure.measuring(merge_id)


@router.post("/merges/{merge_id}/measures", status_code=201)
def take(merge_id: int, entry: measure.MeasureEntry) -> measure.MeasureView:
    """Take a measure."""
    return measure.take(merge_id, entry)


@router.post("/merges/{merge_id}/measured")
def tried(merge_id: int, entry: measure.TriedEntry) -> measure.ToldView:
    """What a measure would come to, without taking it."""
    return measure.tried(merge_id, entry)


@router.post("/merges/{merge_id}/snapped")
def snapped(merge_id: int, entry: measure.SnapEntry) -> measure.SnapView:
    """The edge nearest to a place."""
    return measure.snapped(merge_id, entry)


@router.put("/measures/{measure_id}")
def change(measure_id: int, entry: measure.MeasureChange) -> measure.MeasureView:
    """Name a measure otherwise, or move its places."""
    return measure.change(measure_id, entry)


@router.post("/measures/{measure_id}/picks", status_code=201)
def pick_again(measure_id: int, entry: measure.PickEntry) -> measure.MeasureView:
    """One more pick of the same."""
    return measure.pick_again(measure_id, entry)


@router.get("/merges/{merge_id}/measures.csv", response_class=Response)
def as_csv(merge_id: int) -> Response:
    """All measures of a merge as a table."""
    return _saved(merge_id, *measure.measures_csv(merge_id), "text/csv; charset=utf-8")


@router.get("/merges/{merge_id}/measures.json", response_class=Response)
def as_json(merge_id: int) -> Response:
    """All measures of a merge with all that they rest on."""
    content, name = measure.measures_json(merge_id)
    return _saved(merge_id, json.dumps(content, indent=1, ensure_ascii=False, default=str), name, "application/json")


@router.get("/merges/{merge_id}/measures.svg", response_class=Response)
def as_svg(merge_id: int) -> Response:
    """The merge with its measures drawn on it."""
    return _saved(merge_id, *measure.picture_svg(merge_id), "image/svg+xml")


@router.post("/merges/{merge_id}/profile.csv", response_class=Response)
def profile(merge_id: int, entry: measure.TriedEntry) -> Response:
    """A profile as a table."""
    return _saved(merge_id, *measure.profile_csv(merge_id, entry), "text/csv; charset=utf-8")


def _part(
    x: Annotated[int, Query(ge=-65_000, le=65_000)] = 0,
    y: Annotated[int, Query(ge=-65_000, le=65_000)] = 0,
    width: Annotated[int | None, Query(ge=1, le=65_000)] = None,
    height: Annotated[int | None, Query(ge=1, le=65_000)] = None,
) -> measure.Part | None:
    """A part of the picture; all of it without a width and a height."""
    return None if width is None or height is None else measure.Part(x, y, width, height)


_Part = Annotated[measure.Part | None, Depends(_part)]


@router.get("/merges/{merge_id}/relief", response_class=Response)
def surface(merge_id: int, part: _Part) -> Response:
    """The surface of a merge or of a part of it, as corners and triangles."""
    headers = {"Cache-Control": "no-store"}
    return Response(measure.surface(merge_id, part), media_type="application/octet-stream", headers=headers)


@router.get("/merges/{merge_id}/relief.jpg", response_class=Response)
def texture(merge_id: int, part: _Part) -> Response:
    """The picture that lies on that surface."""
    return Response(measure.texture(merge_id, part), media_type="image/jpeg", headers=KEEP)


@router.get("/merges/{merge_id}/measures.png", response_class=Response)
def as_png(merge_id: int) -> Response:
    """The merge with its measures drawn on it, in pixels."""
    return _saved(merge_id, *measure.picture_png(merge_id), "image/png")


@router.get("/merges/{merge_id}/anaglyph.png", response_class=Response)
def as_anaglyph(merge_id: int) -> Response:
    """The merge for red and cyan glasses."""
    return _saved(merge_id, *measure.seen_from_aside(merge_id, "anaglyph"), "image/png")


@router.get("/merges/{merge_id}/rocking.webp", response_class=Response)
def as_film(merge_id: int) -> Response:
    """The merge as a film that rocks to and fro."""
    return _saved(merge_id, *measure.seen_from_aside(merge_id, "rocking-film"), "image/webp")


@router.get("/measures/{measure_id}/place.jpg", response_class=Response)
def place(measure_id: int) -> Response:
    """Where a measure was taken."""
    content = measure.place_picture(measure_id)
    return Response(content, media_type="image/jpeg", headers={"Cache-Control": "no-store"})


@router.get("/merges/{merge_id}/series")
def series(merge_id: int) -> measure.SeriesView:
    """The series of measures for a merge's kind of specimen."""
    return measure.series_of(merge_id)


@router.put("/merges/{merge_id}/series")
def set_series(merge_id: int, entry: measure.SeriesEntry) -> measure.SeriesView:
    """Let a merge's kind of specimen have this series."""
    return measure.set_series(merge_id, entry)


@router.get("/merges/{merge_id}/series/table")
def series_table(merge_id: int) -> measure.SeriesTableView:
    """What a series comes to over all stacks."""
    return measure.series_table(merge_id)


@router.get("/merges/{merge_id}/series.csv", response_class=Response)
def series_csv(merge_id: int) -> Response:
    """The same as a table to keep."""
    return _saved(merge_id, *measure.series_csv(merge_id), "text/csv; charset=utf-8")


@router.post("/merges/{merge_id}/reference")
def try_reference(merge_id: int, entry: ReferenceJson) -> measure.ReferenceView:
    """The scale that something of known size in the picture gives, without using it."""
    return measure.try_reference(merge_id, entry)


@router.put("/merges/{merge_id}/reference")
def set_reference(merge_id: int, entry: ReferenceJson) -> measure.MeasuringView:
    """Let a merge have its scale from something of known size in its picture."""
    return measure.set_reference(merge_id, entry)


@router.delete("/merges/{merge_id}/reference")
def drop_reference(merge_id: int) -> measure.MeasuringView:
    """Let a merge have the scale of its stack again."""
    return measure.set_reference(merge_id, None)


def _saved(merge_id: int, content: str | bytes, name: str, media_type: str) -> Response:
    left(merge_id, name)
    headers = {"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"}
    return Response(content, media_type=media_type, headers=headers)
