"""The merge that stands for a stack, once a person has chosen one."""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("stack", sa.Column("counted_merge_id", sa.Integer(), nullable=True))
    op.create_foreign_key(
        "stack_counted_merge_id_fkey", "stack", "product", ["counted_merge_id"], ["id"], ondelete="SET NULL"
    )
    op.create_index("ix_stack_counted_merge_id", "stack", ["counted_merge_id"])


def downgrade() -> None:
    op.drop_column("stack", "counted_merge_id")
