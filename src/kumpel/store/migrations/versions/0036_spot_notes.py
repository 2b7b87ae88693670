"""Notes of what was looked at on the spot."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0036"
down_revision = "0035"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "spot_note",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, index=True),
        sa.Column(
            "recorder_id", sa.Integer(), sa.ForeignKey("recorder.id", ondelete="RESTRICT"), nullable=False, index=True
        ),
        sa.Column("place", sa.String(120), nullable=False, server_default=""),
        sa.Column("what", sa.String(60), nullable=False),
        sa.Column("unit", sa.String(20), nullable=False, server_default=""),
        sa.Column("lowest", sa.Float(), nullable=False),
        sa.Column("mean", sa.Float(), nullable=False),
        sa.Column("highest", sa.Float(), nullable=False),
        sa.Column("length_s", sa.Float(), nullable=False),
        sa.Column("text", sa.String(400), nullable=False, server_default=""),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.CheckConstraint("lowest <= mean and mean <= highest", name="spot_note_order"),
        sa.CheckConstraint("length_s > 0", name="spot_note_length"),
    )


def downgrade() -> None:
    op.drop_table("spot_note")
