"""What people did."""

from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from amber_ladder.errors import NotFound
from amber_ladder.store.base import CHANGING
from amber_ladder.store.journal_models import Deed


def get(session: Session, deed_id: int, *, locked: bool = False) -> Deed:
    """One deed; ``locked`` keeps others from undoing it too. Raises NotFound."""
    deed = session.get(Deed, deed_id, with_for_update=CHANGING if locked else None)
    if deed is None:
        raise NotFound(f"there is no deed {deed_id}")
    return deed


def latest(session: Session, *, by: str | None, since: datetime, most: int) -> list[Deed]:
    """The latest of a person that can be undone and were not, the last one first."""
    mine = Deed.by == by if by is not None else Deed.by.is_(None)
    undoable = (Deed.undone_at.is_(None), func.jsonb_array_length(Deed.changes) > 0)
    query = select(Deed).where(mine, Deed.at > since, *undoable).order_by(Deed.id.desc()).limit(most)
    return list(session.scalars(query))


def of_specimen(session: Session, specimen_id: int) -> list[Deed]:
    """All that was done to a specimen, earliest first."""
    return list(session.scalars(select(Deed).where(Deed.specimen_id == specimen_id).order_by(Deed.id)))
