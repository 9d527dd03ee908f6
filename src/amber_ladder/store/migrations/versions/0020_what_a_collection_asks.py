"""What a collection's record needs: collector, dates, determination, coordinates; and whose pictures these are."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None

_WORDS = {"collector": 200, "collected_on": 10, "determination": 200, "determined_by": 200, "determined_on": 10}


def upgrade() -> None:
    for name, length in _WORDS.items():
        op.add_column("specimen", sa.Column(name, sa.String(length), nullable=False, server_default=""))
        op.alter_column("specimen", name, server_default=None)
    for name in ("latitude", "longitude", "place_within_m"):
        op.add_column("specimen", sa.Column(name, sa.Double(), nullable=True))
    op.create_check_constraint("specimen_latitude", "specimen", "latitude between -90 and 90")
    op.create_check_constraint("specimen_longitude", "specimen", "longitude between -180 and 180")
    op.create_check_constraint("specimen_place_within_m", "specimen", "place_within_m > 0")
    op.create_table(
        "station",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("settings", JSONB(), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("station")
    for name in (*_WORDS, "latitude", "longitude", "place_within_m"):
        op.drop_column("specimen", name)
