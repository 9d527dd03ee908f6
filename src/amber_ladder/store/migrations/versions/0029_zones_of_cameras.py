"""The zone of a camera's clock, where it noted that."""

import sqlalchemy as sa
from alembic import op

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("frame", sa.Column("captured_offset_min", sa.Integer(), nullable=True))


def downgrade() -> None:
    op.drop_column("frame", "captured_offset_min")
