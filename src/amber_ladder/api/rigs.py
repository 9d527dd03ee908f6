"""Rigs."""

from typing import Annotated

from fastapi import APIRouter, Query

from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import rigs

router = APIRouter(tags=["rigs"], responses=RESPONSES)


@router.get("/rigs")
def shelf() -> list[rigs.RigView]:
    """All rigs."""
    return rigs.shelf()


@router.post("/rigs", status_code=201)
def add_rig(entry: rigs.RigEntry) -> rigs.RigView:
    """Put a rig on the shelf."""
    return rigs.add_rig(entry)


@router.put("/rigs/{rig_id}")
def edit_rig(rig_id: int, entry: rigs.RigEntry) -> rigs.RigView:
    """Change a rig."""
    return rigs.edit_rig(rig_id, entry)


@router.post("/rigs/preview")
def try_out_rig(entry: rigs.RigEntry, medium_index: Annotated[float, Query(ge=1, le=3)] = 1.0) -> rigs.RigPreview:
    """What a rig would do."""
    return rigs.try_out(entry, medium_index)
