"""Writing down what a person changes: in words, who, when, and the columns before and after."""

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from typing import Any

from amber_ladder.store import history, stacks, tasks
from amber_ladder.store.base import PERSON
from amber_ladder.store.card_models import Card
from amber_ladder.store.database import Session
from amber_ladder.store.day_models import Day
from amber_ladder.store.journal_models import Deed
from amber_ladder.store.mend_models import Mend
from amber_ladder.store.models import Calibration, Frame, Measure, Part, Product, Rig, Specimen, Stack, Take
from amber_ladder.store.series_models import MeasureSeries
from amber_ladder.store.tile_models import TileSet

Row = (
    Specimen | Stack | TileSet | Take | Frame | Rig | Part | Calibration | Card | Product | Measure
    | MeasureSeries | Day
)  # fmt: skip
ROWS: dict[str, tuple[type[Any], tuple[str, ...]]] = {
    "specimen": (
        Specimen,
        ("catalogue_number", "name", "kind", "mount", "medium", "medium_index", "medium_tolerance", "locality",
         "latitude", "longitude", "place_within_m", "collector", "collected_on", "determination", "determined_by",
         "determined_on", "note", "width_mm", "height_mm", "depth_mm"),
    ),
    "stack": (Stack, ("rig_id", "rig_name", "rig_version", "rig", "plan", "scale", "counted_merge_id")),
    "tile_set": (TileSet, ("field_um", "inner_share", "first_at_um")),
    "take": (Take, ("development",)),
    "frame": (Frame, ("left_out",)),
    "rig": (Rig, ("name", "definition", "parts", "on_bench_at", "flash_power")),
    "part": (Part, ("kind", "name", "definition")),
    "calibration": (Calibration, ("set_aside_at",)),
    "card": (Card, ("edits",)),
    "product": (Product, ("reference",)),
    "measure": (Measure, ("name", "picks")),
    "measure_series": (MeasureSeries, ("items",)),
    "day": (Day, ("starts_at", "ends_at", "breaks", "change_s", "set_up_s", "items")),
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
        _write(session, words, rows[0], changes)


def added(session: Session, words: str, row: Row) -> None:
    """Write down that a row was added."""
    session.flush()
    _write(session, words, row, [_addition(row)])


def added_together(session: Session, words: str, rows: Sequence[Specimen] | Sequence[Stack]) -> None:
    """Write down that specimens, or stacks of one, were added as one deed: undone, all of them go."""
    session.flush()
    of = specimen_of(rows[0]) if isinstance(rows[0], Stack) else None
    _keep(session, words, of, [_addition(row) for row in rows])
    for row in rows:
        if isinstance(row, Stack):
            _note(session, words, row, [_addition(row)])


def added_and_changed(session: Session, words: str, new: Row, row: Row, before: dict[str, Any]) -> None:
    """Write down that a row was added, and another changed with it from how it was ``before``."""
    session.flush()
    now = state(row)
    change = {"row": kind_of(row), "id": row.id, "before": _only(before, now), "after": _only(now, before)}
    _write(session, words, new, [_addition(new), *([change] if now != before else [])])


def received(session: Session, words: str, stack: Stack, facts: dict[str, Any]) -> None:
    """Write down that a stack came from another station. Undone, it goes again."""
    session.flush()
    _keep(session, words, stack.specimen_id, [_addition(stack)])
    history.note(session, stack.id, "received", words, facts)


def did(session: Session, words: str, stack: Stack) -> None:
    """Write down what cannot be undone: something was shot, brought or merged."""
    _keep(session, words, stack.specimen_id, [])


def threw_away(session: Session, words: str, row: Row | Mend, discard_id: int) -> None:
    """Write down that something was thrown away."""
    change = {"row": "discard", "id": discard_id, "before": None, "after": None}
    _keep(session, words, specimen_of(row), [change])
    for stack_id in stacks_of(session, row):
        history.note(session, stack_id, "discarded", words, {"what": kind_of(row)})


def took_back(session: Session, did: str, words: str, row: Row | Mend) -> None:
    """Write down in the histories concerned that something came back, or was undone."""
    for stack_id in stacks_of(session, row):
        history.note(session, stack_id, did, words, {"what": kind_of(row)})


def state(row: Row) -> dict[str, Any]:
    """A row's own columns, as JSON has them."""
    return {name: as_json(getattr(row, name)) for name in ROWS[kind_of(row)][1]}


def as_json(value: Any) -> Any:
    """A column's value as it stands in a deed."""
    return value.isoformat() if isinstance(value, datetime) else value


def kind_of(row: Row | Mend) -> str:
    """What a row is called in a deed."""
    return row.__tablename__


def _addition(row: Row) -> dict[str, Any]:
    return {"row": kind_of(row), "id": row.id, "before": None, "after": None}


def _only(these: dict[str, Any], others: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in these.items() if others[name] != value}


def specimen_of(row: Row | Mend) -> int | None:
    """The specimen that a row belongs to; None for what belongs to no single one."""
    match row:
        case Specimen():
            return row.id
        case Stack() | TileSet():
            return row.specimen_id
        case Take():
            return row.stack.specimen_id
        case Frame() | Product() | Mend() | Measure():
            return row.take.stack.specimen_id
        case _:
            return None


def stacks_of(session: Session, row: Row | Mend) -> list[int]:
    """The stacks whose history tells of a row: those of a specimen, or the one that it belongs to."""
    match row:
        case Specimen():
            return stacks.ids_of_specimen(session, row.id)
        case Stack():
            return [row.id]
        case Take():
            return [row.stack_id]
        case Frame() | Product() | Mend() | Measure():
            return [row.take.stack_id]
        case _:
            return []


def _did(row: Row, changes: list[dict[str, Any]]) -> str | None:
    """What the history calls a change; None for what it hears of otherwise."""
    changed = {name for change in changes for name in (change["after"] or {})}
    match row:
        case Stack():
            plan = changes[0]["before"] is None or "plan" in changed or "rig" in changed
            return "planned" if plan else "chosen" if "counted_merge_id" in changed else "corrected"
        case Specimen():
            return "corrected"
        case Frame():
            return "left out" if row.left_out else "taken back"
        case Take():
            return "developed" if "development" in changed else None
        case Product() | Measure():
            return "measured"
        case _:
            return None


def _write(session: Session, words: str, row: Row, changes: list[dict[str, Any]]) -> None:
    _keep(session, words, specimen_of(row), changes)
    _note(session, words, row, changes)


def _note(session: Session, words: str, row: Row, changes: list[dict[str, Any]]) -> None:
    """Let the histories concerned tell of a change."""
    did = _did(row, changes)
    if did is None:
        return
    facts: dict[str, Any] = {
        "changes": [{**change, "after": state(row)} if change["before"] is None else change for change in changes]
    }
    new = isinstance(row, Stack) and changes[0]["before"] is None
    if isinstance(row, Stack) and new:  # the label as it is now: each change of it has an entry of its own
        facts["specimen"] = state(row.specimen)
    for stack_id in stacks_of(session, row):
        history.note(session, stack_id, did, words, facts, new=new)


def _keep(session: Session, words: str, specimen_id: int | None, changes: list[dict[str, Any]]) -> None:
    deed = Deed(words=words[:400], specimen_id=specimen_id, changes=changes, by=PERSON.get())
    session.add(deed)
    session.flush()
    tasks.tell(session, "deed", {"id": deed.id})
