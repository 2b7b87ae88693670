"""Sessions that were removed for good: the row stays, so that what is still on a recorder is known for what it is."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("session", sa.Column("purged_at", sa.DateTime(timezone=True), nullable=True))
    op.create_check_constraint("session_purged", "session", "purged_at is null or deleted_at is not null")
    op.execute(
        "create index session_deleted on session (deleted_at) where deleted_at is not null and purged_at is null"
    )


def downgrade() -> None:
    op.execute("drop index session_deleted")
    op.drop_constraint("session_purged", "session")
    op.drop_column("session", "purged_at")
