"""What happened to each stack, as a chain that nobody alters; and who began long work."""

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "history_entry",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("stack_id", sa.Integer(), sa.ForeignKey("stack.id"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("by", sa.String(60), nullable=True),
        sa.Column("did", sa.String(20), nullable=False),
        sa.Column("words", sa.String(400), nullable=False),
        sa.Column("facts", sa.JSON(), nullable=False),
        sa.Column("version", sa.String(40), nullable=False),
        sa.Column("before", sa.String(64), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.UniqueConstraint("stack_id", "number"),
        sa.CheckConstraint("number >= 1", name="history_entry_number"),
        sa.CheckConstraint("sha256 ~ '^[0-9a-f]{64}$' and before ~ '^[0-9a-f]{64}$'", name="history_entry_sums"),
    )
    op.execute(
        "create function history_is_kept() returns trigger language plpgsql as "
        "$$ begin raise exception 'an entry of a history is never altered'; end $$"
    )
    op.execute(
        "create trigger history_is_kept before update on history_entry for each row execute function history_is_kept()"
    )
    op.add_column("task", sa.Column("by", sa.String(60), nullable=True))


def downgrade() -> None:
    op.drop_column("task", "by")
    op.drop_table("history_entry")
    op.execute("drop function history_is_kept()")
