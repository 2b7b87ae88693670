"""Limits, calibration intervals and the arrangement of the sheet that belong to a vehicle."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column(
        "yard_vehicle",
        sa.Column("limit_set_id", sa.Integer, sa.ForeignKey("limit_set.id", ondelete="RESTRICT"), nullable=True),
    )
    op.create_index("ix_yard_vehicle_limit_set_id", "yard_vehicle", ["limit_set_id"])
    for name in ("check_days", "looks"):
        op.add_column("yard_vehicle", sa.Column(name, JSONB(none_as_null=True), nullable=False, server_default="{}"))
        op.alter_column("yard_vehicle", name, server_default=None)


def downgrade() -> None:
    for name in ("looks", "check_days", "limit_set_id"):
        op.drop_column("yard_vehicle", name)
