"""The bench: references, runs, certificates."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0037"
down_revision = "0036"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "reference",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("what", sa.String(20), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("lot", sa.String(40), nullable=False, server_default=""),
        sa.Column("holds", JSONB(), nullable=False),
        sa.Column("left", sa.Integer()),
        sa.Column("expires", sa.Date()),
        sa.Column("certificate", sa.String(120), nullable=False, server_default=""),
        sa.Column("certificate_due", sa.Date()),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint('"left" is null or "left" >= 0', name="reference_left"),
        sa.CheckConstraint("length(trim(name)) > 0", name="reference_has_name"),
    )
    op.create_table(
        "bench_run",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "recorder_id", sa.Integer(), sa.ForeignKey("recorder.id", ondelete="RESTRICT"), nullable=False, index=True
        ),
        sa.Column("what", sa.String(40), nullable=False),
        sa.Column("reference_id", sa.Integer(), sa.ForeignKey("reference.id", ondelete="RESTRICT")),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("rows", JSONB(), nullable=False),
        sa.Column("trouble", sa.String(400), nullable=False, server_default=""),
        sa.Column("stop", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("began_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("beat_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.CheckConstraint("state in ('running', 'done', 'stopped', 'broken')", name="bench_run_state"),
    )
    op.create_index(
        "bench_run_one", "bench_run", ["recorder_id"], unique=True, postgresql_where=sa.text("state = 'running'")
    )
    op.create_table(
        "certificate",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("number", sa.String(20), nullable=False, unique=True),
        sa.Column(
            "recorder_id", sa.Integer(), sa.ForeignKey("recorder.id", ondelete="RESTRICT"), nullable=False, index=True
        ),
        sa.Column("run_id", sa.Integer(), sa.ForeignKey("bench_run.id", ondelete="RESTRICT"), unique=True),
        sa.Column("title", sa.String(120), nullable=False),
        sa.Column("passed", sa.Boolean(), nullable=False),
        sa.Column("pdf", sa.LargeBinary(), nullable=False),
        sa.Column("sha256", sa.LargeBinary(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False, index=True),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("revoked_at", sa.DateTime(timezone=True)),
        sa.Column("revoked_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("revoked_why", sa.String(200), nullable=False, server_default=""),
        sa.CheckConstraint("octet_length(sha256) = 32", name="certificate_sha256"),
        sa.CheckConstraint("revoked_at is null or length(trim(revoked_why)) > 0", name="certificate_revoked_why"),
    )
    op.execute("insert into counter (name, value) values ('certificate', 0)")


def downgrade() -> None:
    op.execute("delete from counter where name = 'certificate'")
    op.drop_table("certificate")
    op.drop_table("bench_run")
    op.drop_table("reference")
