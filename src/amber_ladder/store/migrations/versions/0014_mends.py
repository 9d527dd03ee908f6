"""Mends: steps laid on a merge, each change kept."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "mend",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("merge_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("position", sa.Integer(), nullable=False),
        sa.Column("revision", sa.Integer(), nullable=False),
        sa.Column("judged", JSONB(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.Column("discard_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["take_id"], ["take.id"]),
        sa.ForeignKeyConstraint(["merge_id"], ["product.id"]),
        sa.ForeignKeyConstraint(["discard_id"], ["discard.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("take_id", "number"),
        sa.CheckConstraint("name <> ''", name="mend_named"),
        sa.CheckConstraint("number >= 1", name="mend_number"),
        sa.CheckConstraint("position >= 0 and revision >= 1", name="mend_counts"),
    )
    op.create_table(
        "mend_change",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("mend_id", sa.Integer(), nullable=False),
        sa.Column("place", sa.Integer(), nullable=False),
        sa.Column("change", JSONB(), nullable=False),
        sa.Column("by", sa.String(length=60), nullable=True),
        sa.Column("at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["mend_id"], ["mend.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("mend_id", "place"),
        sa.CheckConstraint("place >= 0", name="mend_change_place"),
    )
    for column in ("merge_id", "discard_id"):
        op.create_index(f"ix_mend_{column}", "mend", [column])


def downgrade() -> None:
    op.drop_table("mend_change")
    op.drop_table("mend")
