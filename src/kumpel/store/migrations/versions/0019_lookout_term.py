"""Which lookout leads."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0019"
down_revision = "0018"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "lookout_term",
        sa.Column("id", sa.Integer(), autoincrement=False, nullable=False),
        sa.Column("term", sa.BigInteger(), nullable=False),
        sa.Column("machine", sa.String(length=120), nullable=False),
        sa.Column("since", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("id = 1", name="lookout_term_once"),
        sa.PrimaryKeyConstraint("id"),
    )


def downgrade() -> None:
    op.drop_table("lookout_term")
