"""What was shot: planned and reported positions, devices of a take, sortings, products; tasks know their stack.

Merges become products under their numbers; which sorting an old one was made from was not kept, so it has none. The
devices of old takes are written down as far as they can be told; for a rail they cannot.
"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

from amber_ladder.settings import settings

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

JSONB = postgresql.JSONB(astext_type=sa.Text())
TIME = sa.DateTime(timezone=True)
_INVENTED = (
    "depth was reckoned with the planned step by an earlier version, but nobody knows where these frames lie: "
    "merge again for a depth in frames"
)


def upgrade() -> None:
    op.alter_column("frame", "position_um", new_column_name="planned_um")
    op.add_column("frame", sa.Column("reported_um", sa.Double(), nullable=True))
    op.add_column("take", sa.Column("devices", JSONB, nullable=True))
    op.execute(
        "update take set devices = jsonb_build_object('rail', null, 'camera', "
        "case when source = 'folder' and (run->>'simulated')::boolean then 'simulated hand' "
        "when scene is not null then 'simulated' else 'folder' end, 'folder', run->>'folder', 'flaws', null) "
        "where source in ('folder', 'bench') and run is not null"
    )
    op.execute(
        "update take set devices = jsonb_build_object('rail', 'simulated', 'camera', 'simulated', 'folder', null, "
        "'flaws', '[]'::jsonb) where source = 'bench' and run is null"
    )
    _tasks_up()
    op.create_table(
        "sorting",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("series", JSONB, nullable=False),
        sa.Column("left_out", JSONB, nullable=False),
        sa.Column("depth_from", sa.String(length=10), nullable=True),
        sa.Column("made_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["take_id"], ["take.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("take_id", "number"),
    )
    op.create_table(
        "product",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kind", sa.String(length=20), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("sorting_id", sa.Integer(), nullable=True),
        sa.Column("parent_id", sa.Integer(), nullable=True),
        sa.Column("settings", JSONB, nullable=False),
        sa.Column("files", JSONB, nullable=True),
        sa.Column("report", JSONB, nullable=True),
        sa.Column("version", sa.String(length=40), nullable=True),
        sa.Column("task_id", sa.Integer(), nullable=False),
        sa.Column("created_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["take_id"], ["take.id"]),
        sa.ForeignKeyConstraint(["sorting_id"], ["sorting.id"]),
        sa.ForeignKeyConstraint(["parent_id"], ["product.id"]),
        sa.ForeignKeyConstraint(["task_id"], ["task.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("take_id", "kind", "number"),
    )
    op.execute(
        "insert into product (id, kind, take_id, number, settings, files, report, version, task_id, created_at) "
        "select id, 'merge', take_id, number, jsonb_build_object('method', method), "
        'case when report is null then null else \'["composite.tif", "depth.tif", "report.json"]\'::jsonb end, '
        "report, report->>'version', task_id, created_at from merge"
    )
    op.execute("select setval('product_id_seq', greatest((select max(id) from product), 1))")
    # An earlier version reckoned µm for frames whose positions nobody knows.
    op.execute(
        sa.text(
            "update product set report = report || jsonb_build_object('depth_um', null, 'warnings', "
            "jsonb_build_array(cast(:said as text))) from take where take.id = product.take_id "
            "and report is not null and take.source = 'folder'"
        ).bindparams(said=_INVENTED)
    )
    op.drop_table("merge")
    _rename("merges", "products")


def downgrade() -> None:
    op.create_table(
        "merge",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("take_id", sa.Integer(), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("method", sa.String(length=10), nullable=False),
        sa.Column("task_id", sa.Integer(), nullable=False),
        sa.Column("report", JSONB, nullable=True),
        sa.Column("created_at", TIME, nullable=False),
        sa.ForeignKeyConstraint(["take_id"], ["take.id"]),
        sa.ForeignKeyConstraint(["task_id"], ["task.id"]),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("take_id", "number"),
    )
    op.execute(
        "insert into merge (id, take_id, number, method, task_id, report, created_at) "
        "select id, take_id, number, settings->>'method', task_id, report, created_at from product where kind = 'merge'"
    )
    op.execute("select setval('merge_id_seq', greatest((select max(id) from merge), 1))")
    op.drop_table("product")
    op.drop_table("sorting")
    op.execute("update task set kind = 'shoot' where kind = 'practice'")
    op.drop_index("ix_task_stack_id", table_name="task")
    op.drop_column("task", "stack_id")
    op.drop_column("take", "devices")
    op.drop_column("frame", "reported_um")
    op.alter_column("frame", "planned_um", new_column_name="position_um")
    _rename("products", "merges")


def _tasks_up() -> None:
    op.add_column("task", sa.Column("stack_id", sa.Integer(), nullable=True))
    op.create_foreign_key("task_stack", "task", "stack", ["stack_id"], ["id"])
    op.create_index("ix_task_stack_id", "task", ["stack_id"])
    op.execute("update task set stack_id = take.stack_id from take where take.task_id = task.id")
    op.execute(
        "update task set stack_id = take.stack_id from take join merge on merge.take_id = take.id "
        "where merge.task_id = task.id"
    )
    op.execute("update task set kind = 'practice' where kind = 'shoot'")


def _rename(before: str, after: str) -> None:
    """The folder of results; one that is empty makes way."""
    old, new = (settings().data / name for name in (before, after))
    if not old.is_dir():
        return
    if new.is_dir() and not any(new.iterdir()):
        new.rmdir()
    if not new.exists():
        old.rename(new)
