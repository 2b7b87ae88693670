"""Days on which somebody is away."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0031"
down_revision = "0030"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "person_away",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="CASCADE"), nullable=False),
        sa.Column("since", sa.Date(), nullable=False),
        sa.Column("until", sa.Date(), nullable=False),
        sa.Column("why", sa.String(80), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT"), nullable=True),
        sa.Column("removed_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("until >= since", name="person_away_order"),
    )
    op.create_index("ix_person_away_person_id", "person_away", ["person_id"])
    op.create_index("ix_person_away_made_by", "person_away", ["made_by"])


def downgrade() -> None:
    op.drop_table("person_away")
