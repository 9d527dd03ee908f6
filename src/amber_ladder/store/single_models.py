"""The tables of what there is one of at a station."""

from typing import Any

from sqlalchemy.orm import Mapped, mapped_column

from amber_ladder.store.base import Base


class Bench(Base):
    """The one bench of this station: what stands on it and how it is set, as the use cases read it."""

    __tablename__ = "bench"

    id: Mapped[int] = mapped_column(primary_key=True)
    settings: Mapped[dict[str, Any]]


class Queueing(Base):
    """Whether merges are held back, for what, and until when."""

    __tablename__ = "queueing"

    id: Mapped[int] = mapped_column(primary_key=True)
    settings: Mapped[dict[str, Any]]


class StationRow(Base):
    """Whose station this is, and under which rights its pictures leave it."""

    __tablename__ = "station"

    id: Mapped[int] = mapped_column(primary_key=True)
    settings: Mapped[dict[str, Any]]


class Naming(Base):
    """How files are called that leave this station, and where they are given out."""

    __tablename__ = "naming"

    id: Mapped[int] = mapped_column(primary_key=True)
    settings: Mapped[dict[str, Any]]
