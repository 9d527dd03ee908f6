"""Merges that are held back, for a run or for the night."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "queueing",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("settings", JSONB(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("queueing")
