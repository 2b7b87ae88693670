"""Further sensors of a vehicle."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0018"
down_revision = "0017"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("yard_vehicle", sa.Column("sensors", JSONB, nullable=False, server_default=sa.text("'[]'::jsonb")))
    op.alter_column("yard_vehicle", "sensors", server_default=None)


def downgrade() -> None:
    op.drop_column("yard_vehicle", "sensors")
