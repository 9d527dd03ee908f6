"""The table of what happened to each stack."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from amber_ladder.store.base import Base, checks


class HistoryEntry(Base):
    """Something that happened to a stack; the database refuses to alter one. See core.history for the checksums.

    ``facts`` hold what it came to, and for a correction what stood before: as text, for a checksum is of each digit.
    """

    __tablename__ = "history_entry"
    __table_args__ = (
        UniqueConstraint("stack_id", "number"),
        *checks(
            "history_entry",
            number="number >= 1",
            sums="sha256 ~ '^[0-9a-f]{64}$' and before ~ '^[0-9a-f]{64}$'",
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    stack_id: Mapped[int] = mapped_column(ForeignKey("stack.id"))
    number: Mapped[int]
    at: Mapped[datetime]
    by: Mapped[str | None] = mapped_column(String(60))
    did: Mapped[str] = mapped_column(String(20))
    words: Mapped[str] = mapped_column(String(400))
    facts: Mapped[dict[str, Any]] = mapped_column(JSON)
    version: Mapped[str] = mapped_column(String(40))
    before: Mapped[str] = mapped_column(String(64))
    sha256: Mapped[str] = mapped_column(String(64))

    def as_json(self) -> dict[str, Any]:
        """As it stands in a record: all but its place in the database."""
        return {
            "number": self.number, "at": self.at.astimezone(UTC).isoformat(timespec="microseconds"), "by": self.by,
            "did": self.did, "words": self.words, "facts": self.facts, "version": self.version,
            "before": self.before, "sha256": self.sha256,
        }  # fmt: skip
