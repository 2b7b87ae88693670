"""Firmware: keys that are trusted, images, updates."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0038"
down_revision = "0037"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "firmware_key",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("key_id", sa.String(16), nullable=False),
        sa.Column("public", sa.LargeBinary(), nullable=False),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint("octet_length(public) = 32", name="firmware_key_public"),
        sa.CheckConstraint("length(trim(name)) > 0", name="firmware_key_has_name"),
    )
    op.create_index(
        "firmware_key_one", "firmware_key", ["key_id"], unique=True, postgresql_where=sa.text("removed_at is null")
    )
    op.create_table(
        "firmware_image",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("kind", sa.String(40), nullable=False),
        sa.Column("models", JSONB(), nullable=False),
        sa.Column("version", sa.String(40), nullable=False),
        sa.Column("shows", sa.String(200), nullable=False, server_default=""),
        sa.Column("notes", sa.String(1000), nullable=False, server_default=""),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("sha256", sa.LargeBinary(), nullable=False),
        sa.Column("key_id", sa.String(16), nullable=False),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("removed_at", sa.DateTime(timezone=True)),
        sa.CheckConstraint("octet_length(sha256) = 32", name="firmware_image_sha256"),
    )
    op.create_index(
        "firmware_image_one", "firmware_image", ["sha256"], unique=True, postgresql_where=sa.text("removed_at is null")
    )
    op.create_table(
        "firmware_file",
        sa.Column("image_id", sa.Integer(), sa.ForeignKey("firmware_image.id", ondelete="RESTRICT"), primary_key=True),
        sa.Column("data", sa.LargeBinary(), nullable=False),
    )
    op.create_table(
        "firmware_update",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column(
            "recorder_id", sa.Integer(), sa.ForeignKey("recorder.id", ondelete="RESTRICT"), nullable=False, index=True
        ),
        sa.Column("image_id", sa.Integer(), sa.ForeignKey("firmware_image.id", ondelete="RESTRICT"), nullable=False),
        sa.Column("state", sa.String(10), nullable=False),
        sa.Column("was", sa.String(40), nullable=False, server_default=""),
        sa.Column("sent", sa.Integer(), nullable=False, server_default="0"),
        sa.Column("trouble", sa.String(400), nullable=False, server_default=""),
        sa.Column("locked", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("stop", sa.Boolean(), nullable=False, server_default=sa.false()),
        sa.Column("began_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("beat_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("ended_at", sa.DateTime(timezone=True)),
        sa.Column("made_by", sa.Integer(), sa.ForeignKey("account.id", ondelete="RESTRICT")),
        sa.CheckConstraint(
            "state in ('waits', 'sends', 'starts', 'done', 'failed', 'stopped')", name="firmware_update_state"
        ),
        sa.CheckConstraint(
            "(ended_at is null) = (state in ('waits', 'sends', 'starts'))", name="firmware_update_ended"
        ),
    )
    op.create_index(
        "firmware_update_one",
        "firmware_update",
        ["recorder_id"],
        unique=True,
        postgresql_where=sa.text("ended_at is null"),
    )


def downgrade() -> None:
    op.drop_table("firmware_update")
    op.drop_table("firmware_file")
    op.drop_table("firmware_image")
    op.drop_table("firmware_key")
