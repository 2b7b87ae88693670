"""Failed sign-ins of an account

Revision: 0003
"""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("account", sa.Column("failures", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("account", sa.Column("failed_at", sa.DateTime(timezone=True), nullable=True))


def downgrade() -> None:
    op.drop_column("account", "failed_at")
    op.drop_column("account", "failures")
