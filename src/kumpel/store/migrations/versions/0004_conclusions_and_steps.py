"""A conclusion has a version, so that two writers see each other; lists name the step that leads a verdict."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("conclusion", sa.Column("version", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("session", sa.Column("verdict_step", sa.String(80), nullable=False, server_default=""))


def downgrade() -> None:
    op.drop_column("session", "verdict_step")
    op.drop_column("conclusion", "version")
