"""The table of series of measures: what is measured on every specimen of a kind."""

from datetime import datetime
from typing import Any

from sqlalchemy import String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from amber_ladder.store.base import Base, checks, now


class MeasureSeries(Base):
    """The series of one kind of specimen: ``items`` has a name and a kind of measure each, in the order of picking.

    A measure belongs to the item that has its name and its kind. A kind without a series has no items, or no row.
    """

    __tablename__ = "measure_series"
    __table_args__ = (*checks("measure_series", named="specimen_kind <> ''"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    specimen_kind: Mapped[str] = mapped_column(String(60), unique=True)
    items: Mapped[list[dict[str, Any]]] = mapped_column(JSONB, default=list)
    created_at: Mapped[datetime] = mapped_column(default=now)
