"""Cabinet."""

from typing import Annotated

from fastapi import APIRouter, Query, Request

from amber_ladder.api.bodies import BODY, streamed
from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import cabinet, upkeep
from amber_ladder.work.stack.stages import StageView, all_stages
from amber_ladder.work.stack.views import SpecimenView

router = APIRouter(tags=["cabinet"], responses=RESPONSES)


@router.get("/stages")
def stages() -> list[StageView]:
    """The stages of the job, in the order of work."""
    return all_stages()


@router.get("/station")
def station() -> upkeep.StationView:
    """When the station was last backed up, and the room it has."""
    return upkeep.read_station()


@router.get("/specimens")
def browse(words: str = "", kind: str = "") -> cabinet.CabinetView:
    """Find specimens by text and kind."""
    return cabinet.browse(words, kind)


@router.post("/specimens", status_code=201)
def add_specimen(entry: cabinet.SpecimenEntry) -> SpecimenView:
    """Add a specimen."""
    return cabinet.add_specimen(entry)


@router.get("/label-entries")
def offered() -> dict[str, list[str]]:
    """What was written on labels before, by entry."""
    return cabinet.offered()


@router.post("/specimen-lists/tried", openapi_extra=BODY)
async def try_list(
    request: Request, kind: str = "", entry: Annotated[list[str] | None, Query(max_length=500)] = None
) -> cabinet.ListView:
    """What a list of specimens (CSV, Darwin Core archive) would bring; nothing is changed."""
    return await streamed(request, lambda chunks: cabinet.try_list(chunks, entry, kind=kind))


@router.post("/specimen-lists", openapi_extra=BODY)
async def bring_list(
    request: Request, entry: Annotated[list[str], Query(max_length=500)], kind: str = ""
) -> cabinet.ListView:
    """Bring all good lines of a list in."""
    return await streamed(request, lambda chunks: cabinet.bring_list(chunks, entry, kind=kind))


@router.get("/specimens/{specimen_id}")
def read_specimen(specimen_id: int) -> SpecimenView:
    """One specimen's label."""
    return cabinet.read_specimen(specimen_id)


@router.put("/specimens/{specimen_id}")
def edit_specimen(specimen_id: int, entry: cabinet.SpecimenEntry, seen: int | None = None) -> SpecimenView:
    """Correct a label."""
    return cabinet.edit_specimen(specimen_id, entry, seen=seen)
