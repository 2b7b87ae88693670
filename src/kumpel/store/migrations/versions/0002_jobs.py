"""The job queue's own tables

Revision: 0002
"""

from alembic import op
from procrastinate.schema import SchemaManager

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # The queue's script is full of % and :, which neither Alembic nor SQLAlchemy may touch.
    op.get_bind().connection.driver_connection.execute(SchemaManager.get_schema())


def downgrade() -> None:
    op.execute(
        "drop table if exists procrastinate_events, procrastinate_periodic_defers, procrastinate_jobs, procrastinate_workers cascade"
    )
