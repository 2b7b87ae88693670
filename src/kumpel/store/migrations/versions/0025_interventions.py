"""What was changed and when: for a person, a team or a place."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0025"
down_revision = "0024"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "intervention",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("day", sa.Date(), nullable=False),
        sa.Column("words", sa.String(120), nullable=False),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="RESTRICT")),
        sa.Column("team_id", sa.Integer(), sa.ForeignKey("team.id", ondelete="RESTRICT")),
        sa.Column("place", sa.String(200), nullable=False),
        sa.Column("noted_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("noted_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("removed_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint("length(trim(words)) > 0", name="intervention_has_words"),
        sa.CheckConstraint(
            "(person_id is not null)::int + (team_id is not null)::int + (place <> '')::int = 1",
            name="intervention_of_one",
        ),
    )
    op.create_index("ix_intervention_person_id", "intervention", ["person_id"])
    op.create_index("ix_intervention_team_id", "intervention", ["team_id"])
    op.create_index("ix_intervention_noted_by", "intervention", ["noted_by"])


def downgrade() -> None:
    op.drop_table("intervention")
