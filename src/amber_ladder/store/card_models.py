"""The tables of cards: files that were brought in before they are stacks."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, Float, ForeignKey, LargeBinary, String, UniqueConstraint
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column, relationship

from amber_ladder.store.base import Base, checks, now
from amber_ladder.store.journal_models import Discardable
from amber_ladder.store.models import Task

Packed = bytes  # within CardFile, bytes is a column


class Card(Discardable, Base):
    """A run of files, as a camera's card holds them.

    ``folder`` is a folder of the server from which they are fetched, None for files that are sent. ``found`` is what
    the files themselves tell (borders, separators, strays, by the numbers of files), None until they were looked at;
    ``edits`` what a person changed of it; ``judged`` keeps each stack as it was judged, by its files.
    """

    __tablename__ = "card"
    __table_args__ = (*checks("card", named="name <> ''"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(120))
    folder: Mapped[str | None] = mapped_column(String(1000))
    task_id: Mapped[int | None] = mapped_column(ForeignKey("task.id"), index=True)
    found: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    edits: Mapped[dict[str, Any]] = mapped_column(default=dict)
    judged: Mapped[dict[str, Any]] = mapped_column(default=dict)
    created_at: Mapped[datetime] = mapped_column(default=now)

    task: Mapped[Task | None] = relationship()


class CardFile(Base):
    """A file of a card by its path there. One that cannot be used was ``refused``, and may not even be kept.

    ``known_as`` says where the same content was before. ``place`` is its place in the order of shooting. What a look
    at it told is in ``look`` (see work.card.looks); ``sharp`` is the detail of its sharpest parts, ``thumb`` a JPEG.
    """

    __tablename__ = "card_file"
    __table_args__ = (
        UniqueConstraint("card_id", "name"),
        *checks(
            "card_file",
            sha256="sha256 ~ '^[0-9a-f]{64}$'",
            kept_or_refused="sha256 is not null or refused is not null",
            counts="bytes >= 0 and place >= 0",
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    card_id: Mapped[int] = mapped_column(ForeignKey("card.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(500))
    sha256: Mapped[str | None] = mapped_column(String(64), index=True)
    suffix: Mapped[str | None] = mapped_column(String(5))
    bytes: Mapped[int] = mapped_column(BigInteger)
    known_as: Mapped[str | None] = mapped_column(String(300))
    refused: Mapped[str | None] = mapped_column(String(300))
    place: Mapped[int | None]
    width_px: Mapped[int | None]
    height_px: Mapped[int | None]
    bits: Mapped[int | None]
    noted: Mapped[dict[str, Any] | None] = mapped_column(JSONB(none_as_null=True))
    sharp: Mapped[float | None] = mapped_column(Float)
    look: Mapped[Packed | None] = mapped_column(LargeBinary, deferred=True)
    thumb: Mapped[Packed | None] = mapped_column(LargeBinary, deferred=True)
