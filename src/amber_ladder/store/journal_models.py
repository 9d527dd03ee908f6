"""The tables of the journal and of the people in it: who did what, what was thrown away, who may sign in."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from amber_ladder.store.base import Base, now


class Discard(Base):
    """Something that was thrown away, with all that belonged to it, until it is restored or removed for good.

    ``kind`` and ``subject_id`` say which row it was; ``what`` in words, as it was called then.
    """

    __tablename__ = "discard"

    id: Mapped[int] = mapped_column(primary_key=True)
    kind: Mapped[str] = mapped_column(String(20))
    subject_id: Mapped[int]
    what: Mapped[str] = mapped_column(String(400))
    why: Mapped[str] = mapped_column(String(300))
    by: Mapped[str | None] = mapped_column(String(60))
    at: Mapped[datetime] = mapped_column(default=now)


class Discardable:
    """Rows that can be thrown away: those with a ``discard_id`` are out of every list; see store.database."""

    discard_id: Mapped[int | None] = mapped_column(ForeignKey(Discard.id), index=True)


class Deed(Base):
    """Something that a person changed, in words, and what stood before, so that it can be undone and looked up.

    ``changes`` lists rows: which kind, which number, and the columns before and after; before is null for a row that
    was added. ``specimen_id`` is the specimen that it concerns, None for rigs, parts and calibrations.
    """

    __tablename__ = "deed"

    id: Mapped[int] = mapped_column(primary_key=True)
    words: Mapped[str] = mapped_column(String(400))
    specimen_id: Mapped[int | None] = mapped_column(index=True)
    changes: Mapped[list[dict[str, Any]]] = mapped_column(JSONB)
    by: Mapped[str | None] = mapped_column(String(60))
    at: Mapped[datetime] = mapped_column(default=now, index=True)
    undone_at: Mapped[datetime | None]


class Account(Base):
    """A person who may sign in. Deeds keep the name, not the row: it may go."""

    __tablename__ = "account"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60), unique=True)
    password_hash: Mapped[str] = mapped_column(String(300))
    created_at: Mapped[datetime] = mapped_column(default=now)


class SignIn(Base):
    """A browser in which somebody has signed in. Only the token's checksum is kept: it opens nothing by itself."""

    __tablename__ = "sign_in"

    id: Mapped[int] = mapped_column(primary_key=True)
    account_id: Mapped[int] = mapped_column(ForeignKey("account.id", ondelete="CASCADE"), index=True)
    token_sha256: Mapped[str] = mapped_column(String(64), unique=True)
    created_at: Mapped[datetime] = mapped_column(default=now)
    seen_at: Mapped[datetime] = mapped_column(default=now)

    account: Mapped[Account] = relationship()


class SignInFailure(Base):
    """An attempt to sign in that failed: too many of them, and the next ones have to wait."""

    __tablename__ = "sign_in_failure"
    __table_args__ = (Index("sign_in_failure_name", "name", "at"), Index("sign_in_failure_address", "address", "at"))

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    address: Mapped[str] = mapped_column(String(60))
    at: Mapped[datetime] = mapped_column(default=now)
