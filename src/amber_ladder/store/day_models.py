"""The table of days: what is to be shot on a date, in which order, within which hours."""

from datetime import date, datetime
from typing import Any

from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from amber_ladder.store.base import Base, checks, now


class Day(Base):
    """One day at the bench. ``breaks`` are pairs of moments; ``items`` name stacks, in the order to be shot.

    Of each item stand its stack, when it was added, how long it takes to set up (None for as long as the day says),
    the last moment that was said for it, and how it vanishes. A date without a list has no items, or no row.
    """

    __tablename__ = "day"
    __table_args__ = (
        *checks(
            "day",
            hours="ends_at > starts_at",
            change="change_s between 0 and 36000",
            set_up="set_up_s between 0 and 36000",
            revision="revision >= 0",
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    on: Mapped[date] = mapped_column(unique=True)
    starts_at: Mapped[datetime]
    ends_at: Mapped[datetime]
    breaks: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    change_s: Mapped[int]
    set_up_s: Mapped[int]
    items: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    revision: Mapped[int] = mapped_column(default=0)
    created_at: Mapped[datetime] = mapped_column(default=now)
