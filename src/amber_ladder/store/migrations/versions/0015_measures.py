"""Measures: places picked on a merge."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "measure",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("merge_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("picks", JSONB(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("discard_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["take_id"], ["take.id"]),
        sa.ForeignKeyConstraint(["merge_id"], ["product.id"]),
        sa.ForeignKeyConstraint(["discard_id"], ["discard.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("take_id", "number"),
        sa.CheckConstraint("name <> ''", name="measure_named"),
        sa.CheckConstraint("number >= 1", name="measure_number"),
        sa.CheckConstraint("jsonb_array_length(picks) >= 1", name="measure_picked"),
    )
    for column in ("merge_id", "discard_id"):
        op.create_index(f"ix_measure_{column}", "measure", [column])


def downgrade() -> None:
    op.drop_table("measure")
