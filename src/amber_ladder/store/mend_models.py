"""The tables of mends: steps laid on a merge, as a list of changes that can be undone to the beginning."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from amber_ladder.store.base import Base, checks, now
from amber_ladder.store.journal_models import Discardable
from amber_ladder.store.models import Product, Take


class Mend(Discardable, Base):
    """A mend of a merge. Its first ``position`` changes count; those behind it were undone, and can be done again.

    ``revision`` counts every change of what it comes to, undoing too. ``judged`` says of places of the merge how a
    person left them. ``position`` and ``revision`` alone move on: a change that was made is never altered.
    """

    __tablename__ = "mend"
    __table_args__ = (
        UniqueConstraint("take_id", "number"),
        *checks("mend", named="name <> ''", number="number >= 1", counts="position >= 0 and revision >= 1"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id"))
    merge_id: Mapped[int] = mapped_column(ForeignKey("product.id"), index=True)
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(120))
    position: Mapped[int] = mapped_column(default=0)
    revision: Mapped[int] = mapped_column(default=1)
    judged: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = mapped_column(default=now)

    take: Mapped[Take] = relationship()
    merge: Mapped[Product] = relationship()
    changes: Mapped[list["MendChange"]] = relationship(order_by="MendChange.place")


class MendChange(Base):
    """One change of a mend's steps: ``change`` holds a step (STEPS.json), the number it has, and what is said of it."""

    __tablename__ = "mend_change"
    __table_args__ = (UniqueConstraint("mend_id", "place"), *checks("mend_change", place="place >= 0"))

    id: Mapped[int] = mapped_column(primary_key=True)
    mend_id: Mapped[int] = mapped_column(ForeignKey("mend.id", ondelete="CASCADE"))
    place: Mapped[int]
    change: Mapped[dict[str, Any]]
    by: Mapped[str | None] = mapped_column(String(60))
    at: Mapped[datetime] = mapped_column(default=now)
