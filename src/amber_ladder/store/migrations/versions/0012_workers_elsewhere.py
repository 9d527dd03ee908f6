"""Workers on other machines: which there are, who does what, and what they hand over."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "worker",
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("version", sa.String(length=40), nullable=False),
        sa.Column("seen_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("name"),
    )
    op.add_column("task", sa.Column("worker", sa.String(length=60), nullable=True))
    op.add_column("task", sa.Column("attempt", sa.Integer(), server_default="0", nullable=False))
    op.add_column("task", sa.Column("handed_over", JSONB(), nullable=True))
    op.alter_column("task", "attempt", server_default=None)


def downgrade() -> None:
    for column in ("handed_over", "attempt", "worker"):
        op.drop_column("task", column)
    op.drop_table("worker")
