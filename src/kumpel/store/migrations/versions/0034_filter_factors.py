"""Factors of recorders from filters."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0034"
down_revision = "0033"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "filter_factor",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "recorder_id", sa.Integer(), sa.ForeignKey("recorder.id", ondelete="RESTRICT"), nullable=False, index=True
        ),
        sa.Column("mass_mg", sa.Float(), nullable=False),
        sa.Column("blank_mg", sa.Float(), nullable=False),
        sa.Column("volume_m3", sa.Float(), nullable=False),
        sa.Column("u_mass_mg", sa.Float(), nullable=False),
        sa.Column("u_volume", sa.Float(), nullable=False),
        sa.Column("reading", sa.Float(), nullable=False),
        sa.Column("factor", sa.Float(), nullable=False),
        sa.Column("expanded", sa.Float(), nullable=False),
        sa.Column("since", sa.Date(), nullable=False),
        sa.Column("until", sa.Date()),
        sa.Column("note", sa.String(200), nullable=False, server_default=""),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint("factor > 0 and expanded >= 0", name="filter_factor_positive"),
        sa.CheckConstraint("until is null or until >= since", name="filter_factor_order"),
    )


def downgrade() -> None:
    op.drop_table("filter_factor")
