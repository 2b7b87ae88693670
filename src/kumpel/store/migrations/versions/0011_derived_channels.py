"""Derived channels of vehicles."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("yard_vehicle", sa.Column("derived", JSONB(none_as_null=True), nullable=False, server_default="[]"))
    op.alter_column("yard_vehicle", "derived", server_default=None)


def downgrade() -> None:
    op.drop_column("yard_vehicle", "derived")
