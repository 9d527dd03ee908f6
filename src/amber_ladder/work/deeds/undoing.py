"""Undoing the last thing done, where it still stands as it was left."""

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from amber_ladder.errors import Conflict
from amber_ladder.store import deeds, discards, rigs, tasks
from amber_ladder.store.base import CHANGING, PERSON, now
from amber_ladder.store.card_models import Card
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.journal_models import Deed
from amber_ladder.store.models import Frame, Product, Rig, Stack
from amber_ladder.work.card.editing import refuse_to_undo
from amber_ladder.work.deeds.discarding import throw_away
from amber_ladder.work.journal import ROWS, as_json, took_back
from amber_ladder.work.sort.by_hand import refuse_to_take_back

_OFFERED = timedelta(hours=12)
"""How long the last thing done is offered to be undone; after that it is no slip any more."""


@dataclass(frozen=True, slots=True)
class DeedView:
    """Something that was done, in words."""

    id: int
    words: str
    by: str | None
    at: datetime


def latest_deeds(most: int = 12) -> list[DeedView]:
    """What the person who asks has done and may want to undo, the last thing first."""
    with transaction() as session:
        found = deeds.latest(session, by=PERSON.get(), since=now() - _OFFERED, most=most)
        return [DeedView(deed.id, deed.words, deed.by, deed.at) for deed in found]


def last_deed() -> DeedView | None:
    """The last of them."""
    return next(iter(latest_deeds(1)), None)


def undo(deed_id: int) -> DeedView | None:
    """Undo it; returns what could be undone next. Raises NotFound, and Conflict where something changed since."""
    with transaction() as session:
        deed = deeds.get(session, deed_id, locked=True)
        if deed.undone_at is not None:
            raise Conflict("this was undone already")
        if deed.by != PERSON.get():
            raise Conflict(f"{deed.by or 'somebody else'} did this: ask them to undo it")
        for change in reversed(deed.changes):
            _undo(session, deed, change)
        deed.undone_at = now()
        for row in _rows(session, deed):
            took_back(session, "undone", f"undone: {deed.words}", row)
        session.flush()
        tasks.tell(session, "deed", {"id": deed.id})
    return last_deed()


def _rows(session: Session, deed: Deed) -> list[Any]:
    """What a deed is about: one row is enough where it changed several of the same stack."""
    found = [session.get(ROWS[one["row"]][0], one["id"]) for one in deed.changes[:1] if one["row"] in ROWS]
    return [row for row in found if row is not None]


def _undo(session: Session, deed: Deed, change: dict[str, Any]) -> None:
    kind, number, before = change["row"], change["id"], change["before"]
    if kind == "discard":
        discard = discards.get(session, number, locked=True)
        what, back = discard.what, discards.row_of(session, discard)
        discards.restore(session, discard)
        took_back(session, "restored", f"{what} restored", back)
        return
    row = session.get(ROWS[kind][0], number, with_for_update=CHANGING)
    if row is None:
        raise Conflict(f"this cannot be undone ({deed.words}): it was thrown away since")
    if before is None:
        throw_away(session, kind, row, "undone")
        return
    if any(as_json(getattr(row, name)) != value for name, value in change["after"].items()):
        raise Conflict(f"this cannot be undone any more ({deed.words}): it was changed again since")
    if isinstance(row, Stack) and row.takes and "plan" in before:
        raise Conflict("this ladder has been shot since: its plan stays as it was")
    if before.get("counted_merge_id") and session.get(Product, before["counted_merge_id"]) is None:
        raise Conflict(f"this cannot be undone ({deed.words}): the merge that counted before was discarded since")
    if isinstance(row, Card):
        refuse_to_undo(session, row, before["edits"])
    if isinstance(row, Frame) and before["left_out"] is None:
        refuse_to_take_back(row)
    for name, value in before.items():
        is_time = name.endswith("_at") and value is not None
        setattr(row, name, datetime.fromisoformat(value) if is_time else value)
    if hasattr(row, "revision"):
        row.revision += 1
    if isinstance(row, Rig) and before.keys() & {"name", "definition", "parts"}:
        row.version += 1
        rigs.save(session, row)
        rigs.keep_version(session, row)
    session.flush()
