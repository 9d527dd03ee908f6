"""The table of exercises that somebody did."""

from datetime import datetime
from typing import Any

from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from amber_ladder.store.base import Base, checks, now


class Attempt(Base):
    """An exercise that was begun: what it is drawn from, who does it, what was answered, and how good that was.

    ``person`` is empty where nobody said who works. ``score`` and ``answer`` are None until it is answered.
    """

    __tablename__ = "attempt"
    __table_args__ = (*checks("attempt", score="score is null or (score >= 0 and score <= 1)"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    person: Mapped[str] = mapped_column(index=True)
    kind: Mapped[str]
    level: Mapped[int]
    drawn: Mapped[dict[str, Any]] = mapped_column(JSONB)
    note: Mapped[str] = mapped_column(default="")
    limit_s: Mapped[int | None]
    answer: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    verdict: Mapped[dict[str, Any] | None] = mapped_column(JSONB)
    score: Mapped[float | None]
    begun_at: Mapped[datetime] = mapped_column(default=now)
    answered_at: Mapped[datetime | None]
