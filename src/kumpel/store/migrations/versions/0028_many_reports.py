"""Reports for many people in one go: what was wished, and what became of each."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0028"
down_revision = "0027"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "report_batch",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(200), nullable=False),
        sa.Column("wish", JSONB(), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint("state in ('going', 'stopped', 'done')", name="report_batch_state"),
    )
    op.create_index("ix_report_batch_made_by", "report_batch", ["made_by"])
    op.create_table(
        "report_batch_item",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("batch_id", sa.Integer(), sa.ForeignKey("report_batch.id", ondelete="CASCADE"), nullable=False),
        sa.Column("at", sa.Integer(), nullable=False),
        sa.Column("who", sa.String(200), nullable=False),
        sa.Column("sessions", JSONB(), nullable=False),
        sa.Column("group_id", sa.Integer(), sa.ForeignKey("measured_group.id", ondelete="RESTRICT")),
        sa.Column("recipient", sa.String(254), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("problem", sa.String(400), nullable=False),
        sa.Column("report_id", sa.Integer(), sa.ForeignKey("report.id", ondelete="RESTRICT")),
        sa.Column("mail_id", sa.Integer(), sa.ForeignKey("mail.id", ondelete="RESTRICT")),
        sa.UniqueConstraint("batch_id", "at", name="report_batch_item_order"),
        sa.CheckConstraint("state in ('waiting', 'issued', 'failed')", name="report_batch_item_state"),
        sa.CheckConstraint("(state = 'issued') = (report_id is not null)", name="report_batch_item_issued"),
    )
    for column in ("batch_id", "group_id", "report_id", "mail_id"):
        op.create_index(f"ix_report_batch_item_{column}", "report_batch_item", [column])


def downgrade() -> None:
    op.drop_table("report_batch_item")
    op.drop_table("report_batch")
