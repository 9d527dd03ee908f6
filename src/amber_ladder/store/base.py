"""What all tables share. Lengths carry their unit in the name; times are UTC unless they are a camera's own clock."""

from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import CheckConstraint, DateTime, Index, text
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import DeclarativeBase

PERSON: ContextVar[str | None] = ContextVar("person", default=None)
"""Who asks: an account's name, else the initials that somebody works under; None where nobody said."""

CHANGING: dict[str, Any] = {"key_share": True}
"""How a row is locked that is to be changed: rows that point at it can still be written.

Locked whole, a task in a worker's hand keeps its card from being changed, and the card keeps the task from its end.
"""


def now() -> datetime:
    """The present moment in UTC."""
    return datetime.now(UTC)


def unique_among_kept(name: str, *columns: str) -> Index:
    """What was thrown away does not keep its name from others."""
    return Index(name, *columns, unique=True, postgresql_where=text("discard_id is null"))


def checks(table: str, **conditions: str) -> tuple[CheckConstraint, ...]:
    """What the database itself refuses: as strict as the entries that people make."""
    return tuple(CheckConstraint(condition, name=f"{table}_{name}") for name, condition in conditions.items())


class Base(DeclarativeBase):
    """Base of all tables."""

    type_annotation_map = {datetime: DateTime(timezone=True), dict[str, Any]: JSONB}  # noqa: RUF012
