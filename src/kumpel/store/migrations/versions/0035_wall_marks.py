"""Marks set on the wall."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0035"
down_revision = "0034"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "wall_mark",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, index=True),
        sa.Column("text", sa.String(120), nullable=False),
        sa.Column("recorder_id", sa.Integer(), sa.ForeignKey("recorder.id", ondelete="RESTRICT"), index=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="RESTRICT"), index=True),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.CheckConstraint("length(trim(text)) > 0", name="wall_mark_says_something"),
    )


def downgrade() -> None:
    op.drop_table("wall_mark")
