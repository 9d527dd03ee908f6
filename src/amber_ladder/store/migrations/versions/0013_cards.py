"""Cards: files brought in before they are stacks; takes that come from one, and how their frames are developed."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)
SUFFIXES = {"before": "suffix in ('.jpg', '.png', '.tif')", "after": "suffix ~ '^[.][a-z0-9]{2,4}$'"}
SOURCES = {"before": "('bench', 'files', 'folder')", "after": "('bench', 'files', 'folder', 'card')"}


def upgrade() -> None:
    op.create_table(
        "card",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("folder", sa.String(length=1000), nullable=True),
        sa.Column("task_id", sa.Integer(), nullable=True),
        sa.Column("found", JSONB(), nullable=True),
        sa.Column("edits", JSONB(), nullable=False),
        sa.Column("judged", JSONB(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.Column("discard_id", sa.Integer(), nullable=True),
        sa.ForeignKeyConstraint(["task_id"], ["task.id"]),
        sa.ForeignKeyConstraint(["discard_id"], ["discard.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.CheckConstraint("name <> ''", name="card_named"),
    )
    op.create_table(
        "card_file",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("card_id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=500), nullable=False),
        sa.Column("sha256", sa.String(length=64), nullable=True),
        sa.Column("suffix", sa.String(length=5), nullable=True),
        sa.Column("bytes", sa.BigInteger(), nullable=False),
        sa.Column("known_as", sa.String(length=300), nullable=True),
        sa.Column("refused", sa.String(length=300), nullable=True),
        sa.Column("place", sa.Integer(), nullable=True),
        sa.Column("width_px", sa.Integer(), nullable=True),
        sa.Column("height_px", sa.Integer(), nullable=True),
        sa.Column("bits", sa.Integer(), nullable=True),
        sa.Column("noted", JSONB(), nullable=True),
        sa.Column("sharp", sa.Float(), nullable=True),
        sa.Column("look", sa.LargeBinary(), nullable=True),
        sa.Column("thumb", sa.LargeBinary(), nullable=True),
        sa.ForeignKeyConstraint(["card_id"], ["card.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("card_id", "name"),
        sa.CheckConstraint("sha256 ~ '^[0-9a-f]{64}$'", name="card_file_sha256"),
        sa.CheckConstraint("sha256 is not null or refused is not null", name="card_file_kept_or_refused"),
        sa.CheckConstraint("bytes >= 0 and place >= 0", name="card_file_counts"),
    )
    for table, column in (("card", "task_id"), ("card", "discard_id"), ("card_file", "sha256")):
        op.create_index(f"ix_{table}_{column}", table, [column])
    for table in ("take", "sorting"):
        op.add_column(table, sa.Column("development", JSONB(), nullable=True))
    _checks("after")


def downgrade() -> None:
    _checks("before")
    for table in ("sorting", "take"):
        op.drop_column(table, "development")
    op.drop_table("card_file")
    op.drop_table("card")


def _checks(which: str) -> None:
    op.drop_constraint("frame_suffix", "frame", type_="check")
    op.create_check_constraint("frame_suffix", "frame", SUFFIXES[which])
    op.drop_constraint("take_source", "take", type_="check")
    op.create_check_constraint("take_source", "take", f"source in {SOURCES[which]}")
