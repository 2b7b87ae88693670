"""What follows from a check that was not passed, and recorders whose sessions are to be looked at anew because of their checks."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0040"
down_revision = "0039"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("sensor_check", sa.Column("follows", sa.String(10), nullable=False, server_default=""))
    op.add_column("sensor_check", sa.Column("follows_why", sa.String(200), nullable=False, server_default=""))
    op.add_column(
        "sensor_check", sa.Column("follows_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT"))
    )
    op.create_check_constraint("sensor_check_follows", "sensor_check", "follows in ('', 'held', 'accepted')")
    op.create_check_constraint(
        "sensor_check_follows_why", "sensor_check", "follows <> 'accepted' or length(trim(follows_why)) > 0"
    )
    op.create_table(
        "doubt_due",
        sa.Column("recorder_id", sa.Integer(), sa.ForeignKey("recorder.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("since", sa.DateTime(timezone=True), nullable=False),
    )


def downgrade() -> None:
    op.drop_table("doubt_due")
    op.drop_constraint("sensor_check_follows_why", "sensor_check")
    op.drop_constraint("sensor_check_follows", "sensor_check")
    for column in ("follows_by", "follows_why", "follows"):
        op.drop_column("sensor_check", column)
