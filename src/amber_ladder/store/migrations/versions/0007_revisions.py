"""Rows that people edit count their changes, so that a page which has not seen the latest one does not undo it."""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

TABLES = ("specimen", "part", "stack")


def upgrade() -> None:
    for table in TABLES:
        op.add_column(table, sa.Column("revision", sa.Integer(), nullable=False, server_default="1"))
        op.alter_column(table, "revision", server_default=None)


def downgrade() -> None:
    for table in TABLES:
        op.drop_column(table, "revision")
