"""Sessions on PostgreSQL, and its absence said plainly."""

import logging
from collections.abc import Iterator
from contextlib import contextmanager
from functools import cache
from pathlib import Path

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from psycopg.errors import DeadlockDetected, DiskFull, NumericValueOutOfRange
from sqlalchemy import create_engine, event
from sqlalchemy.engine import Engine
from sqlalchemy.exc import DataError, DBAPIError, OperationalError
from sqlalchemy.orm import ORMExecuteState, Session, object_session, with_loader_criteria

from amber_ladder.errors import BadInput, Collided, DatabaseAway, NotFound, StorageFull
from amber_ladder.settings import settings
from amber_ladder.store.base import Base
from amber_ladder.store.history import seal
from amber_ladder.store.journal_models import Discardable

__all__ = ["AWAY", "Session", "engine", "migrate", "newest", "revision", "session_of", "transaction"]

log = logging.getLogger(__name__)
_MIGRATIONS = Path(__file__).parent / "migrations"
_NO_ROOM = "No room left on the disk of the database: nothing was changed. Free some space and try again."
_CONNECTS_WITHIN_S = 10  # a machine under load lets a new connection wait
AWAY = "The database does not answer. Nothing was changed; try again once it is back."


@cache
def engine() -> Engine:
    """This process's connection pool; connections are tried before use, so a restart of PostgreSQL heals."""
    url = settings().database_url.replace("postgresql://", "postgresql+psycopg://", 1)
    return create_engine(url, pool_pre_ping=True, pool_size=10, connect_args={"connect_timeout": _CONNECTS_WITHIN_S})


@contextmanager
def transaction(*, steady: bool = False) -> Iterator[Session]:
    """A session that commits at the end and rolls back on error. Raises DatabaseAway, and Collided where two changes

    waited for each other. A ``steady`` one, for reading alone, sees all as it was at its first look, whatever is thrown
    away meanwhile: lists that go from row to row need that.
    """
    try:
        with Session(engine(), expire_on_commit=False) as session, session.begin():
            if steady:
                session.connection(execution_options={"isolation_level": "REPEATABLE READ"})
            yield session
            seal(session)
    except OperationalError as error:
        if isinstance(error.orig, DiskFull):
            raise StorageFull(_NO_ROOM) from error
        log.info("the database: %s", error.orig)
        if isinstance(error.orig, DeadlockDetected):
            raise Collided(
                "somebody changed the same at this very moment, and nothing was changed: try again"
            ) from error
        raise DatabaseAway(AWAY) from error
    except DataError as error:
        if isinstance(error.orig, NumericValueOutOfRange):
            raise NotFound("there is nothing of that number") from error
        raise BadInput("this text holds a character that cannot be kept (NUL): take it out") from error
    except DBAPIError as error:
        if error.connection_invalidated:
            log.info("the database: %s", error.orig)
            raise DatabaseAway(AWAY) from error
        raise


def session_of(row: Base) -> Session:
    """The session within whose transaction a row was read."""
    session = object_session(row)
    assert session is not None, "a row is read within a transaction"
    return session


@event.listens_for(Session, "do_orm_execute")
def _leave_out_discarded(query: ORMExecuteState) -> None:
    """What was thrown away is in no answer, unless a query asks for it (``with_discarded``)."""
    if query.is_select and not query.is_column_load and not query.execution_options.get("with_discarded"):
        kept = with_loader_criteria(Discardable, lambda row: row.discard_id.is_(None), include_aliases=True)
        query.statement = query.statement.options(kept)


def migrate(location: Path = _MIGRATIONS) -> None:
    """Bring the tables to this version, or leave them as they are: all of it is one transaction."""
    config = Config()
    config.set_main_option("script_location", str(location))
    command.upgrade(config, "head")


def revision() -> str | None:
    """How far the tables have been brought; None for an empty database."""
    with engine().connect() as connection:
        return MigrationContext.configure(connection).get_current_revision()


def newest(location: Path = _MIGRATIONS) -> tuple[str, frozenset[str]]:
    """How far this version brings them, and all steps that it knows."""
    script = ScriptDirectory(str(location))
    head = script.get_current_head()
    assert head is not None
    return head, frozenset(step.revision for step in script.walk_revisions())
