"""Bringing a card in: its files stored untouched, one by one, each known by its content from then on."""

import os
from collections.abc import Iterable, Iterator
from pathlib import Path, PurePosixPath
from typing import Annotated

from pydantic import StringConstraints

from amber_ladder.core.frames import Progress
from amber_ladder.errors import BadInput, Conflict
from amber_ladder.formats.pictures import PICTURE_NAMES, RAW_NAMES, kept_suffix, natural_key
from amber_ladder.formats.rig_json import Strict
from amber_ladder.settings import settings
from amber_ladder.store import cards, tasks
from amber_ladder.store.card_models import Card, CardFile
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore, Received
from amber_ladder.store.models import Task
from amber_ladder.store.queue import enqueue
from amber_ladder.work.card.views import CardLine, CardView, FileView, card_line, card_view, file_view
from amber_ladder.work.shoot.allowed import check_folder

KIND = "card"
_LONGEST_NAME, _LONGEST_PART = 500, 200
_CHUNK, _BEGINS = 1 << 20, 16


class CardEntry(Strict):
    """What a card is called."""

    name: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class FolderEntry(Strict):
    """A folder of the station itself, from which files are fetched."""

    folder: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=1000)]


def begin(entry: CardEntry) -> CardView:
    """Begin a card, which has no files yet."""
    with transaction() as session:
        card = Card(name=entry.name)
        session.add(card)
        session.flush()
        return card_view(session, card)


def all_cards() -> list[CardLine]:
    """All cards, the newest first."""
    with transaction() as session:
        return [card_line(session, card, count) for card, count in cards.newest_first(session)]


def read(card_id: int) -> CardView:
    """One card. Raises NotFound."""
    with transaction() as session:
        return card_view(session, cards.get(session, card_id))


def add_file(card_id: int, name: str, chunks: Iterable[bytes]) -> FileView:
    """Keep a file under its path on the card; sent twice, it is kept once.

    One that no picture begins like is refused, and named on the card: nothing of it is kept. Raises BadInput for a
    path that cannot be kept; Conflict where the card has another picture of that path, or is being looked at;
    NotFound, StorageFull.
    """
    name = path_on_card(name)
    with transaction() as session:
        _refuse_while_busy(cards.get(session, card_id))
    store = FrameStore(settings().data)
    received = store.receive(chunks)
    try:
        with transaction() as session:
            card = cards.get(session, card_id, locked=True)
            _refuse_while_busy(card)
            row = cards.named(session, card_id, name) or CardFile(card_id=card_id, name=name, bytes=0)
            if row.sha256 is None:
                _keep(session, store, row, received)
                session.add(row)
                session.flush()
            elif row.sha256 != received.sha256:
                raise Conflict(f"{name}: this card has another picture of that path. Bring it in as another card.")
            return file_view(row)
    finally:
        store.drop(received)


def path_on_card(name: str) -> str:
    """A path as it is kept: it tells files apart, and is never opened. Raises BadInput."""
    parts = [part for part in name.replace("\\", "/").split("/") if part not in ("", ".")]
    path = "/".join(parts)
    if (
        not parts
        or ".." in parts
        or len(path) > _LONGEST_NAME
        or any(len(part) > _LONGEST_PART for part in parts)
        or any(ord(one) < 32 or ord(one) == 127 or 0xD800 <= ord(one) < 0xE000 for one in path)
    ):
        raise BadInput(f"{name[:60]!r} has a name that cannot be kept: rename it", field="name")
    return path


def look_at_card(card_id: int) -> CardView:
    """Queue the looking at all files of a card. Raises NotFound, Conflict while it goes on, or without files."""
    with transaction() as session:
        card = cards.get(session, card_id, locked=True)
        _refuse_while_busy(card)
        if not any(file.sha256 for file in cards.files_of(session, card_id)):
            raise Conflict("this card holds no picture yet: bring some in first")
        view = _begun(session, card)
    assert view.task is not None
    enqueue(view.task.id)
    return view


