"""Tokens that end by themselves, such as the address of a wall for a screen."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0042"
down_revision = "0041"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("token", sa.Column("until", sa.DateTime(timezone=True)))


def downgrade() -> None:
    op.drop_column("token", "until")
