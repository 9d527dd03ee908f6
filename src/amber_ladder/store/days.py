"""Days at the bench."""

from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from amber_ladder.store.base import CHANGING, now
from amber_ladder.store.day_models import Day


def find(session: Session, on: date) -> Day | None:
    """The list of a date, None where nobody made one."""
    return session.scalar(select(Day).where(Day.on == on))


def locked(session: Session, on: date, *, starts_at: datetime, ends_at: datetime) -> Day:
    """The list of a date, made empty where there is none; nobody else changes it until the transaction ends."""
    empty = insert(Day).values(on=on, starts_at=starts_at, ends_at=ends_at, breaks=[], items=[], change_s=0,
                               set_up_s=0, revision=0, created_at=now())  # fmt: skip
    session.execute(empty.on_conflict_do_nothing())
    return session.scalars(select(Day).where(Day.on == on).with_for_update(**CHANGING)).one()
