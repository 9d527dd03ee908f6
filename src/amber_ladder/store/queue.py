"""Handing long work to the worker through PostgreSQL."""

from functools import cache

from procrastinate import App, SyncPsycopgConnector
from procrastinate.exceptions import ConnectorException
from sqlalchemy import text
from sqlalchemy.orm import Session

from amber_ladder.errors import DatabaseAway
from amber_ladder.settings import settings
from amber_ladder.store.database import AWAY

RUN = "run_task"
QUEUE = "work"
AT_ONCE, IN_THE_BACKGROUND = 10, 0


@cache
def _app() -> App:
    app = App(connector=SyncPsycopgConnector(conninfo=settings().database_url, timeout=5.0))
    app.open()
    return app


def enqueue(task_id: int, *, priority: int = AT_ONCE) -> None:
    """Let the worker do this task. Call it after the task's row is committed. Raises DatabaseAway."""
    try:
        _defer(task_id, priority)
    except ConnectorException:
        # The pool may still be waiting out a restart of PostgreSQL that is over: a new one asks at once.
        _app().close()
        _app.cache_clear()
        try:
            _defer(task_id, priority)
        except ConnectorException as error:
            raise DatabaseAway(AWAY) from error


def turns(session: Session) -> list[int]:
    """The tasks that wait for the worker, in the order in which it will take them."""
    waiting = text(
        "select (args->>'task_id')::int from procrastinate_jobs where queue_name = :queue and status = 'todo' "
        "order by priority desc, id"
    )
    return list(session.scalars(waiting, {"queue": QUEUE}))


def _defer(task_id: int, priority: int) -> None:
    _app().configure_task(RUN, queue=QUEUE, priority=priority).defer(task_id=task_id)
