"""Reports by e-mail: what is on its way, what went, what was refused."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    time = sa.DateTime(timezone=True)
    op.create_table(
        "mail",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("report_id", sa.Integer, sa.ForeignKey("report.id", ondelete="RESTRICT"), nullable=False, index=True),
        sa.Column("recipient", sa.String(254), nullable=False),
        sa.Column("forms", JSONB(none_as_null=True), nullable=False),
        sa.Column("note", sa.String(4000), nullable=False),
        sa.Column("size", sa.Integer, nullable=False),
        sa.Column("message_id", sa.String(200), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("tries", sa.Integer, nullable=False),
        sa.Column("problem", sa.String(400), nullable=False),
        sa.Column("asked_at", time, nullable=False),
        sa.Column("asked_by", sa.Integer, sa.ForeignKey("account.id", ondelete="RESTRICT"), nullable=True, index=True),
        sa.Column("next_at", time, nullable=False),
        sa.Column("sent_at", time, nullable=True),
        sa.CheckConstraint("state in ('waiting', 'sent', 'refused')", name="mail_state"),
        sa.CheckConstraint("(state = 'sent') = (sent_at is not null)", name="mail_sent"),
    )
    op.create_index("mail_waiting", "mail", ["next_at"], postgresql_where=sa.text("state = 'waiting'"))


def downgrade() -> None:
    op.drop_table("mail")
