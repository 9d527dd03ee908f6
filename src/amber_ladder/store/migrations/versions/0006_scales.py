"""A scale that was measured after a stack was planned can be applied to it; a calibration can be set aside."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("stack", sa.Column("scale", postgresql.JSONB(astext_type=sa.Text()), nullable=True))
    op.add_column("calibration", sa.Column("set_aside_at", sa.DateTime(timezone=True), nullable=True))


def downgrade() -> None:
    op.drop_column("calibration", "set_aside_at")
    op.drop_column("stack", "scale")
