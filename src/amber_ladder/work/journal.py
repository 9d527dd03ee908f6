"""Writing down what a person changes: in words, who, when, and the columns before and after."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import datetime
from typing import Any

from amber_ladder.store import tasks
from amber_ladder.store.card_models import Card
from amber_ladder.store.database import Session
from amber_ladder.store.journal_models import Deed
from amber_ladder.store.mend_models import Mend
from amber_ladder.store.models import Calibration, Frame, Measure, Part, Product, Rig, Specimen, Stack, Take

PERSON: ContextVar[str | None] = ContextVar("person", default=None)
"""Who asks, None where the station knows no names."""

Row = Specimen | Stack | Take | Frame | Rig | Part | Calibration | Card | Measure
ROWS: dict[str, tuple[type[Any], tuple[str, ...]]] = {
    "specimen": (
        Specimen,
        ("catalogue_number", "name", "kind", "mount", "medium", "medium_index", "locality", "note", "width_mm",
         "height_mm", "depth_mm"),
    ),
    "stack": (Stack, ("rig_id", "rig_name", "rig_version", "rig", "plan", "scale", "counted_merge_id")),
    "take": (Take, ("development",)),
    "frame": (Frame, ("left_out",)),
    "rig": (Rig, ("name", "definition", "parts", "on_bench_at", "flash_power")),
    "part": (Part, ("kind", "name", "definition")),
    "calibration": (Calibration, ("set_aside_at",)),
    "card": (Card, ("edits",)),
    "measure": (Measure, ("name", "picks")),
}  # fmt: skip
"""The rows that people change, and the columns that are theirs."""


@contextmanager
def changing(session: Session, words: str, *rows: Row) -> Iterator[None]:
    """Write down what the block changes in these rows; nothing where nothing changes."""
    before = [state(row) for row in rows]
    yield
    session.flush()
    changes = [
        {"row": kind_of(row), "id": row.id, "before": _only(old, new), "after": _only(new, old)}
        for row, old, new in zip(rows, before, map(state, rows), strict=True)
        if old != new
    ]
    if changes:
        _write(session, words, specimen_of(rows[0]), changes)


def added(session: Session, words: str, row: Row) -> None:
    """Write down that a row was added."""
    session.flush()
    _write(session, words, specimen_of(row), [_addition(row)])


def added_and_changed(session: Session, words: str, new: Row, row: Row, before: dict[str, Any]) -> None:
    """Write down that a row was added, and another changed with it from how it was ``before``."""
    session.flush()
    now = state(row)
    change = {"row": kind_of(row), "id": row.id, "before": _only(before, now), "after": _only(now, before)}
    _write(session, words, specimen_of(new), [_addition(new), *([change] if now != before else [])])


def did(session: Session, words: str, stack: Stack) -> None:
    """Write down what cannot be undone: something was shot, brought or merged."""
    _write(session, words, stack.specimen_id, [])


def threw_away(session: Session, words: str, specimen_id: int | None, discard_id: int) -> None:
    """Write down that something was thrown away."""
    _write(session, words, specimen_id, [{"row": "discard", "id": discard_id, "before": None, "after": None}])


def state(row: Row) -> dict[str, Any]:
    """A row's own columns, as JSON has them."""
    return {name: as_json(getattr(row, name)) for name in ROWS[kind_of(row)][1]}


def as_json(value: Any) -> Any:
    """A column's value as it stands in a deed."""
    return value.isoformat() if isinstance(value, datetime) else value


def kind_of(row: Row) -> str:
    """What a row is called in a deed."""
    return row.__tablename__


def _addition(row: Row) -> dict[str, Any]:
    return {"row": kind_of(row), "id": row.id, "before": None, "after": None}


def _only(these: dict[str, Any], others: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in these.items() if others[name] != value}


def specimen_of(row: Row | Product | Mend) -> int | None:
    """The specimen that a row belongs to; None for rigs, parts, calibrations and cards."""
    match row:
        case Specimen():
            return row.id
        case Stack():
            return row.specimen_id
        case Take():
            return row.stack.specimen_id
        case Frame() | Product() | Mend() | Measure():
            return row.take.stack.specimen_id
        case _:
            return None


def _write(session: Session, words: str, specimen_id: int | None, changes: list[dict[str, Any]]) -> None:
    deed = Deed(words=words[:400], specimen_id=specimen_id, changes=changes, by=PERSON.get())
    session.add(deed)
    session.flush()
    tasks.tell(session, "deed", {"id": deed.id})
