"""Pictures as the pages look at them: tiles and previews, made when first wanted."""

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any, Literal

from numpy.typing import NDArray

from amber_ladder.errors import NotFound
from amber_ladder.formats.shown import read_shown, small_shown
from amber_ladder.formats.tiles import composite_picture, depth_picture, make_tiles
from amber_ladder.settings import settings
from amber_ladder.store import stacks
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.models import Frame

THUMB_PX = 96
_MAKING = threading.Lock()
PictureKind = Literal["composite", "depth", "frame"]


def tiles_folder(kind: PictureKind, number: int) -> Path:
    """The folder with picture.dzi, its tiles and preview.jpg; made now if need be. Raises NotFound."""
    store = FrameStore(settings().data)
    if kind != "frame":
        return _product_tiles(store, kind, number)
    path, sha256 = _original(store, number)
    return _made(store.tiles_folder(f"frame-{sha256}"), lambda: read_shown(path))


def frame_thumb(number: int) -> bytes:
    """A JPEG of a frame, a few dozen pixels high, straight from the original. Raises NotFound."""
    return small_shown(_original(FrameStore(settings().data), number)[0], THUMB_PX)


def prepare_tiles(store: FrameStore, product_id: int) -> None:
    """Make the tiles of a finished merge before anybody looks."""
    _product_tiles(store, "composite", product_id)
    _product_tiles(store, "depth", product_id)


def _original(store: FrameStore, frame_id: int) -> tuple[Path, str]:
    # The connection is given back at once: making tiles takes seconds, and there are few connections.
    with transaction() as session:
        frame = session.get(Frame, frame_id)
        if frame is None:
            raise NotFound(f"there is no frame {frame_id}")
        sha256, suffix = frame.sha256, frame.suffix
    return store.original(sha256, suffix), sha256


def _product_tiles(store: FrameStore, kind: Literal["composite", "depth"], product_id: int) -> Path:
    source = store.product_folder(product_id) / f"{kind}.tif"
    if not source.is_file():
        with transaction() as session:
            stacks.get_product(session, product_id, "merge")
        raise NotFound(f"merge {product_id} has no {kind} yet: it is not finished")
    read = composite_picture if kind == "composite" else depth_picture
    return _made(store.tiles_folder(f"merge-{product_id:06d}-{kind}"), lambda: read(source))


def _made(folder: Path, read: Callable[[], NDArray[Any]]) -> Path:
    made = folder / "picture.dzi"
    if not made.is_file():
        with _MAKING:  # many tiles of one picture are asked for at once: it is read and cut only once
            if not made.is_file():
                try:
                    make_tiles(read(), folder)
                except OSError:
                    if not made.is_file():  # else the worker, or this server, was faster: both make the same
                        raise
    return folder
