"""Groups of people, their versions and signatures; reports over several sessions, and over a group."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0027"
down_revision = "0026"
branch_labels = None
depends_on = None

TRIGGERS = """
drop trigger report_of_session on report;
drop function report_is_of_its_session();
create function report_is_of_its_session() returns trigger language plpgsql as $$
begin
    update session set reported_at = greatest(reported_at, (select issued_at from report where id = new.report_id))
    where id = new.session_id;
    return null;
end $$;
create trigger report_of_session after insert on report_session for each row execute function report_is_of_its_session();

create function report_has_its_session() returns trigger language plpgsql as $$
begin
    insert into report_session (report_id, session_id) values (new.id, new.session_id) on conflict do nothing;
    return null;
end $$;
create trigger report_session_first after insert on report
    for each row when (new.session_id is not null) execute function report_has_its_session();
"""
BACK = """
drop trigger report_session_first on report;
drop function report_has_its_session();
drop trigger report_of_session on report_session;
drop function report_is_of_its_session();
create function report_is_of_its_session() returns trigger language plpgsql as $$
begin
    update session set reported_at = greatest(reported_at, new.issued_at) where id = new.session_id;
    return null;
end $$;
create trigger report_of_session after insert on report for each row execute function report_is_of_its_session();
"""


def _to(target: str, *, nullable: bool = True) -> sa.Column[int]:
    return sa.Column(
        f"{target}_id", sa.Integer(), sa.ForeignKey(f"{target}.id", ondelete="RESTRICT"), nullable=nullable
    )


def _time(name: str, *, nullable: bool = False) -> sa.Column[sa.DateTime]:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=nullable)


def _by(name: str) -> sa.Column[int]:
    return sa.Column(name, sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT"))


def upgrade() -> None:
    op.create_table(
        "measured_group",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("conclusion", sa.Text(), nullable=False, server_default=""),
        sa.Column("conclusion_version", sa.Integer(), nullable=False, server_default="0"),
        _time("made_at"),
        _by("made_by"),
        _time("removed_at", nullable=True),
        sa.CheckConstraint("length(trim(name)) > 0", name="measured_group_has_name"),
    )
    op.create_index("ix_measured_group_made_by", "measured_group", ["made_by"])
    op.create_index(
        "measured_group_once", "measured_group", ["name"], unique=True, postgresql_where=sa.text("removed_at is null")
    )
    op.create_table(
        "measured_group_version",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("group_id", sa.Integer(), sa.ForeignKey("measured_group.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("wish", JSONB(), nullable=False),
        _time("made_at"),
        _by("made_by"),
        sa.UniqueConstraint("group_id", "number", name="measured_group_version_once"),
    )
    op.create_index("ix_measured_group_version_group_id", "measured_group_version", ["group_id"])
    op.create_index("ix_measured_group_version_made_by", "measured_group_version", ["made_by"])
    op.create_table(
        "group_signature",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("group_id", sa.Integer(), sa.ForeignKey("measured_group.id", ondelete="RESTRICT"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("conclusion", sa.Text(), nullable=False),
        sa.Column("frozen", JSONB(), nullable=False),
        _time("signed_at"),
        sa.Column("signed_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT"), nullable=False),
        _time("opened_at", nullable=True),
        _by("opened_by"),
        sa.Column("opened_why", sa.String(400), nullable=False, server_default=""),
        sa.CheckConstraint(
            "opened_at is null or (opened_by is not null and length(trim(opened_why)) > 0)",
            name="group_signature_opened_why",
        ),
    )
    for column in ("group_id", "signed_by", "opened_by"):
        op.create_index(f"ix_group_signature_{column}", "group_signature", [column])
    op.create_index(
        "group_signature_in_force",
        "group_signature",
        ["group_id"],
        unique=True,
        postgresql_where=sa.text("opened_at is null"),
    )
    op.create_table(
        "report_session",
        sa.Column("report_id", sa.Integer(), sa.ForeignKey("report.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("session_id", sa.Integer(), sa.ForeignKey("session.id", ondelete="RESTRICT"), primary_key=True),
    )
    op.create_index("ix_report_session_session_id", "report_session", ["session_id"])
    op.execute("insert into report_session (report_id, session_id) select id, session_id from report")
    op.alter_column("report", "session_id", nullable=True)
    op.add_column(
        "report",
        sa.Column("group_id", sa.Integer(), sa.ForeignKey("measured_group.id", ondelete="RESTRICT"), nullable=True),
    )
    op.create_index("ix_report_group_id", "report", ["group_id"])
    op.create_check_constraint("report_of_something", "report", "session_id is not null or group_id is not null")
    op.execute(TRIGGERS)


def downgrade() -> None:
    op.execute(BACK)
    op.execute("delete from report where session_id is null")
    op.drop_constraint("report_of_something", "report")
    op.drop_column("report", "group_id")
    op.alter_column("report", "session_id", nullable=False)
    for table in ("report_session", "group_signature", "measured_group_version", "measured_group"):
        op.drop_table(table)
