"""Days at the bench."""

from datetime import date, datetime

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from amber_ladder.store.base import CHANGING, now
from amber_ladder.store.day_models import Day
from amber_ladder.store.models import Stack, Take, Task
from amber_ladder.store.tasks import RUN


def find(session: Session, on: date) -> Day | None:
    """The list of a date, None where nobody made one."""
    return session.scalar(select(Day).where(Day.on == on))


def locked(session: Session, on: date, *, starts_at: datetime, ends_at: datetime) -> Day:
    """The list of a date, made empty where there is none; nobody else changes it until the transaction ends."""
    empty = insert(Day).values(on=on, starts_at=starts_at, ends_at=ends_at, breaks=[], items=[], change_s=0,
                               set_up_s=0, revision=0, created_at=now())  # fmt: skip
    session.execute(empty.on_conflict_do_nothing())
    return session.scalars(select(Day).where(Day.on == on).with_for_update(**CHANGING)).one()


def runs_since(session: Session, since: datetime) -> list[tuple[int, int, datetime, datetime]]:
    """Runs at the bench that are over: stack, rig, and when each began and ended."""
    found = session.execute(
        select(Stack.id, Stack.rig_id, Take.created_at, Task.ended_at)
        .join(Take, Take.stack_id == Stack.id)
        .join(Task, Take.task_id == Task.id)
        .where(Task.kind == RUN, Task.ended_at.is_not(None), Take.created_at >= since)
    )
    return [(stack, rig, begun, ended) for stack, rig, begun, ended in found if ended is not None]
