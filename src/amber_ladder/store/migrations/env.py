"""Alembic's entry: runs the migrations on the application's own database."""

from alembic import context

from amber_ladder.store import (  # noqa: F401 - all tables join Base with them
    card_models,
    day_models,
    models,
    practice_models,
    series_models,
    worker_models,
)
from amber_ladder.store.base import Base
from amber_ladder.store.database import engine


def _ours(name: str | None, kind: str, _parents: object) -> bool:
    # The queue's tables belong to procrastinate: autogenerate must not drop them.
    return kind != "table" or name in Base.metadata.tables


with engine().connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata, include_name=_ours)
    with context.begin_transaction():
        context.run_migrations()
    connection.commit()
