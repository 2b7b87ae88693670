"""Deeds: who did what, on whom, before and after. Rows are only ever added; the database refuses anything else."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "deed",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("who", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("what", sa.String(40), nullable=False),
        sa.Column("on_what", sa.String(20), nullable=False),
        sa.Column("on_id", sa.String(64), nullable=False),
        sa.Column("before", JSONB(none_as_null=True)),
        sa.Column("after", JSONB(none_as_null=True)),
    )
    op.create_index("ix_deed_who", "deed", ["who"])
    op.create_index("deed_on", "deed", ["on_what", "on_id", "id"])
    op.execute(
        "create function deed_stays() returns trigger language plpgsql as "
        "$$ begin raise exception 'a deed on record is neither changed nor removed'; end $$"
    )
    op.execute(
        "create trigger deed_stays before update or delete or truncate on deed "
        "for each statement execute function deed_stays()"
    )


def downgrade() -> None:
    op.drop_table("deed")
    op.execute("drop function deed_stays()")
