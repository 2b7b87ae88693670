"""Handing out: what is personal, setups of one's own, hand-overs that were begun, vehicles and courses."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

CLOCK = "^([01][0-9]|2[0-3]):[0-5][0-9]$"
TIME = sa.DateTime(timezone=True)


def upgrade() -> None:
    _person()
    _setups()
    _vehicles()
    op.add_column("recorder", sa.Column("clock_set_at", TIME))
    op.add_column("hand_over", sa.Column("instead_of", sa.Uuid(), sa.ForeignKey("hand_over.id", ondelete="RESTRICT")))


def _person() -> None:
    for name in ("gets_up", "goes_to_bed"):
        op.add_column("person", sa.Column(name, sa.String(5)))
        op.create_check_constraint(f"person_{name}", "person", f"{name} ~ '{CLOCK}'")
    for name in ("heart_rate_highest", "heart_rate_resting"):
        op.add_column("person", sa.Column(name, sa.Integer))


def _setups() -> None:
    op.create_table(
        "kept_setup",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("team_id", sa.Integer, sa.ForeignKey("team.id", ondelete="RESTRICT"), index=True),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("settings", JSONB(none_as_null=True), nullable=False),
        sa.Column("made_at", TIME, nullable=False),
        sa.Column("made_by", sa.Integer, sa.ForeignKey("account.id", ondelete="RESTRICT"), index=True),
        sa.Column("removed_at", TIME),
    )
    op.create_index(
        "kept_setup_once",
        "kept_setup",
        ["kind", sa.text("coalesce(team_id, 0)"), "name"],
        unique=True,
        postgresql_where=sa.text("removed_at is null"),
    )
    op.create_table(
        "writing",
        sa.Column("id", sa.Uuid(), primary_key=True),
        sa.Column(
            "recorder_id", sa.Integer, sa.ForeignKey("recorder.id", ondelete="RESTRICT"), nullable=False, index=True
        ),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("person.id", ondelete="RESTRICT"), nullable=False, index=True),
        sa.Column("setup_id", sa.Integer, sa.ForeignKey("setup.id", ondelete="RESTRICT"), nullable=False, index=True),
        sa.Column("begun_at", TIME, nullable=False),
        sa.Column("begun_by", sa.Integer, sa.ForeignKey("account.id", ondelete="RESTRICT"), index=True),
        sa.Column("expected_at", TIME),
        sa.Column("tags", JSONB(none_as_null=True), nullable=False),
        sa.Column("instead_of", sa.Uuid()),
    )


def _vehicles() -> None:
    op.create_table(
        "yard_vehicle",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("number", sa.String(8), nullable=False),
        sa.Column("profile", sa.String(20), nullable=False),
        sa.Column("team_id", sa.Integer, sa.ForeignKey("team.id", ondelete="RESTRICT"), index=True),
        sa.Column("notes", sa.String(400), nullable=False),
        sa.Column("removed_at", TIME),
        sa.CheckConstraint("length(trim(name)) > 0", name="vehicle_has_name"),
    )
    op.create_index(
        "vehicle_once", "yard_vehicle", ["name"], unique=True, postgresql_where=sa.text("removed_at is null")
    )
    op.create_table(
        "course",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("plain", JSONB(none_as_null=True), nullable=False),
        sa.Column("made_at", TIME, nullable=False),
        sa.Column("made_by", sa.Integer, sa.ForeignKey("account.id", ondelete="RESTRICT"), index=True),
        sa.Column("removed_at", TIME),
        sa.CheckConstraint("plain->>'name' = name", name="course_name"),
    )
    op.create_index("course_once", "course", ["name"], unique=True, postgresql_where=sa.text("removed_at is null"))


def downgrade() -> None:
    op.drop_column("hand_over", "instead_of")
    op.drop_column("recorder", "clock_set_at")
    for table in ("course", "yard_vehicle", "writing", "kept_setup"):
        op.drop_table(table)
    for name in ("gets_up", "goes_to_bed", "heart_rate_highest", "heart_rate_resting"):
        op.drop_column("person", name)
