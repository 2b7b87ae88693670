"""A place where a recorder stands, as what a session, a hand-over, a report can belong to beside a person."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0026"
down_revision = "0025"
branch_labels = None
depends_on = None

NOTHING_PERSONAL = """
    not is_place or (
        born is null and sex is null and height_cm is null and weight_kg is null and gets_up is null and goes_to_bed is null
        and heart_rate_highest is null and heart_rate_resting is null
        and real_name = '' and clinic = '' and doctor = '' and complaint = '' and stay = ''
    )
"""


def upgrade() -> None:
    op.add_column("person", sa.Column("is_place", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_check_constraint("place_has_nothing_personal", "person", NOTHING_PERSONAL)


def downgrade() -> None:
    op.drop_constraint("place_has_nothing_personal", "person")
    op.drop_column("person", "is_place")
