"""Reviewers split events, join them and give them another type."""

from __future__ import annotations

from alembic import op

revision = "0044"
down_revision = "0043"
branch_labels = None
depends_on = None

BEFORE = "what in ('left out', 'task', 'asleep', 'dropped', 'kept', 'setting', 'accepted')"
NOW = "what in ('left out', 'task', 'asleep', 'dropped', 'kept', 'edge', 'type', 'setting', 'accepted')"


def upgrade() -> None:
    op.drop_constraint("decision_what", "decision")
    op.create_check_constraint("decision_what", "decision", NOW)


def downgrade() -> None:
    op.execute("delete from decision where what in ('edge', 'type')")
    op.drop_constraint("decision_what", "decision")
    op.create_check_constraint("decision_what", "decision", BEFORE)
