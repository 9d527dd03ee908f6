"""Tiles and previews."""

from typing import Annotated

from fastapi import APIRouter, HTTPException, Path
from fastapi.responses import FileResponse, Response

from amber_ladder.api.bodies import KEEP
from amber_ladder.api.problems import RESPONSES
from amber_ladder.work.pictures import PictureKind, frame_thumb, tiles_folder

router = APIRouter(tags=["pictures"], responses=RESPONSES)
# A merge's number is never used again and an original never changes, so what was seen once stays right.


@router.get("/pictures/{kind}/{number}/preview.jpg", response_class=FileResponse)
def preview(kind: PictureKind, number: int) -> FileResponse:
    """A small JPEG."""
    return FileResponse(tiles_folder(kind, number) / "preview.jpg", headers=KEEP)


@router.get("/pictures/frame/{number}/thumb.jpg", response_class=Response)
def thumb(number: int) -> Response:
    """A very small JPEG of a frame, quickly."""
    return Response(frame_thumb(number), media_type="image/jpeg", headers=KEEP)


@router.get("/pictures/{kind}/{number}/picture.dzi", response_class=FileResponse)
def descriptor(kind: PictureKind, number: int) -> FileResponse:
    """The deep-zoom descriptor."""
    return FileResponse(tiles_folder(kind, number) / "picture.dzi", media_type="application/xml", headers=KEEP)


@router.get("/pictures/{kind}/{number}/picture_files/{level}/{tile}", response_class=FileResponse)
def tile(
    kind: PictureKind, number: int, level: int, tile: Annotated[str, Path(pattern=r"^\d+_\d+\.jpg$")]
) -> FileResponse:
    """One tile."""
    path = tiles_folder(kind, number) / "picture_files" / str(level) / tile
    if not path.is_file():
        raise HTTPException(404, "there is no such tile")
    return FileResponse(path, headers=KEEP)
