"""Which figures stand for more than was measured."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0041"
down_revision = "0040"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("figure_value", sa.Column("projected", sa.Boolean(), nullable=False, server_default=sa.false()))
    # What the newest results say of the figures that are there: their notes begin so.
    op.execute(
        """
        update figure_value set projected = true from (
            select distinct on (session_id) session_id, content from result where basis = 'as reviewed' order by session_id, id desc
        ) newest, jsonb_array_elements(newest.content -> 'figures') figure
        where figure_value.session_id = newest.session_id and figure_value.key = figure ->> 'key'
            and figure ->> 'note' like 'projected%' and figure_value.value is not null
        """
    )


def downgrade() -> None:
    op.drop_column("figure_value", "projected")
