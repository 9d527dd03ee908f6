"""Files of a card as they are looked at: small in the tape, and in their own size."""

from pathlib import Path

from amber_ladder.core.developing import upright
from amber_ladder.errors import NotFound
from amber_ladder.formats.shown import read_shown
from amber_ladder.formats.tiles import full_jpeg
from amber_ladder.settings import settings
from amber_ladder.store import cards
from amber_ladder.store.card_models import CardFile
from amber_ladder.store.database import transaction
from amber_ladder.store.frame_store import FrameStore


def thumb_of(file_id: int) -> bytes:
    """A small JPEG, made when the file was looked at. Raises NotFound before that."""
    with transaction() as session:
        file = cards.get_file(session, file_id, with_thumb=True)
        _refuse_unseen(file)
        assert file.thumb is not None, "made together"
        return file.thumb


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
        _refuse_unseen(file)
        sha256, suffix, noted = file.sha256 or "", file.suffix or "", file.noted or {}
    return FrameStore(settings().data).original(sha256, suffix), int(noted.get("orientation", 1))


def _refuse_unseen(file: CardFile) -> None:
    """Raises NotFound for a file that nobody has decoded yet: the server opens no stranger's picture."""
    if file.place is None:
        raise NotFound(f"{file.name} {file.refused or 'was not looked at yet'}")
