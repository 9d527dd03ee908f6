"""Handing long work to the workers through PostgreSQL."""

from collections.abc import Sequence
from datetime import datetime
from functools import cache

from procrastinate import App, SyncPsycopgConnector
from procrastinate.exceptions import ConnectorException
from sqlalchemy import text
from sqlalchemy.orm import Session

from amber_ladder.errors import DatabaseAway
from amber_ladder.settings import settings
from amber_ladder.store.database import AWAY

RUN = "run_task"
AT_STATION, ANYWHERE = "work", "anywhere"
"""What only the station's own worker can do, and what those on other machines can do as well."""
AT_ONCE, IN_THE_BACKGROUND = 10, 0


@cache
def _app() -> App:
    app = App(connector=SyncPsycopgConnector(conninfo=settings().database_url, timeout=5.0))
    app.open()
    return app


def enqueue(
    task_id: int, *, priority: int = AT_ONCE, where: str = AT_STATION, not_before: datetime | None = None
) -> None:
    """Let a worker do this task. Call it after the task's row is committed. Raises DatabaseAway."""
    try:
        _defer(task_id, priority, where, not_before)
    except ConnectorException:
        # The pool may still be waiting out a restart of PostgreSQL that is over: a new one asks at once.
        _app().close()
        _app.cache_clear()
        try:
            _defer(task_id, priority, where, not_before)
        except ConnectorException as error:
            raise DatabaseAway(AWAY) from error


def turns(session: Session) -> list[int]:
    """The tasks that wait for a worker, in the order in which they are taken."""
    waiting = text(
        "select (args->>'task_id')::int from procrastinate_jobs where queue_name in (:here, :anywhere) "
        "and status = 'todo' order by priority desc, id"
    )
    return list(session.scalars(waiting, {"here": AT_STATION, "anywhere": ANYWHERE}))


def put_in_order(session: Session, task_ids: Sequence[int]) -> None:
    """Let these be taken first, in this order, then whatever else waits; what does not wait any more is passed over."""
    waiting = turns(session)
    first = [one for one in task_ids if one in waiting]
    order = [*first, *(one for one in waiting if one not in set(first))]
    change = text(
        "update procrastinate_jobs set priority = :priority where status = 'todo' and args->>'task_id' = :task"
    )
    # All above what is asked for later: that comes last, as before.
    rows = [{"task": str(one), "priority": AT_ONCE + len(order) - place} for place, one in enumerate(order)]
    if rows:
        session.execute(change, rows)


def held_back(session: Session) -> dict[int, datetime]:
    """Tasks that wait for a moment that has not come, and which."""
    waiting = text(
        "select (args->>'task_id')::int, scheduled_at from procrastinate_jobs "
        "where status = 'todo' and scheduled_at > now()"
    )
    return {row[0]: row[1] for row in session.execute(waiting)}


def hold(session: Session, until: datetime | None) -> None:
    """Let no worker take up merges before this moment; None lets them go on."""
    change = text(
        "update procrastinate_jobs set scheduled_at = :until where status = 'todo' and queue_name = :anywhere"
    )
    session.execute(change, {"until": until, "anywhere": ANYWHERE})


def forget(session: Session, task_id: int) -> None:
    """Take a task out of the queue, wherever it stands there: it is put in anew."""
    session.execute(text("delete from procrastinate_jobs where args->>'task_id' = :task"), {"task": str(task_id)})


def _defer(task_id: int, priority: int, where: str, not_before: datetime | None) -> None:
    _app().configure_task(RUN, queue=where, priority=priority, schedule_at=not_before).defer(task_id=task_id)
