"""What a clinic knows of a person: where, by whom, why; a code in place of the name; medicines with their days."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None

LENGTHS = {"real_name": 200, "clinic": 120, "doctor": 120, "complaint": 400, "stay": 12}


def upgrade() -> None:
    for name, length in LENGTHS.items():
        op.add_column("person", sa.Column(name, sa.String(length), nullable=False, server_default=""))
    op.create_check_constraint("person_stay", "person", "stay in ('', 'in-patient', 'out-patient')")
    op.create_table(
        "medicine",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("person_id", sa.Integer, sa.ForeignKey("person.id", ondelete="RESTRICT"), nullable=False, index=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("dose", sa.String(40), nullable=False),
        sa.Column("times", JSONB(none_as_null=True), nullable=False),
        sa.Column("since", sa.Date, nullable=True),
        sa.Column("until", sa.Date, nullable=True),
        sa.Column("noted_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("noted_by", sa.Integer, sa.ForeignKey("account.id", ondelete="RESTRICT"), nullable=True, index=True),
        sa.Column("removed_at", sa.DateTime(timezone=True), nullable=True),
        sa.CheckConstraint("length(trim(name)) > 0", name="medicine_has_name"),
        sa.CheckConstraint("until >= since", name="medicine_order"),
    )


def downgrade() -> None:
    op.drop_table("medicine")
    op.drop_constraint("person_stay", "person")
    # Whoever is kept under a code gets the name back.
    op.execute("update person set name = real_name where real_name <> ''")
    for name in LENGTHS:
        op.drop_column("person", name)
