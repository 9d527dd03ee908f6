"""How files are called that leave the station, and where its web site gives them out."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "naming",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("settings", JSONB(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("naming")
