"""People who may sign in, where they have, and what failed."""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "account",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("password_hash", sa.String(length=300), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("name"),
    )
    op.create_table(
        "sign_in",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("account_id", sa.Integer(), nullable=False),
        sa.Column("token_sha256", sa.String(length=64), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.Column("seen_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["account_id"], ["account.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("token_sha256"),
    )
    op.create_index("ix_sign_in_account_id", "sign_in", ["account_id"])
    op.create_table(
        "sign_in_failure",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=60), nullable=False),
        sa.Column("address", sa.String(length=60), nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("sign_in_failure_name", "sign_in_failure", ["name", "at"])
    op.create_index("sign_in_failure_address", "sign_in_failure", ["address", "at"])


def downgrade() -> None:
    for table in ("sign_in_failure", "sign_in", "account"):
        op.drop_table(table)
