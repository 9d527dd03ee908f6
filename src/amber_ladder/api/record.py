"""Record."""

import json
from contextlib import ExitStack
from typing import Literal

from fastapi import APIRouter
from fastapi.responses import FileResponse, Response
from starlette.background import BackgroundTask

from amber_ladder.api.problems import RESPONSES
from amber_ladder.formats.rig_json import Strict
from amber_ladder.work import ledger as ledger_of_stacks
from amber_ladder.work import record
from amber_ladder.work.stack import scale

router = APIRouter(tags=["record"], responses=RESPONSES)


class AppliedScale(Strict):
    """A calibration's scale, or with none that which the stack was planned with."""

    calibration_id: int | None


@router.get("/merges/{merge_id}/label")
def label(merge_id: int) -> record.RecordView:
    """Scale, bar and file name of a finished merge."""
    return record.label(merge_id)


@router.get("/stacks/{stack_id}/scales")
def scales(stack_id: int) -> list[scale.ScaleChoice]:
    """The scales that a stack may have."""
    return scale.scale_choices(stack_id)


@router.put("/stacks/{stack_id}/scale")
def apply_scale(stack_id: int, entry: AppliedScale) -> list[scale.ScaleChoice]:
    """Let a stack have a scale that was measured later, or its own again."""
    return scale.apply_scale(stack_id, entry.calibration_id)


@router.get("/merges/{merge_id}/{kind}.tif", response_class=FileResponse)
def tiff(merge_id: int, kind: Literal["composite", "depth", "depth_u"]) -> FileResponse:
    """Composite, depth or its standard uncertainty as merged."""
    file = ExitStack()
    path, name = file.enter_context(record.tiff(merge_id, kind))
    return FileResponse(path, media_type="image/tiff", filename=name, background=BackgroundTask(file.close))


@router.get("/merges/{merge_id}/picture.png", response_class=Response)
def png(merge_id: int) -> Response:
    """The cropped composite with its scale bar."""
    content, name = record.png(merge_id)
    return _saved(content, "image/png", name)


@router.get("/merges/{merge_id}/record.json", response_class=Response)
def record_json(merge_id: int) -> Response:
    """The full record."""
    content, name = record.record(merge_id)
    return _saved(json.dumps(content, indent=2, ensure_ascii=False).encode(), "application/json", name)


@router.get("/ledger.csv", response_class=Response)
def ledger() -> Response:
    """All stacks."""
    # The mark at the start tells spreadsheets that the text is UTF-8.
    return _saved(("\ufeff" + ledger_of_stacks.as_csv()).encode(), "text/csv; charset=utf-8", "amber-ladder-ledger.csv")


def _saved(content: bytes, media_type: str, name: str) -> Response:
    return Response(content, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})
