"""The job queue's own tables, as procrastinate ships them."""

import sqlalchemy as sa
from alembic import op
from procrastinate.schema import SchemaManager

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


_REMOVE = """
do $$ declare one record; begin
  for one in select oid::regclass as name from pg_class
      where relname like 'procrastinate%' and relkind = 'r' and relnamespace = 'public'::regnamespace loop
    execute format('drop table %s cascade', one.name);
  end loop;
  for one in select oid::regprocedure as name from pg_proc
      where proname like 'procrastinate%' and pronamespace = 'public'::regnamespace loop
    execute format('drop function %s cascade', one.name);
  end loop;
  for one in select oid::regtype as name from pg_type
      where typname like 'procrastinate%' and typtype in ('e', 'c') and typnamespace = 'public'::regnamespace loop
    execute format('drop type %s cascade', one.name);
  end loop;
end $$
"""


def upgrade() -> None:
    # Through the driver: the script is full of percent signs that SQLAlchemy would take for parameters.
    connection = op.get_bind().connection.driver_connection
    assert connection is not None
    with connection.cursor() as cursor:
        cursor.execute(SchemaManager.get_schema())


def downgrade() -> None:
    waiting = op.get_bind().scalar(sa.text("select count(*) from procrastinate_jobs where status in ('todo', 'doing')"))
    if waiting:
        raise RuntimeError(f"{waiting} jobs wait in the queue: let the worker finish them first")
    op.execute(_REMOVE)
