"""Files of a card as they are looked at: small in the tape, and in their own size."""

from pathlib import Path

import numpy as np

from amber_ladder.core.developing import upright
from amber_ladder.errors import NotFound
from amber_ladder.formats.pictures import RAW_NAMES, read_picture
from amber_ladder.formats.tiles import full_jpeg, small_jpeg, small_jpeg_of
from amber_ladder.settings import settings
from amber_ladder.store import cards
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.work.card.looking import THUMB_PX


def thumb_of(file_id: int) -> bytes:
    """A small JPEG: as it was made when the file was looked at, or made now. Raises NotFound, UnreadablePicture."""
    with transaction() as session:
        thumb = cards.get_file(session, file_id, with_thumb=True).thumb
    if thumb is not None:
        return thumb
    path, _ = _original(file_id)
    return small_jpeg_of(_raw(path, half_size=True), THUMB_PX) if _is_raw(path) else small_jpeg(path, THUMB_PX)


def picture_of(file_id: int) -> bytes | Path:
    """A file in its own size and upright: as JPEG, or where the original lies that is one.

    Raises NotFound, UnreadablePicture.
    """
    path, orientation = _original(file_id)
    if path.suffix == ".jpg":
        return path
    return full_jpeg(upright(_raw(path, half_size=False) if _is_raw(path) else read_picture(path), orientation))


def _is_raw(path: Path) -> bool:
    return path.suffix in RAW_NAMES


def _raw(path: Path, *, half_size: bool) -> np.ndarray[tuple[int, ...], np.dtype[np.uint8]]:
    # Here: most cards hold no raw, and need not load what it takes.
    from amber_ladder.formats.raw import shown_raw

    return shown_raw(path, half_size=half_size)


def _original(file_id: int) -> tuple[Path, int]:
    with transaction() as session:
        file = cards.get_file(session, file_id)
        if file.sha256 is None:
            raise NotFound(f"{file.name} was not kept: it {file.refused}")
        sha256, suffix, noted = file.sha256, file.suffix or "", file.noted or {}
    return FrameStore(settings().data).original(sha256, suffix), int(noted.get("orientation", 1))
