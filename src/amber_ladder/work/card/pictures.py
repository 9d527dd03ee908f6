"""Files of a card as they are looked at: small in the tape, and in their own size."""

from pathlib import Path

from amber_ladder.core.developing import upright
from amber_ladder.errors import NotFound
from amber_ladder.formats.shown import read_shown, small_shown
from amber_ladder.formats.tiles import full_jpeg
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
    return small_shown(_original(file_id)[0], THUMB_PX)


def picture_of(file_id: int) -> bytes | Path:
    """A file in its own size and upright: as JPEG, or where the original lies that is one.

    Raises NotFound, UnreadablePicture.
    """
    path, orientation = _original(file_id)
    if path.suffix == ".jpg":
        return path
    return full_jpeg(upright(read_shown(path), orientation))


def _original(file_id: int) -> tuple[Path, int]:
    with transaction() as session:
        file = cards.get_file(session, file_id)
        if file.sha256 is None:
            raise NotFound(f"{file.name} was not kept: it {file.refused}")
        sha256, suffix, noted = file.sha256, file.suffix or "", file.noted or {}
    return FrameStore(settings().data).original(sha256, suffix), int(noted.get("orientation", 1))
