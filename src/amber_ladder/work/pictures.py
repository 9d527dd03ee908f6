"""Pictures as the pages look at them: tiles and previews, made when first wanted."""

from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal

from numpy.typing import NDArray

from amber_ladder.errors import NotFound
from amber_ladder.formats.pictures import read_picture
from amber_ladder.formats.tiles import composite_picture, depth_picture, make_tiles, small_jpeg
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Frame

THUMB_PX = 96
PictureKind = Literal["composite", "depth", "frame"]


def tiles_folder(kind: PictureKind, number: int) -> Path:
    """The folder with picture.dzi, its tiles and preview.jpg; made now if need be. Raises NotFound."""
    store = FrameStore(settings().data)
    if kind != "frame":
        return _merge_tiles(store, kind, number)
    with transaction() as session:
        frame = session.get(Frame, number)
        if frame is None:
            raise NotFound(f"there is no frame {number}")
        path = store.original(frame.sha256, frame.suffix)
        return _made(store.tiles_folder(f"frame-{frame.sha256}"), lambda: read_picture(path))


def frame_thumb(number: int) -> bytes:
    """A JPEG of a frame, a few dozen pixels high, straight from the original. Raises NotFound."""
    with transaction() as session:
        frame = session.get(Frame, number)
        if frame is None:
            raise NotFound(f"there is no frame {number}")
        path = FrameStore(settings().data).original(frame.sha256, frame.suffix)
    return small_jpeg(path, THUMB_PX)


def prepare_merge_tiles(store: FrameStore, merge_id: int) -> None:
    """Make a finished merge's tiles before anybody looks."""
    _merge_tiles(store, "composite", merge_id)
    _merge_tiles(store, "depth", merge_id)


def _merge_tiles(store: FrameStore, kind: Literal["composite", "depth"], merge_id: int) -> Path:
    folder = store.merge_folder(merge_id)
    source = folder / f"{kind}.tif"
    if not source.is_file():
        with transaction() as session:
            stacks.get_merge(session, merge_id)
        raise NotFound(f"merge {merge_id} has no {kind} yet: it is not finished")
    read = composite_picture if kind == "composite" else depth_picture
    return _made(store.tiles_folder(f"merge-{merge_id:06d}-{kind}"), lambda: read(source))


def _made(folder: Path, read: Callable[[], NDArray[Any]]) -> Path:
    if not (folder / "picture.dzi").is_file():
        make_tiles(read(), folder)
    return folder
