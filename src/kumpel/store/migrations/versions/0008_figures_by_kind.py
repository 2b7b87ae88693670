"""Figures as numbers know the kind of their session: a register of one kind reads one stretch of the index."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("figure_value", sa.Column("kind", sa.String(40), nullable=False, server_default=""))
    op.execute("update figure_value f set kind = s.kind from session s where s.id = f.session_id")
    op.alter_column("figure_value", "kind", server_default=None)
    op.create_index("figure_value_by_kind", "figure_value", ["key", "basis", "kind", "value", "session_id"])


def downgrade() -> None:
    op.drop_index("figure_value_by_kind", "figure_value")
    op.drop_column("figure_value", "kind")
