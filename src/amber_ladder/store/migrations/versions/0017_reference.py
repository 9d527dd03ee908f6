"""A merge may have its scale from something of known size in its own picture."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("product", sa.Column("reference", JSONB(none_as_null=True), nullable=True))


def downgrade() -> None:
    op.drop_column("product", "reference")
