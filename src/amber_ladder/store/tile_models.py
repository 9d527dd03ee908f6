"""The table of tiles that are planned as a set."""

from datetime import datetime

from sqlalchemy import ForeignKey, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from amber_ladder.store.base import Base, checks, now


class TileSet(Base):
    """Stacks side by side, and the whole that they are laid together in: the set's stack with the tile number 0.

    ``field_um`` (width, height) is the rig's field when the set was planned, ``inner_share`` what of it every frame of
    a tile still shows after alignment: neighbours share ``overlap`` of that. ``first_at_um`` is what the stage says
    (right, down) when the field lies on tile 1, None while nobody told.
    """

    __tablename__ = "tile_set"
    __table_args__ = (
        *checks(
            "tile_set",
            size="columns >= 1 and rows >= 1 and columns * rows between 2 and 400",
            overlap="overlap > 0 and overlap < 1",
            order="\"order\" in ('rows', 'snake')",
            inner_share="inner_share > 0 and inner_share <= 1",
        ),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    specimen_id: Mapped[int] = mapped_column(ForeignKey("specimen.id"), index=True)
    columns: Mapped[int]
    rows: Mapped[int]
    overlap: Mapped[float]
    order: Mapped[str] = mapped_column(String(10))
    inner_share: Mapped[float]
    field_um: Mapped[list[float]] = mapped_column(JSONB)
    first_at_um: Mapped[list[float] | None] = mapped_column(JSONB(none_as_null=True))
    created_at: Mapped[datetime] = mapped_column(default=now)
