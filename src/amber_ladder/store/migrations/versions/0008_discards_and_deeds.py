"""What is thrown away stays restorable, and what a person changes can be undone and looked up."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

JSONB = postgresql.JSONB(astext_type=sa.Text())
TIME = sa.DateTime(timezone=True)
DISCARDABLE = ("specimen", "stack", "take", "product", "rig", "part", "calibration")
NAMES = (
    ("specimen", "specimen_number", "specimen_catalogue_number_key", ["catalogue_number"]),
    ("rig", "rig_name", "rig_name_key", ["name"]),
    ("part", "part_name", "part_kind_name_key", ["kind", "name"]),
)


def upgrade() -> None:
    op.create_table(
        "discard",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("subject_id", sa.Integer(), nullable=False),
        sa.Column("what", sa.String(length=400), nullable=False),
        sa.Column("why", sa.String(length=300), nullable=False),
        sa.Column("by", sa.String(length=60), nullable=True),
        sa.Column("at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "deed",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("words", sa.String(length=400), nullable=False),
        sa.Column("specimen_id", sa.Integer(), nullable=True),
        sa.Column("changes", JSONB, nullable=False),
        sa.Column("by", sa.String(length=60), nullable=True),
        sa.Column("at", TIME, nullable=False),
        sa.Column("undone_at", TIME, nullable=True),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index("ix_deed_specimen_id", "deed", ["specimen_id"])
    op.create_index("ix_deed_at", "deed", ["at"])
    for table in DISCARDABLE:
        op.add_column(table, sa.Column("discard_id", sa.Integer(), nullable=True))
        op.create_foreign_key(f"{table}_discard_id_fkey", table, "discard", ["discard_id"], ["id"])
        op.create_index(f"ix_{table}_discard_id", table, ["discard_id"])
    for table, index, constraint, columns in NAMES:
        op.drop_constraint(constraint, table, type_="unique")
        op.create_index(index, table, columns, unique=True, postgresql_where=sa.text("discard_id is null"))


def downgrade() -> None:
    # Earlier versions cannot tell what was thrown away: it comes back, under a name of its own where that is taken.
    for table, index, constraint, columns in NAMES:
        op.drop_index(index, table_name=table)
        own = columns[-1]
        op.execute(
            f"update {table} set {own} = left({own}, 40) || ' (discard ' || id || ')' where discard_id is not null"
        )
        op.create_unique_constraint(constraint, table, columns)
    for table in DISCARDABLE:
        op.drop_column(table, "discard_id")
    op.drop_table("deed")
    op.drop_table("discard")
