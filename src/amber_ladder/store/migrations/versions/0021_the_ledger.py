"""A line for each stack, kept ready for the ledger; stacks whose line is behind; and views that somebody saved."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None

_TEXT = ("catalogue_number", "name", "specimen_kind", "medium", "rig_name", "scale_from", "method", "shot_with")
_NUMBERS = (
    "magnification", "effective_f_number", "numerical_aperture", "detail_um", "sharp_um", "step_planned_um", "step_um",
    "step_in_medium_um", "step_ratio", "overlap", "depth_um", "um_per_px", "u_um_per_px", "mended_share", "seconds",
)  # fmt: skip
_COUNTS = (
    "stack_number", "take_number", "rig_version", "frames_planned", "frames_shot", "frames_used", "frames_carried",
    "frames_left_out", "merge_number", "gaps", "ends_open", "moved", "findings", "measures",
)  # fmt: skip


def upgrade() -> None:
    op.create_table(
        "ledger_row",
        sa.Column("stack_id", sa.Integer(), sa.ForeignKey("stack.id", ondelete="CASCADE"), primary_key=True),
        *(sa.Column(name, sa.String(), nullable=True) for name in _TEXT),
        *(sa.Column(name, sa.Double(), nullable=True) for name in _NUMBERS),
        *(sa.Column(name, sa.Integer(), nullable=True) for name in _COUNTS),
        sa.Column("planned_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("shot_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("merged_at", sa.DateTime(timezone=True), nullable=True),
        sa.Column("take_id", sa.Integer(), nullable=True),
        sa.Column("merge_id", sa.Integer(), nullable=True),
        sa.Column("drawing", JSONB(), nullable=False),
        sa.Column("series", JSONB(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
    )
    op.create_table(
        "ledger_stale",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("stack_id", sa.Integer(), nullable=False),
    )
    op.create_table(
        "ledger_view",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(80), nullable=False, unique=True),
        sa.Column("search", sa.String(4000), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.execute("insert into ledger_stale (stack_id) select id from stack")


def downgrade() -> None:
    for name in ("ledger_view", "ledger_stale", "ledger_row"):
        op.drop_table(name)
