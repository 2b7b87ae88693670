"""What was called rescue is called resuscitation."""

from __future__ import annotations

from alembic import op

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None

KINDS = ("recorder", "setup", "kept_setup", "session", "limit_set", "figure_value")
"""Tables with a column `kind`."""


def _rename(old: str, new: str) -> None:
    for table in KINDS:
        op.execute(f"update {table} set kind = '{new}' where kind = '{old}'")
    op.execute(f"update limit_set set data = jsonb_set(data, '{{kind}}', '\"{new}\"') where data ->> 'kind' = '{old}'")
    op.execute(f"update setting set of = '{new}' where scope = 'kind' and of = '{old}'")


def upgrade() -> None:
    _rename("rescue", "resuscitation")


def downgrade() -> None:
    _rename("resuscitation", "rescue")
