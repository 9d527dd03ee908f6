"""Series of measures, one for each kind of specimen."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "measure_series",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("specimen_kind", sa.String(length=60), nullable=False),
        sa.Column("items", JSONB(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("specimen_kind"),
        sa.CheckConstraint("specimen_kind <> ''", name="measure_series_named"),
    )


def downgrade() -> None:
    op.drop_table("measure_series")
