"""What the lookout of a machine sees where ports and folders are looked for, for those who are on another machine."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0024"
down_revision = "0023"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("lookout_term", sa.Column("sees", JSONB(), nullable=False, server_default="[]"))
    op.alter_column("lookout_term", "sees", server_default=None)


def downgrade() -> None:
    op.drop_column("lookout_term", "sees")
