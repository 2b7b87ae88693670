"""Where the lookout that leads is asked by other processes, and the secret that opens it."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("lookout_term", sa.Column("exchange", sa.String(120), nullable=False, server_default=""))
    op.add_column("lookout_term", sa.Column("secret", sa.String(64), nullable=False, server_default=""))
    op.alter_column("lookout_term", "exchange", server_default=None)
    op.alter_column("lookout_term", "secret", server_default=None)


def downgrade() -> None:
    op.drop_column("lookout_term", "secret")
    op.drop_column("lookout_term", "exchange")
