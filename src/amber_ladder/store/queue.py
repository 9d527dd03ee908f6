"""Handing long work to the worker through PostgreSQL."""

from functools import cache

from procrastinate import App, SyncPsycopgConnector
from procrastinate.exceptions import ConnectorException
from psycopg_pool import ConnectionPool

from amber_ladder.errors import DatabaseAway
from amber_ladder.settings import settings
from amber_ladder.store.database import AWAY

RUN = "run_task"
QUEUE = "work"
AT_ONCE, IN_THE_BACKGROUND = 10, 0


@cache
def _app() -> App:
    # Connections are tried before use, so that a restart of PostgreSQL heals.
    check = ConnectionPool.check_connection
    app = App(connector=SyncPsycopgConnector(conninfo=settings().database_url, timeout=5.0, check=check))
    app.open()
    return app


def enqueue(task_id: int, *, priority: int = AT_ONCE) -> None:
    """Let the worker do this task. Call it after the task's row is committed. Raises DatabaseAway."""
    try:
        _app().configure_task(RUN, queue=QUEUE, priority=priority).defer(task_id=task_id)
    except ConnectorException as error:
        raise DatabaseAway(AWAY) from error
