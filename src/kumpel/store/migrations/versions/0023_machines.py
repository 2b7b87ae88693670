"""Ports and folders belong to a machine: the recorder names it, and a lookout leads for each."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0023"
down_revision = "0022"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("recorder", sa.Column("machine", sa.String(120), nullable=False, server_default=""))
    op.alter_column("recorder", "machine", server_default=None)
    op.add_column("lookout_term", sa.Column("area", sa.String(120), nullable=False, server_default=""))
    op.alter_column("lookout_term", "area", server_default=None)
    op.drop_constraint("lookout_term_once", "lookout_term")
    op.drop_constraint("lookout_term_pkey", "lookout_term")
    op.create_primary_key("lookout_term_pkey", "lookout_term", ["area"])
    op.drop_column("lookout_term", "id")


def downgrade() -> None:
    op.execute("delete from lookout_term where area <> ''")
    op.add_column("lookout_term", sa.Column("id", sa.Integer(), nullable=False, server_default="1"))
    op.alter_column("lookout_term", "id", server_default=None)
    op.drop_constraint("lookout_term_pkey", "lookout_term")
    op.create_primary_key("lookout_term_pkey", "lookout_term", ["id"])
    op.create_check_constraint("lookout_term_once", "lookout_term", "id = 1")
    op.drop_column("lookout_term", "area")
    op.drop_column("recorder", "machine")
