"""How many spare rungs a stack used, and in what light it was shot: for the ledger, and for what worked before."""

import sqlalchemy as sa
from alembic import op

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("ledger_row", sa.Column("light", sa.String(), nullable=True))
    op.add_column("ledger_row", sa.Column("spare_used", sa.Integer(), nullable=True))
    op.execute("insert into ledger_stale (stack_id) select id from stack")


def downgrade() -> None:
    for name in ("spare_used", "light"):
        op.drop_column("ledger_row", name)
