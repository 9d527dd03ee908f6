"""Mend."""

import json
from typing import Annotated

from fastapi import APIRouter, Path, Query
from fastapi.responses import FileResponse, Response

from amber_ladder.api.bodies import KEEP
from amber_ladder.api.problems import RESPONSES
from amber_ladder.work import mend
from amber_ladder.work.leaving import left

router = APIRouter(tags=["mend"], responses=RESPONSES)
Key = Annotated[str, Path(pattern=r"^[0-9a-f]{1,16}$")]
Level = Annotated[int, Path(ge=0, le=10)]
Place = Annotated[int, Path(ge=0, le=200)]
_NOW_ONLY = {"Cache-Control": "no-store"}


@router.post("/merges/{merge_id}/mends", status_code=201)
def begin(merge_id: int, entry: mend.MendEntry) -> mend.MendView:
    """Begin a mend of a merge."""
    return mend.begin(merge_id, entry)


@router.get("/mends/{mend_id}")
def read(mend_id: int) -> mend.MendView:
    """One mend."""
    return mend.read(mend_id)


@router.post("/mends/{mend_id}/look", status_code=202)
def look_again(mend_id: int) -> mend.MendView:
    """Look at the frames where that was stopped, or failed."""
    return mend.look_again(mend_id)


@router.put("/mends/{mend_id}/name")
def rename(mend_id: int, entry: mend.NameEntry) -> mend.MendView:
    """Call it otherwise."""
    return mend.rename(mend_id, entry)


@router.post("/mends/{mend_id}/copies", status_code=201)
def copy(mend_id: int, entry: mend.CopyEntry) -> mend.MendView:
    """The same steps in a mend of their own, on the same merge or on another."""
    return mend.copy(mend_id, entry)


@router.post("/mends/{mend_id}/steps", status_code=201)
def add_step(mend_id: int, entry: mend.StepEntry) -> mend.MendView:
    """Lay one more step on."""
    return mend.add_step(mend_id, entry)


@router.put("/mends/{mend_id}/steps/{number}")
def change_step(mend_id: int, number: int, entry: mend.StepEntry) -> mend.MendView:
    """Put another step in the place of one."""
    return mend.change_step(mend_id, number, entry)


@router.post("/mends/{mend_id}/undo")
def undo(mend_id: int, seen: mend.Seen) -> mend.MendView:
    """Go one change back."""
    return mend.undo(mend_id, seen)


@router.post("/mends/{mend_id}/redo")
def redo(mend_id: int, seen: mend.Seen) -> mend.MendView:
    """Do again what was undone last."""
    return mend.redo(mend_id, seen)


@router.put("/mends/{mend_id}/places/{key}")
def judge(mend_id: int, key: str, entry: mend.JudgedEntry) -> mend.MendView:
    """Say how a place is left."""
    return mend.judge(mend_id, key, entry)


@router.post("/mends/{mend_id}/written", status_code=202)
def finish(mend_id: int) -> mend.MendView:
    """Queue the writing of the mended picture."""
    mend.finish(mend_id)
    return mend.read(mend_id)


@router.get("/mends/{mend_id}/STEPS.json", response_class=Response)
def steps_json(mend_id: int) -> Response:
    """The steps as a file."""
    words = json.dumps(mend.steps_json(mend_id), indent=1)
    headers = {"Content-Disposition": 'attachment; filename="STEPS.json"', **_NOW_ONLY}
    return Response(words, media_type="application/json", headers=headers)


@router.get("/mends/{mend_id}/before-after.png", response_class=Response)
def before_and_after(mend_id: int, entry: Annotated[mend.SideEntry, Query()]) -> Response:
    """A part as merged and as mended, side by side."""
    headers = {"Content-Disposition": 'attachment; filename="before-after.png"', **_NOW_ONLY}
    return Response(mend.before_and_after(mend_id, entry), media_type="image/png", headers=headers)


@router.get("/mends/{mend_id}/tiles/{key}/{level}/{column}_{row}.jpg", response_class=Response)
def tile(mend_id: int, key: Key, level: Level, column: Place, row: Place) -> Response:
    """One tile of the mended picture, by the name of what it shows."""
    return _tile(mend.tile(mend_id, key, level, column, row), "image/jpeg")


@router.get("/mends/{mend_id}/marks/{what}/{key}/{level}/{column}_{row}.png", response_class=Response)
def marks(mend_id: int, what: mend.Marks, key: Key, level: Level, column: Place, row: Place) -> Response:
    """Marks over one tile: what was painted, or where tones are clipped."""
    return _tile(mend.marks(mend_id, what, key, level, column, row), "image/png")


@router.get("/merges/{merge_id}/laid/{frame_id}/{level}/{column}_{row}.jpg", response_class=Response)
def laid(merge_id: int, frame_id: int, level: Level, column: Place, row: Place) -> Response:
    """One tile of a frame, laid on the merge."""
    return Response(mend.laid(merge_id, frame_id, level, column, row), media_type="image/jpeg", headers=KEEP)


@router.get("/merges/{merge_id}/plain/{level}/{column}_{row}.jpg", response_class=Response)
def plain(merge_id: int, level: Level, column: Place, row: Place) -> Response:
    """One tile of the merge itself."""
    return Response(mend.plain(merge_id, level, column, row), media_type="image/jpeg", headers=KEEP)


@router.get("/merges/{merge_id}/sharpest")
def sharpest_here(merge_id: int, x_px: float, y_px: float, radius_px: float) -> list[mend.SharpestView]:
    """The four frames that show most detail about a place."""
    return mend.sharpest_here(merge_id, x_px, y_px, radius_px)


@router.post("/merges/{merge_id}/part")
def propose_part(merge_id: int, entry: mend.BaseAndTip) -> mend.ProposedPart:
    """The frame and the way for a part that moved."""
    return mend.propose_part(merge_id, entry)


@router.get("/mended/{product_id}/{name}", response_class=FileResponse)
def mended_file(product_id: int, name: str) -> FileResponse:
    """A file of a mended picture that was written."""
    path, called = mend.mended_file(product_id, name)
    left(product_id, called, "mend")
    return FileResponse(path, filename=called, headers=_NOW_ONLY)


def _tile(made: mend.Tile, media_type: str) -> Response:
    return Response(made.picture, media_type=media_type, headers=KEEP if made.lasts else _NOW_ONLY)
