"""Settings of the site, its teams and kinds: a row a change; the newest counts."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "setting",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("key", sa.String(80), nullable=False),
        sa.Column("scope", sa.String(8), nullable=False),
        sa.Column("of", sa.String(120), nullable=False),
        sa.Column("value", JSONB(none_as_null=True)),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.CheckConstraint("scope in ('site', 'team', 'kind')", name="setting_scope"),
        sa.CheckConstraint("(scope = 'site') = (of = '')", name="setting_of"),
    )
    op.create_index("ix_setting_made_by", "setting", ["made_by"])
    op.create_index("setting_newest", "setting", ["key", "scope", "of", "id"])


def downgrade() -> None:
    op.drop_table("setting")
