"""Record."""

import json
from contextlib import AbstractContextManager, ExitStack
from pathlib import Path
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse, Response
from starlette.background import BackgroundTask

from amber_ladder.api.bodies import BODY, streamed
from amber_ladder.api.problems import RESPONSES
from amber_ladder.formats.rig_json import Strict
from amber_ladder.work import record
from amber_ladder.work.leaving import left
from amber_ladder.work.stack import naming, scale

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
    return _file(merge_id, record.tiff(merge_id, kind), "image/tiff")


@router.get("/merges/{merge_id}/ome-tiff", response_class=FileResponse)
def whole(merge_id: int, mended_id: int | None = None) -> FileResponse:
    """Picture, depth, its uncertainty, and with a mended picture what was changed, in one file."""
    return _file(merge_id, record.whole(merge_id, mended_id), "image/tiff")


@router.get("/merges/{merge_id}/web-site.zip", response_class=FileResponse)
def web_site(merge_id: int, mended_id: int | None = None) -> FileResponse:
    """Tiles and a manifest for a web site, at the address that the station is set to."""
    return _file(merge_id, record.web_site(merge_id, mended_id), "application/zip")


@router.get("/merges/{merge_id}/picture.{kind}", response_class=Response)
def picture(merge_id: int, kind: Literal["png", "jpg"], entry: Annotated[record.BarEntry, Query()]) -> Response:
    """The cropped composite with its scale bar, and with whose it is."""
    content, name = record.picture(merge_id, kind, entry)
    return _saved(merge_id, content, "image/png" if kind == "png" else "image/jpeg", name)


@router.get("/merges/{merge_id}/before-after.png", response_class=Response)
def before_and_after(merge_id: int, mended_id: int) -> Response:
    """The merge and a mended picture of it, both whole, on one sheet."""
    content, name = record.before_and_after(merge_id, mended_id)
    return _saved(merge_id, content, "image/png", name)


@router.get("/merges/{merge_id}/bar.jpg", response_class=Response)
def bar(merge_id: int, entry: Annotated[record.BarEntry, Query()]) -> Response:
    """The same, small: to see what the bar looks like."""
    return Response(record.preview(merge_id, entry), media_type="image/jpeg", headers={"Cache-Control": "no-store"})


@router.get("/merges/{merge_id}/record.json", response_class=Response)
def record_json(merge_id: int) -> Response:
    """The full record."""
    content, name = record.record(merge_id)
    return _saved(merge_id, json.dumps(content, indent=2, ensure_ascii=False).encode(), "application/json", name)


@router.get("/merges/{merge_id}/record.pdf", response_class=Response)
def record_sheet(merge_id: int) -> Response:
    """The record on paper."""
    content, name = record.record_sheet(merge_id)
    return _saved(merge_id, content, "application/pdf", name)


@router.get("/merges/{merge_id}/packages")
def packages(merge_id: int) -> list[record.PackageView]:
    """Packages of a merge, the latest first."""
    return record.packages(merge_id)


@router.post("/merges/{merge_id}/packages", status_code=201)
def begin_package(merge_id: int) -> record.PackageView:
    """Queue a package of a merge with its originals."""
    return record.begin_package(merge_id)


@router.get("/packages/{package_id}.zip", response_class=FileResponse)
def package_file(package_id: int) -> FileResponse:
    """A package; what breaks off can be fetched on (ranges)."""
    path, name = record.package_file(package_id)
    return FileResponse(path, media_type="application/zip", filename=name)


@router.post("/packages/received", status_code=201, openapi_extra=BODY)
async def receive_package(request: Request) -> record.DeliveryView:
    """Receive a package of another station, and queue the going through it."""
    return await streamed(request, record.receive_package, any_size=True)


@router.get("/packages/received/{key}")
def read_delivery(key: str) -> record.DeliveryView:
    """What a package of another station would bring, once it was gone through."""
    return record.read_delivery(key)


@router.post("/packages/received/{key}/brought", status_code=202)
def bring_package(key: str, entry: record.BringEntry) -> record.DeliveryView:
    """Queue the bringing in of a package that was gone through."""
    return record.bring_package(key, entry)


@router.get("/file-names")
def file_names() -> naming.FileNames:
    """How files are called that leave this station."""
    return naming.read_names()


@router.put("/file-names")
def set_file_names(entry: naming.FileNames) -> naming.FileNames:
    """Set that."""
    return naming.set_names(entry)


@router.get("/merges/{merge_id}/called")
def called(merge_id: int, entry: Annotated[naming.FileNames, Query()]) -> naming.NamedExample:
    """How the files of a merge would be called."""
    return naming.example(merge_id, entry)


@router.get("/rights")
def rights() -> record.Rights:
    """Whose pictures leave this station, and under which licence."""
    return record.read_rights()


@router.put("/rights")
def set_rights(entry: record.Rights) -> record.Rights:
    """Set that."""
    return record.set_rights(entry)


def _file(merge_id: int, made: AbstractContextManager[tuple[Path, str]], media_type: str) -> FileResponse:
    """A file that may be there for as long as it is being sent."""
    open_file = ExitStack()
    path, name = open_file.enter_context(made)
    left(merge_id, name)
    return FileResponse(path, media_type=media_type, filename=name, background=BackgroundTask(open_file.close))


def _saved(merge_id: int, content: bytes, media_type: str, name: str) -> Response:
    left(merge_id, name)
    return saved(content, media_type, name)


def saved(content: bytes, media_type: str, name: str) -> Response:
    """A file to save under this name."""
    return Response(content, media_type=media_type, headers={"Content-Disposition": f'attachment; filename="{name}"'})
