"""Visits of a machine in the radio networks that recorders open."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0039"
down_revision = "0038"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "radio_visit",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("machine", sa.String(120), nullable=False),
        sa.Column("network", sa.String(32), nullable=False),
        sa.Column("device", sa.String(40), nullable=False, server_default=""),
        sa.Column("left_profile", sa.String(64), nullable=False, server_default=""),
        sa.Column("left_network", sa.String(32), nullable=False, server_default=""),
        sa.Column("recorder_id", sa.Integer(), sa.ForeignKey("recorder.id", ondelete="RESTRICT"), index=True),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("sessions", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("trouble", sa.String(400), nullable=False, server_default=""),
        sa.Column("stop", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("stays", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("stay_until", sa.DateTime(timezone=True), nullable=False),
        sa.Column("began_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("beat_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.CheckConstraint("state in ('joins', 'there', 'back', 'done', 'failed')", name="radio_visit_state"),
        sa.CheckConstraint("(ended_at is null) = (state in ('joins', 'there', 'back'))", name="radio_visit_ended"),
    )
    op.create_index(
        "radio_visit_one", "radio_visit", ["machine"], unique=True, postgresql_where=sa.text("ended_at is null")
    )


def downgrade() -> None:
    op.drop_table("radio_visit")
