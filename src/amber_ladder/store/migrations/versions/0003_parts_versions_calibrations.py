"""Parts, rig versions, calibrations; a specimen's size; cautions that were read."""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

JSONB = postgresql.JSONB(astext_type=sa.Text())
TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    for name in ("width_mm", "height_mm", "depth_mm"):
        op.add_column("specimen", sa.Column(name, sa.Double(), nullable=True))
    op.add_column("rig", sa.Column("parts", JSONB, nullable=False, server_default="{}"))
    op.add_column("rig", sa.Column("version", sa.Integer(), nullable=False, server_default="1"))
    op.add_column("rig", sa.Column("on_bench_at", TIME, nullable=True))
    op.add_column("rig", sa.Column("flash_power", sa.Double(), nullable=True))
    op.add_column("stack", sa.Column("rig_version", sa.Integer(), nullable=False, server_default="1"))
    op.add_column("stack", sa.Column("cautions_read", JSONB, nullable=False, server_default="[]"))
    op.create_table(
        "part",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("definition", JSONB, nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("kind", "name"),
    )
    op.create_table(
        "rig_version",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("rig_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=120), nullable=False),
        sa.Column("definition", JSONB, nullable=False),
        sa.Column("parts", JSONB, nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("rig_id", "number"),
    )
    op.create_table(
        "calibration",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("rig_id", sa.Integer(), nullable=False),
        sa.Column("rig_version", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("method", sa.String(length=20), nullable=False),
        sa.Column("entry", JSONB, nullable=False),
        sa.Column("pictures", JSONB, nullable=False),
        sa.Column("result", JSONB, nullable=True),
        sa.Column("task_id", sa.Integer(), nullable=True),
        sa.Column("made_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["rig_id"], ["rig.id"]),
        sa.ForeignKeyConstraint(["task_id"], ["task.id"]),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_index(op.f("ix_calibration_rig_id"), "calibration", ["rig_id"])
    # Rigs that were there before begin with the version they have.
    op.execute(
        "insert into rig_version (rig_id, number, name, definition, parts, created_at) "
        "select id, 1, name, definition, parts, updated_at from rig"
    )


def downgrade() -> None:
    for table in ("calibration", "rig_version", "part"):
        op.drop_table(table)
    for table, names in (
        ("stack", ("cautions_read", "rig_version")),
        ("rig", ("flash_power", "on_bench_at", "version", "parts")),
        ("specimen", ("depth_mm", "height_mm", "width_mm")),
    ):
        for name in names:
            op.drop_column(table, name)
