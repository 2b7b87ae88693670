"""The plan: rules for who is to be measured how often, days that somebody chose; tokens of feeds."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None


def _to(column: str, target: str, *, nullable: bool = True) -> sa.Column[int]:
    return sa.Column(column, sa.Integer(), sa.ForeignKey(f"{target}.id", ondelete="RESTRICT"), nullable=nullable)


def _time(name: str, *, nullable: bool = False) -> sa.Column[sa.DateTime]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def upgrade() -> None:
    op.create_table(
        "plan_rule",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("kind", sa.String(40), nullable=False),
        _to("team_id", "team"),
        _to("person_id", "person"),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("every_days", sa.Integer(), nullable=False),
        sa.Column("after", sa.String(20), nullable=False),
        sa.Column("starts", sa.Date(), nullable=False),
        _time("made_at"),
        _to("made_by", "account"),
        _time("removed_at", nullable=True),
        sa.CheckConstraint("(team_id is not null)::int + (person_id is not null)::int = 1", name="plan_rule_of_one"),
        sa.CheckConstraint("count between 1 and 100", name="plan_rule_count"),
        sa.CheckConstraint("every_days between 1 and 4000", name="plan_rule_every"),
        sa.CheckConstraint("after in ('', 'medicine')", name="plan_rule_after"),
    )
    for column in ("team_id", "person_id", "made_by"):
        op.create_index(f"ix_plan_rule_{column}", "plan_rule", [column])
    op.create_table(
        "plan_day",
        sa.Column("rule_id", sa.Integer(), sa.ForeignKey("plan_rule.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("day", sa.Date(), nullable=False),
        _time("made_at"),
        _to("made_by", "account"),
    )
    op.create_index("ix_plan_day_person_id", "plan_day", ["person_id"])
    op.create_index("ix_plan_day_made_by", "plan_day", ["made_by"])
    op.create_table(
        "token",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("hash", sa.LargeBinary(), nullable=False, unique=True),
        sa.Column("what", sa.String(20), nullable=False),
        sa.Column("named", sa.Boolean(), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        _to("account_id", "account", nullable=False),
        _time("made_at"),
        _time("used_at", nullable=True),
        _time("removed_at", nullable=True),
        sa.CheckConstraint("octet_length(hash) = 32", name="token_hash"),
    )
    op.create_index("ix_token_account_id", "token", ["account_id"])


def downgrade() -> None:
    for table in ("token", "plan_day", "plan_rule"):
        op.drop_table(table)
