"""Units in which somebody reads."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0032"
down_revision = "0031"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("account", sa.Column("units", JSONB(), nullable=False, server_default="[]"))


def downgrade() -> None:
    op.drop_column("account", "units")
