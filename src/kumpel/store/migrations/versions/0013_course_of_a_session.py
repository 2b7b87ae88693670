"""The course that a session was driven on, until now only in the words of a finding."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("session", sa.Column("course", sa.String(80), nullable=False, server_default=""))
    op.execute(
        """
        update session set course = left(regexp_replace(said.words, '^Course: (.*), (as set|found by position)$', '\\1'), 80)
        from (
            select distinct on (session_id) session_id, jsonb_path_query_first(
                content, '$.quality.findings[*] ? (@.code == "course").text'
            ) #>> '{}' as words
            from result where basis = 'as reviewed' order by session_id, id desc
        ) said
        where said.session_id = session.id and said.words ~ '^Course: .*, (as set|found by position)$'
        """
    )
    op.create_index("session_course", "session", ["course", "started_at"], postgresql_where=sa.text("course <> ''"))


def downgrade() -> None:
    op.drop_column("session", "course")
