"""Tiles: stacks that are planned as a set, and the whole that they are laid together in."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None

SOURCES = ("'bench', 'files', 'folder', 'card'", "'bench', 'files', 'folder', 'card', 'tiles'")


def upgrade() -> None:
    op.create_table(
        "tile_set",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("specimen_id", sa.Integer(), sa.ForeignKey("specimen.id"), nullable=False),
        sa.Column("columns", sa.Integer(), nullable=False),
        sa.Column("rows", sa.Integer(), nullable=False),
        sa.Column("overlap", sa.Float(), nullable=False),
        sa.Column("order", sa.String(length=10), nullable=False),
        sa.Column("inner_share", sa.Float(), nullable=False),
        sa.Column("field_um", JSONB(), nullable=False),
        sa.Column("first_at_um", JSONB(), nullable=True),
        sa.Column("created_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("columns >= 1 and rows >= 1 and columns * rows between 2 and 400", name="tile_set_size"),
        sa.CheckConstraint("overlap > 0 and overlap < 1", name="tile_set_overlap"),
        sa.CheckConstraint("\"order\" in ('rows', 'snake')", name="tile_set_order"),
        sa.CheckConstraint("inner_share > 0 and inner_share <= 1", name="tile_set_inner_share"),
    )
    op.create_index("ix_tile_set_specimen_id", "tile_set", ["specimen_id"])
    op.add_column("stack", sa.Column("tile_set_id", sa.Integer(), sa.ForeignKey("tile_set.id"), nullable=True))
    op.add_column("stack", sa.Column("tile", sa.Integer(), nullable=True))
    op.create_index("ix_stack_tile_set_id", "stack", ["tile_set_id"])
    op.create_unique_constraint("stack_tile_set_id_tile_key", "stack", ["tile_set_id", "tile"])
    op.create_check_constraint("stack_tile", "stack", "(tile is null) = (tile_set_id is null) and tile >= 0")
    _allow(1)


def downgrade() -> None:
    op.execute("delete from take where source = 'tiles'")
    _allow(0)
    op.drop_column("stack", "tile")
    op.drop_column("stack", "tile_set_id")
    op.drop_table("tile_set")


def _allow(which: int) -> None:
    op.drop_constraint("take_source", "take", type_="check")
    op.create_check_constraint("take_source", "take", f"source in ({SOURCES[which]})")
