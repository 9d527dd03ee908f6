"""The table of those who do long work."""

from datetime import datetime

from sqlalchemy import String
from sqlalchemy.orm import Mapped, mapped_column

from amber_ladder.store.base import Base


class Worker(Base):
    """One who does long work: the station's own, or one on another machine. ``seen_at`` is by the database's clock."""

    __tablename__ = "worker"

    name: Mapped[str] = mapped_column(String(60), primary_key=True)
    version: Mapped[str] = mapped_column(String(40))
    seen_at: Mapped[datetime]
