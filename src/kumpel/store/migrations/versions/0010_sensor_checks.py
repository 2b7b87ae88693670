"""Checks and calibrations of the sensors of recorders."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.create_table(
        "sensor_check",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("recorder_id", sa.Integer, sa.ForeignKey("recorder.id", ondelete="RESTRICT"), nullable=False),
        sa.Column("what", sa.String(40), nullable=False),
        sa.Column("sensor", sa.String(40), nullable=False),
        sa.Column("serial", sa.String(40), nullable=False),
        sa.Column("points", JSONB(none_as_null=True), nullable=False),
        sa.Column("applied", sa.Float),
        sa.Column("read", sa.Float),
        sa.Column("unit", sa.String(20), nullable=False),
        sa.Column("adjusted", sa.Boolean, nullable=False),
        sa.Column("passed", sa.Boolean, nullable=False),
        sa.Column("at", TIME, nullable=False),
        sa.Column("due_at", TIME),
        sa.Column("made_by", sa.Integer, sa.ForeignKey("account.id", ondelete="RESTRICT"), index=True),
        sa.Column("certificate", sa.String(120), nullable=False),
        sa.Column("note", sa.String(400), nullable=False),
        sa.CheckConstraint("due_at is null or due_at > at", name="sensor_check_due"),
    )
    op.create_index("sensor_check_once", "sensor_check", ["recorder_id", "what", "sensor", "at"], unique=True)


def downgrade() -> None:
    op.drop_table("sensor_check")
