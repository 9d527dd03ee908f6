"""Packages that came from other stations."""

from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import or_, select
from sqlalchemy.orm import Session

from amber_ladder.errors import NotFound
from amber_ladder.store.base import CHANGING
from amber_ladder.store.delivery_models import Delivery
from amber_ladder.store.models import Task

GONE = "this package is not here any more: choose its file again"


def get(session: Session, key: str, *, locked: bool = False) -> Delivery:
    """One that was received. Raises NotFound."""
    delivery = session.get(Delivery, key, with_for_update=CHANGING if locked else None)
    if delivery is None:
        raise NotFound(GONE)
    return delivery


def of_task(session: Session, task: Task) -> Delivery:
    """The one that a task works on."""
    return session.scalars(select(Delivery).where(Delivery.task_id == task.id)).one()


def everything(session: Session) -> Sequence[Delivery]:
    """All that were received and not removed."""
    return session.scalars(select(Delivery)).all()


def done_with(session: Session, before: datetime) -> Sequence[Delivery]:
    """Those that were brought in, and those that came before this moment and were not."""
    return session.scalars(
        select(Delivery).where(or_(Delivery.stack_id.is_not(None), Delivery.created_at < before))
    ).all()
