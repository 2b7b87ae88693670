"""Why a version of a limit set was made; figures of a year are counted from indexes alone."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None
LISTED = "state = 'stored' and deleted_at is null and aside = ''"


def upgrade() -> None:
    op.add_column("limit_set", sa.Column("why", sa.String(200), nullable=False, server_default=""))
    _indexes(["verdict", "coverage"], ["person_id"])


def downgrade() -> None:
    _indexes(None, None)
    op.drop_column("limit_set", "why")


def _indexes(with_figure: list[str] | None, with_session: list[str] | None) -> None:
    op.drop_index("figure_value_by_kind", "figure_value")
    op.create_index(
        "figure_value_by_kind", "figure_value", ["key", "kind", "value", "session_id"], postgresql_include=with_figure
    )
    op.drop_index("session_by_kind", "session")
    op.create_index(
        "session_by_kind",
        "session",
        ["kind", sa.text("started_at desc"), sa.text("id desc")],
        postgresql_include=with_session,
        postgresql_where=sa.text(LISTED),
    )
