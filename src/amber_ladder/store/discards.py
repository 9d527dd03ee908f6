"""What was thrown away: marked with all that belongs to it, brought back, or removed for good."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, or_, select, update
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from amber_ladder.errors import Conflict, NotFound
from amber_ladder.store.base import CHANGING
from amber_ladder.store.card_models import Card, CardFile
from amber_ladder.store.history_models import HistoryEntry
from amber_ladder.store.journal_models import Discard, Discardable
from amber_ladder.store.mend_models import Mend
from amber_ladder.store.models import (
    Calibration,
    Frame,
    Measure,
    Part,
    Product,
    Rig,
    RigVersion,
    Sorting,
    Specimen,
    Stack,
    Take,
    Task,
)
from amber_ladder.store.stacks import EVER
from amber_ladder.store.tile_models import TileSet

KINDS: dict[str, type[Any]] = {
    "specimen": Specimen, "stack": Stack, "take": Take, "merge": Product, "rig": Rig, "part": Part,
    "calibration": Calibration, "card": Card, "mend": Mend, "measure": Measure,
}  # fmt: skip
_BELONGS_TO: tuple[tuple[type[Any], str, type[Any]], ...] = (
    (Stack, "specimen_id", Specimen),
    (Take, "stack_id", Stack),
    (Product, "take_id", Take),
    (Product, "parent_id", Product),
    (Mend, "merge_id", Product),
    (Measure, "merge_id", Product),
    (Calibration, "rig_id", Rig),
)


@dataclass(frozen=True, slots=True)
class Removed:
    """What is on the disk of rows that are gone: products by number, and originals that nothing uses any more."""

    products: Sequence[int]
    originals: Sequence[tuple[str, str]]


def mark(session: Session, row: Discardable, discard: Discard) -> None:
    """Throw a row away, with all that belongs to it and was not thrown away before."""
    row.discard_id = discard.id
    session.flush()
    for child, column, parent in _BELONGS_TO:
        parents = select(parent.id).where(parent.discard_id == discard.id).execution_options(**EVER)
        # A product may stand on a product: again until nothing more is found.
        while True:
            query = select(child.id).where(getattr(child, column).in_(parents), child.discard_id.is_(None))
            found = list(session.scalars(query, execution_options=EVER))
            if not found:
                break
            session.execute(update(child).where(child.id.in_(found)).values(discard_id=discard.id))
    session.expire_all()


def get(session: Session, discard_id: int, *, locked: bool = False) -> Discard:
    """One discard. Raises NotFound."""
    discard = session.get(Discard, discard_id, with_for_update=CHANGING if locked else None)
    if discard is None:
        raise NotFound("this was restored meanwhile, or removed for good")
    return discard


def everything(session: Session) -> list[Discard]:
    """All that was thrown away and can be restored, latest first."""
    return list(session.scalars(select(Discard).order_by(Discard.id.desc())))


def restore(session: Session, discard: Discard) -> None:
    """Bring back what was thrown away. Raises Conflict where it belongs to what is gone, or its name is taken."""
    row = row_of(session, discard)
    for child, column, parent in _BELONGS_TO:
        if isinstance(row, child) and getattr(row, column) is not None:
            above = session.get(parent, getattr(row, column), execution_options=EVER)
            if above is not None and above.discard_id is not None:
                raise Conflict(f"what {discard.what} belongs to was thrown away too: restore that first")
    try:
        for kind in KINDS.values():
            session.execute(update(kind).where(kind.discard_id == discard.id).values(discard_id=None))
        session.delete(discard)
        session.flush()
    except IntegrityError as error:
        raise Conflict(f"{discard.what} cannot come back: its name is taken by now. Rename the other first.") from error
    session.expire_all()


def older_than(session: Session, moment: datetime) -> list[Discard]:
    """What was thrown away before a moment, earliest first: a part goes before the whole that it belonged to."""
    return list(session.scalars(select(Discard).where(Discard.at < moment).order_by(Discard.id)))


def remove(session: Session, discard: Discard) -> Removed:
    """Remove rows for good. Raises Conflict while a stack still stands on a rig that is among them."""
    takes = _ids(session, Take, discard)
    products = _ids(session, Product, discard)
    calibrations = list(session.scalars(select(Calibration).where(Calibration.discard_id == discard.id), **_all()))
    of_takes = session.execute(select(Frame.sha256, Frame.suffix).where(Frame.take_id.in_(takes)))
    originals = {(sha256, suffix) for sha256, suffix in of_takes}
    originals |= {(one["sha256"], one["suffix"]) for row in calibrations for one in row.pictures}
    cards = _ids(session, Card, discard)
    of_cards = select(CardFile.sha256, CardFile.suffix).where(CardFile.card_id.in_(cards), CardFile.sha256.is_not(None))
    originals |= {(sha256, suffix) for sha256, suffix in session.execute(of_cards) if sha256 and suffix}
    tasks = [one.task_id for one in calibrations if one.task_id]
    for row in (Take, Product, Card):
        query = select(row.task_id).where(row.discard_id == discard.id, row.task_id.is_not(None))
        tasks += list(session.scalars(query, **_all()))
    rigs = _ids(session, Rig, discard)
    try:
        for child, condition in (
            (Mend, or_(Mend.discard_id == discard.id, Mend.merge_id.in_(products))),
            (Measure, or_(Measure.discard_id == discard.id, Measure.merge_id.in_(products))),
            (Product, Product.id.in_(products)),
            (Sorting, Sorting.take_id.in_(takes)),
            (Frame, Frame.take_id.in_(takes)),
            (Take, Take.id.in_(takes)),
            (Calibration, Calibration.discard_id == discard.id),
            (CardFile, CardFile.card_id.in_(cards)),
            (Card, Card.id.in_(cards)),
            (Task, or_(Task.id.in_(tasks), Task.stack_id.in_(_ids(session, Stack, discard)))),
            (HistoryEntry, HistoryEntry.stack_id.in_(_ids(session, Stack, discard))),
            (Stack, Stack.discard_id == discard.id),
            (TileSet, TileSet.specimen_id.in_(_ids(session, Specimen, discard))),
            (Specimen, Specimen.discard_id == discard.id),
            (RigVersion, RigVersion.rig_id.in_(rigs)),
            (Rig, Rig.id.in_(rigs)),
            (Part, Part.discard_id == discard.id),
            (Discard, Discard.id == discard.id),
        ):
            session.execute(delete(child).where(condition))
    except IntegrityError as error:
        raise Conflict(f"{discard.what} is still used by something that was not thrown away") from error
    return Removed(products, sorted(_unused(session, originals)))


def _unused(session: Session, originals: set[tuple[str, str]]) -> Iterator[tuple[str, str]]:
    used = set[tuple[str, str]]()
    for kind in (Frame, CardFile):
        same = select(kind.sha256, kind.suffix).where(kind.sha256.in_([sha256 for sha256, _ in originals]))
        used |= {(sha256, suffix) for sha256, suffix in session.execute(same) if sha256 and suffix}
    for pictures in session.scalars(select(Calibration.pictures), **_all()):
        used |= {(one["sha256"], one["suffix"]) for one in pictures}
    return iter(originals - used)


def _ids(session: Session, kind: type[Any], discard: Discard) -> list[int]:
    return list(session.scalars(select(kind.id).where(kind.discard_id == discard.id), **_all()))


def row_of(session: Session, discard: Discard) -> Any:
    """What was thrown away."""
    return session.get_one(KINDS[discard.kind], discard.subject_id, execution_options=EVER)


def _all() -> dict[str, Any]:
    return {"execution_options": EVER}
