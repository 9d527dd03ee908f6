"""How well the refractive index of what a specimen lies in is known."""

import sqlalchemy as sa
from alembic import op

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("specimen", sa.Column("medium_tolerance", sa.Double(), nullable=True))
    op.create_check_constraint(
        "specimen_medium_tolerance", "specimen", "medium_tolerance >= 0 and medium_tolerance <= 0.5"
    )


def downgrade() -> None:
    op.drop_constraint("specimen_medium_tolerance", "specimen")
    op.drop_column("specimen", "medium_tolerance")
