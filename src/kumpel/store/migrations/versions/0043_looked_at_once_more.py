"""A recorder whose sessions are looked at once more when figures that wait are there is not written anew until then."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0043"
down_revision = "0042"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("doubt_due", sa.Column("again", sa.Boolean(), nullable=False, server_default=sa.false()))


def downgrade() -> None:
    op.drop_column("doubt_due", "again")
