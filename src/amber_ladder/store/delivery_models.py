"""The table of packages that came from other stations."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from amber_ladder.store.base import Base, now
from amber_ladder.store.models import Task


class Delivery(Base):
    """A package that was received. ``task`` goes through it, or later brings it in.

    ``told`` is what it would bring, once it was gone through; ``entry`` how it shall be brought in, ``stack_id`` the
    stack that it became.
    """

    __tablename__ = "delivery"

    key: Mapped[str] = mapped_column(String(32), primary_key=True)
    sha256: Mapped[str] = mapped_column(String(64))
    task_id: Mapped[int] = mapped_column(ForeignKey("task.id"), index=True)
    told: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    entry: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    stack_id: Mapped[int | None]
    created_at: Mapped[datetime] = mapped_column(default=now)

    task: Mapped[Task] = relationship()
