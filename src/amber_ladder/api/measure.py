"""Measure."""

import json

from fastapi import APIRouter
from fastapi.responses import Response

from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import measure

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
    return _saved(*measure.measures_csv(merge_id), "text/csv; charset=utf-8")


@router.get("/merges/{merge_id}/measures.json", response_class=Response)
def as_json(merge_id: int) -> Response:
    """All measures of a merge with all that they rest on."""
    content, name = measure.measures_json(merge_id)
    return _saved(json.dumps(content, indent=1, ensure_ascii=False, default=str), name, "application/json")


@router.get("/merges/{merge_id}/measures.svg", response_class=Response)
def as_svg(merge_id: int) -> Response:
    """The merge with its measures drawn on it."""
    return _saved(*measure.picture_svg(merge_id), "image/svg+xml")


@router.post("/merges/{merge_id}/profile.csv", response_class=Response)
def profile(merge_id: int, entry: measure.TriedEntry) -> Response:
    """A profile as a table."""
    return _saved(*measure.profile_csv(merge_id, entry), "text/csv; charset=utf-8")


def _saved(content: str, name: str, media_type: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"', "Cache-Control": "no-store"}
    return Response(content, media_type=media_type, headers=headers)
