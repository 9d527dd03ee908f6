"""Days at the bench: what is to be shot when."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "day",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("on", sa.Date(), nullable=False, unique=True),
        sa.Column("starts_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ends_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("breaks", JSONB(), nullable=False),
        sa.Column("change_s", sa.Integer(), nullable=False),
        sa.Column("set_up_s", sa.Integer(), nullable=False),
        sa.Column("items", JSONB(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("ends_at > starts_at", name="day_hours"),
        sa.CheckConstraint("change_s between 0 and 36000", name="day_change"),
        sa.CheckConstraint("set_up_s between 0 and 36000", name="day_set_up"),
        sa.CheckConstraint("revision >= 0", name="day_revision"),
    )


def downgrade() -> None:
    op.drop_table("day")
