"""Handing long work to the workers through PostgreSQL."""

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


def enqueue(task_id: int, *, priority: int = AT_ONCE, where: str = AT_STATION) -> None:
    """Let a worker do this task. Call it after the task's row is committed. Raises DatabaseAway."""
    try:
        _defer(task_id, priority, where)
    except ConnectorException:
        # The pool may still be waiting out a restart of PostgreSQL that is over: a new one asks at once.
        _app().close()
        _app.cache_clear()
        try:
            _defer(task_id, priority, where)
        except ConnectorException as error:
            raise DatabaseAway(AWAY) from error


def turns(session: Session) -> list[int]:
    """The tasks that wait for a worker, in the order in which they are taken."""
    waiting = text(
        "select (args->>'task_id')::int from procrastinate_jobs where queue_name in (:here, :anywhere) "
        "and status = 'todo' order by priority desc, id"
    )
    return list(session.scalars(waiting, {"here": AT_STATION, "anywhere": ANYWHERE}))


def forget(session: Session, task_id: int) -> None:
    """Take a task out of the queue, wherever it stands there: it is put in anew."""
    session.execute(text("delete from procrastinate_jobs where args->>'task_id' = :task"), {"task": str(task_id)})


def _defer(task_id: int, priority: int, where: str) -> None:
    _app().configure_task(RUN, queue=where, priority=priority).defer(task_id=task_id)
