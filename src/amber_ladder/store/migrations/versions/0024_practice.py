"""Exercises that somebody did."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "attempt",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("person", sa.String(), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        sa.Column("level", sa.Integer(), nullable=False),
        sa.Column("drawn", JSONB(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("limit_s", sa.Integer(), nullable=True),
        sa.Column("answer", JSONB(), nullable=True),
        sa.Column("verdict", JSONB(), nullable=True),
        sa.Column("score", sa.Float(), nullable=True),
        sa.Column("begun_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("answered_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("score is null or (score >= 0 and score <= 1)", name="attempt_score"),
    )
    op.create_index("ix_attempt_person", "attempt", ["person"])


def downgrade() -> None:
    op.drop_table("attempt")