def fetch_folder(card_id: int, entry: FolderEntry) -> CardView:
    """Queue the fetching of a folder of the station, and the looking at it. Raises BadInput, NotFound, Conflict."""
    folder = Path(entry.folder)
    if not folder.is_absolute():
        raise BadInput("name the whole path of the folder, from / on", field="folder")
    check_folder(folder)
    if not folder.is_dir():
        raise BadInput("there is no such folder on the station", field="folder")
    with transaction() as session:
        card = cards.get(session, card_id, locked=True)
        _refuse_while_busy(card)
        card.folder = str(folder)
        view = _begun(session, card)
    assert view.task is not None
    enqueue(view.task.id)
    return view


def fetch(store: FrameStore, card_id: int, folder: Path, progress: Progress) -> None:
    """Fetch what of a folder the card does not hold yet. Links are not followed. Raises BadInput, StorageFull."""
    check_folder(folder)
    if not folder.is_dir():
        raise BadInput(f"{folder} is gone: bring it back, and try again", field="folder")
    found = list(_files_in(folder))
    with transaction() as session:
        held = {file.name for file in cards.files_of(session, card_id) if file.sha256}
    for done, path in enumerate(found):
        progress("fetch", done, len(found))
        name = _printable(path.relative_to(folder).as_posix())
        if name not in held:
            _fetch_one(store, card_id, path, name)
    progress("fetch", len(found), len(found))


def _files_in(folder: Path) -> Iterator[Path]:
    for place, folders, names in os.walk(folder):
        folders[:] = sorted(
            (one for one in folders if not one.startswith(".") and not (Path(place) / one).is_symlink()),
            key=natural_key,
        )
        for name in sorted(names, key=natural_key):
            if Path(name).suffix.lower() in PICTURE_NAMES | RAW_NAMES and not name.startswith("."):
                yield Path(place) / name


def _fetch_one(store: FrameStore, card_id: int, path: Path, name: str) -> None:
    why = _why_not_a_file(path)
    received = None
    try:
        if why is None:
            try:
                received = store.receive(_content(path))
            except OSError as error:
                why = f"cannot be read ({error.strerror})"
        if received and not _is_whole(path, received):
            why = "still grows: fetch the folder again once it is whole"
        with transaction() as session:
            row = cards.named(session, card_id, name) or CardFile(card_id=card_id, name=name, bytes=0)
            if received and why is None:
                _keep(session, store, row, received)
            else:
                row.refused = why
            session.add(row)
    finally:
        if received:
            store.drop(received)


def _why_not_a_file(path: Path) -> str | None:
    if path.is_symlink():
        return "is a link: copy what it leads to"
    return None if path.is_file() else "is no file of its own"


def _is_whole(path: Path, received: Received) -> bool:
    try:
        return path.stat().st_size == received.bytes
    except OSError:
        return False


def _keep(session: Session, store: FrameStore, row: CardFile, received: Received) -> None:
    """Let the row stand for what was received; what is no picture by how it begins is refused."""
    with received.path.open("rb") as file:
        suffix = kept_suffix(row.name, file.read(_BEGINS))
    known_as = cards.where_known(session, received.sha256)
    row.bytes, row.refused = received.bytes, None
    if suffix is None:
        row.refused = "is no JPEG, PNG, TIFF or camera raw, whatever its name says" if received.bytes else "is empty"
        return
    row.sha256, row.suffix, row.known_as = received.sha256, suffix, known_as
    # The file lies in its place, on the disk, before its row does: what was told of is never lost.
    store.adopt(received, suffix)


def _content(path: Path) -> Iterator[bytes]:
    with path.open("rb") as file:
        yield from iter(lambda: file.read(_CHUNK), b"")


def _printable(name: str) -> str:
    """Bytes that are no text are told by their numbers; what cannot be kept is cut or replaced."""
    shown = name.encode("utf-8", "backslashreplace").decode("utf-8")
    shown = "".join(one if ord(one) >= 32 and ord(one) != 127 else f"\\x{ord(one):02x}" for one in shown)
    return shown if len(shown) <= _LONGEST_NAME else str(PurePosixPath(shown).name)[-_LONGEST_NAME:]


def _begun(session: Session, card: Card) -> CardView:
    card.task = Task(kind=KIND)
    session.flush()
    tasks.announce(session, card.task)
    return card_view(session, card)


def _refuse_while_busy(card: Card) -> None:
    if card.task is not None and card.task.state not in tasks.ENDED:
        raise Conflict("this card is being looked at: wait for it or stop it first")
