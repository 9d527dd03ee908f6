"""The bench's settings; what a take was to shoot; faults of frames."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

JSONB = postgresql.JSONB(astext_type=sa.Text())


def upgrade() -> None:
    op.create_table(
        "bench",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("settings", JSONB, nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.add_column("take", sa.Column("run", JSONB, nullable=True))
    op.add_column("frame", sa.Column("faults", JSONB, nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("frame", "faults")
    op.drop_column("take", "run")
    op.drop_table("bench")
