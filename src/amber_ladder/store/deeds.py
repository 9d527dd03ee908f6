"""What people did."""

from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from amber_ladder.errors import NotFound
from amber_ladder.store.journal_models import Deed


def get(session: Session, deed_id: int, *, locked: bool = False) -> Deed:
    """One deed; ``locked`` keeps others from undoing it too. Raises NotFound."""
    deed = session.get(Deed, deed_id, with_for_update=locked or None)
    if deed is None:
        raise NotFound(f"there is no deed {deed_id}")
    return deed


def last(session: Session, *, by: str | None, since: datetime) -> Deed | None:
    """The last one of a person that can be undone and was not."""
    mine = Deed.by == by if by is not None else Deed.by.is_(None)
    undoable = (Deed.undone_at.is_(None), func.jsonb_array_length(Deed.changes) > 0)
    return session.scalar(select(Deed).where(mine, Deed.at > since, *undoable).order_by(Deed.id.desc()).limit(1))


def of_specimen(session: Session, specimen_id: int) -> list[Deed]:
    """All that was done to a specimen, earliest first."""
    return list(session.scalars(select(Deed).where(Deed.specimen_id == specimen_id).order_by(Deed.id)))
