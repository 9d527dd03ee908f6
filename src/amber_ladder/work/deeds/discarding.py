"""Throwing away, with the reason, out of all lists; and bringing back."""

import shutil
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Annotated, Any, Literal

from pydantic import StringConstraints

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.formats.rig_json import Strict
from amber_ladder.settings import settings
from amber_ladder.store import discards, rigs, tasks
from amber_ladder.store.base import PERSON, now
from amber_ladder.store.card_models import Card
from amber_ladder.store.database import Session, transaction
from amber_ladder.store.frame_store import FrameStore
from amber_ladder.store.journal_models import Discard
from amber_ladder.store.mend_models import Mend
from amber_ladder.store.models import Calibration, Measure, Part, Product, Rig, Specimen, Stack, Take
from amber_ladder.work.journal import threw_away, took_back

KEPT_DAYS = 30
Kind = Literal["specimen", "stack", "take", "merge", "rig", "part", "calibration", "card", "mend", "measure"]


class DiscardEntry(Strict):
    """What to throw away, and why."""

    kind: Kind
    id: int
    why: Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=300)]


@dataclass(frozen=True, slots=True)
class DiscardView:
    """Something that was thrown away. ``removed_on`` is when it goes for good, None where nothing is removed."""

    id: int
    kind: Kind
    what: str
    why: str
    by: str | None
    at: datetime
    removed_on: datetime | None


def discard(entry: DiscardEntry) -> DiscardView:
    """Throw something away, with all that belongs to it. Raises NotFound, and Conflict while it is being worked on."""
    with transaction() as session:
        # Locked whole: nothing more may come to it meanwhile.
        row = session.get(discards.KINDS[entry.kind], entry.id, with_for_update=True)
        if row is None or (isinstance(row, Product) and row.kind != entry.kind):
            raise NotFound(f"there is no {entry.kind} {entry.id}")
        _refuse_in_use(session, row)
        return _view(throw_away(session, entry.kind, row, entry.why))


def throw_away(session: Session, kind: str, row: Any, why: str) -> Discard:
    """Throw a row away and write that down."""
    what = _name(row)
    one = Discard(kind=kind, subject_id=row.id, what=what[:400], why=why, by=PERSON.get())
    session.add(one)
    session.flush()
    threw_away(session, f"{what} discarded: {why}", row, one.id)
    discards.mark(session, row, one)
    return one


def discarded() -> list[DiscardView]:
    """All that can be brought back, latest first."""
    with transaction() as session:
        return [_view(one) for one in discards.everything(session)]


def restore(discard_id: int) -> list[DiscardView]:
    """Bring something back. Raises NotFound, and Conflict where it belongs to what is gone, or its name is taken."""
    with transaction() as session:
        discard = discards.get(session, discard_id, locked=True)
        what, row = discard.what, discards.row_of(session, discard)
        discards.restore(session, discard)
        took_back(session, "restored", f"{what} restored", row)
        tasks.tell(session, "deed", {"id": None})
    return discarded()


def remove_old(moment: datetime | None = None) -> int:
    """Remove for good what was thrown away 30 days before ``moment``, with its files; returns how much that was.

    Rows go first: a kill in between leaves files that nothing points at, which the doctor finds.
    """
    store, count = FrameStore(settings().data), 0
    with transaction() as session:
        ids = [one.id for one in discards.older_than(session, (moment or now()) - timedelta(days=KEPT_DAYS))]
    for discard_id in ids:
        try:
            with transaction() as session:
                removed = discards.remove(session, discards.get(session, discard_id, locked=True))
        except (Conflict, NotFound):
            continue  # still used, or restored meanwhile
        count += 1
        for product_id in removed.products:
            shutil.rmtree(store.product_folder(product_id), ignore_errors=True)
            for kind in ("composite", "depth"):
                shutil.rmtree(store.tiles_folder(f"merge-{product_id:06d}-{kind}"), ignore_errors=True)
        for sha256, suffix in removed.originals:
            store.remove(sha256, suffix)
    return count


def _refuse_in_use(session: Session, row: Any) -> None:
    if isinstance(row, Rig):
        bench = rigs.on_bench(session)
        if bench is not None and bench.id == row.id:
            raise Conflict(f"{row.name} stands on the bench: put another rig there first")
    if isinstance(row, Calibration) and row.result is not None and row.set_aside_at is None:
        raise Conflict("this calibration counts: set it aside first")
    if any(task.state not in tasks.ENDED for task in _tasks(row)):
        raise Conflict(f"{_name(row)} is being worked on: stop that first")


def _tasks(row: Any) -> list[Any]:
    match row:
        case Specimen():
            return [task for stack in row.stacks for task in _tasks(stack)]
        case Stack():
            return [task for take in row.takes for task in _tasks(take)]
        case Take():
            return [task for task in (row.task, *(one.task for one in row.products)) if task]
        case Product() | Calibration() | Card():
            return [row.task] if row.task else []
        case _:
            return []


_NAMES: dict[type[Any], Callable[[Any], str]] = {
    Specimen: lambda row: f"{row.catalogue_number} {row.name}",
    Stack: lambda row: f"stack {row.number} of {row.specimen.catalogue_number}",
    Take: lambda row: f"take {row.number} of {_name(row.stack)}",
    Product: lambda row: f"{row.kind} {row.number} ({row.settings.get('method', '')}) of {_name(row.take)}",
    Rig: lambda row: f"rig {row.name}",
    Part: lambda row: f"{row.kind} {row.name}",
    Calibration: lambda row: f"calibration ({row.kind.replace('_', ' ')}) of {row.rig.name}",
    Card: lambda row: f"card {row.name}",
    Mend: lambda row: f"{row.name} of {_name(row.take)}",
    Measure: lambda row: f"measure {row.name} of {_name(row.take)}",
}


def _name(row: Any) -> str:
    return _NAMES[type(row)](row)


def _view(one: Discard) -> DiscardView:
    goes = one.at + timedelta(days=KEPT_DAYS) if settings().remove_discarded else None
    return DiscardView(one.id, one.kind, one.what, one.why, one.by, one.at, goes)  # type: ignore[arg-type]
