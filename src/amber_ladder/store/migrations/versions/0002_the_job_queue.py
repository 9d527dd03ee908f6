"""The job queue's own tables, as procrastinate ships them."""

from alembic import op
from procrastinate.schema import SchemaManager

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Through the driver: the script is full of percent signs that SQLAlchemy would take for parameters.
    connection = op.get_bind().connection.driver_connection
    assert connection is not None
    with connection.cursor() as cursor:
        cursor.execute(SchemaManager.get_schema())


def downgrade() -> None:
    raise NotImplementedError("the queue is never removed while jobs may wait in it")
