"""Assessments that ended a process are counted; numbers without holes; what was asked for once is done once."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("session", sa.Column("begun", sa.Integer, nullable=False, server_default="0"))
    op.create_table(
        "counter",
        sa.Column("name", sa.String(40), primary_key=True),
        sa.Column("value", sa.BigInteger, nullable=False),
        sa.CheckConstraint("value >= 0", name="counter_value"),
    )
    # Holes that are there stay: the counter goes on where the sequence stood.
    op.execute("insert into counter select 'report', case when is_called then last_value else 0 end from report_number")
    op.execute("drop sequence report_number")
    op.create_table(
        "request",
        sa.Column("key", sa.String(64), primary_key=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False, index=True),
        sa.Column("status", sa.Integer, nullable=True),
        sa.Column("answer", JSONB(none_as_null=True), nullable=True),
    )


def downgrade() -> None:
    op.drop_table("request")
    op.execute("create sequence report_number")
    op.execute("select setval('report_number', greatest(value, 1), value > 0) from counter where name = 'report'")
    op.drop_table("counter")
    op.drop_column("session", "begun")
