"""What a check tells of its sensor and its gas."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0033"
down_revision = "0032"
branch_labels = None
depends_on = None

NUMBERS = ("before", "factor")
WORDS = {"type": 40, "gas": 20, "lot": 40}


def upgrade() -> None:
    for name in NUMBERS:
        op.add_column("sensor_check", sa.Column(name, sa.Float()))
    for name, length in WORDS.items():
        op.add_column("sensor_check", sa.Column(name, sa.String(length), nullable=False, server_default=""))


def downgrade() -> None:
    for name in (*NUMBERS, *WORDS):
        op.drop_column("sensor_check", name)
