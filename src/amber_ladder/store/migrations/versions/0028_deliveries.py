"""Packages that came from other stations: gone through and brought in by the worker."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "delivery",
        sa.Column("key", sa.String(32), primary_key=True),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("task_id", sa.Integer(), sa.ForeignKey("task.id"), nullable=False),
        sa.Column("told", JSONB(), nullable=True),
        sa.Column("entry", JSONB(), nullable=True),
        sa.Column("stack_id", sa.Integer(), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
    )
    op.create_index("ix_delivery_task_id", "delivery", ["task_id"])


def downgrade() -> None:
    op.drop_table("delivery")
