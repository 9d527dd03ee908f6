"""The tables of the ledger: a line for each stack, kept ready, and views that somebody saved."""

from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, String
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from amber_ladder.store.base import Base, now


class LedgerRow(Base):
    """What the ledger shows of a stack: of the merge that counts and its take, or else of its latest take.

    What is not known is None. Steps are of the stage where nothing else is said; ``sharp_um``, ``step_in_medium_um``
    and ``depth_um`` are in the medium, ``step_ratio`` is step over sharp depth. ``seconds`` is how long
    shooting at the bench and merging took.
    ``frames_carried`` gave at least a hundredth of the picture each; ``spare_used`` of the spare rungs did so at the
    end at which more did, None where even the last one did. ``drawing`` is the ladder in small, ``series`` has
    values of the named measures, ``words`` all that a search looks through.
    """

    __tablename__ = "ledger_row"

    stack_id: Mapped[int] = mapped_column(ForeignKey("stack.id", ondelete="CASCADE"), primary_key=True)
    catalogue_number: Mapped[str | None]
    name: Mapped[str | None]
    specimen_kind: Mapped[str | None]
    medium: Mapped[str | None]
    rig_name: Mapped[str | None]
    scale_from: Mapped[str | None]
    method: Mapped[str | None]
    shot_with: Mapped[str | None]
    light: Mapped[str | None]
    magnification: Mapped[float | None]
    effective_f_number: Mapped[float | None]
    numerical_aperture: Mapped[float | None]
    detail_um: Mapped[float | None]
    sharp_um: Mapped[float | None]
    step_planned_um: Mapped[float | None]
    step_um: Mapped[float | None]
    step_in_medium_um: Mapped[float | None]
    step_ratio: Mapped[float | None]
    overlap: Mapped[float | None]
    depth_um: Mapped[float | None]
    um_per_px: Mapped[float | None]
    u_um_per_px: Mapped[float | None]
    mended_share: Mapped[float | None]
    seconds: Mapped[float | None]
    stack_number: Mapped[int | None]
    take_number: Mapped[int | None]
    rig_version: Mapped[int | None]
    frames_planned: Mapped[int | None]
    frames_shot: Mapped[int | None]
    frames_used: Mapped[int | None]
    frames_carried: Mapped[int | None]
    spare_used: Mapped[int | None]
    frames_left_out: Mapped[int | None]
    merge_number: Mapped[int | None]
    gaps: Mapped[int | None]
    ends_open: Mapped[int | None]
    moved: Mapped[int | None]
    findings: Mapped[int | None]
    measures: Mapped[int | None]
    planned_at: Mapped[datetime]
    shot_at: Mapped[datetime | None]
    merged_at: Mapped[datetime | None]
    take_id: Mapped[int | None]
    merge_id: Mapped[int | None]
    drawing: Mapped[dict[str, Any]] = mapped_column(JSONB)
    series: Mapped[dict[str, Any]] = mapped_column(JSONB)
    words: Mapped[str]


class LedgerStale(Base):
    """A stack whose line is behind what happened to it. Many may name the same: nobody waits for another."""

    __tablename__ = "ledger_stale"

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True)
    stack_id: Mapped[int]


class LedgerView(Base):
    """A way to look at the ledger: filter, order and columns, as they stand in the address."""

    __tablename__ = "ledger_view"

    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80), unique=True)
    search: Mapped[str] = mapped_column(String(4000))
    created_at: Mapped[datetime] = mapped_column(default=now)
