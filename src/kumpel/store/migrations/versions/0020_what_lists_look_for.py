"""Lists over a million sessions: the words a session is found by, its paper, its kind; figures as numbers on one basis.

The words and the time of the last report are kept by triggers, whoever writes: a list that asks for them must never be told less than
the tables they come from would say.
"""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None

WORDS = """
create function session_words(wanted session) returns text stable language sql as $$
    select concat_ws(chr(10),
        (select concat_ws(chr(10), name, number) from person where id = wanted.person_id),
        (select token from recorder where id = wanted.recorder_id),
        (select string_agg(value, chr(10) order by key) from tag where session_id = wanted.id))
$$;

create function session_finds_its_words() returns trigger language plpgsql as $$
begin
    new.words := session_words(new);
    return new;
end $$;
create trigger session_words before insert or update of person_id, recorder_id on session
    for each row execute function session_finds_its_words();

create function tags_are_words() returns trigger language plpgsql as $$
begin
    update session s set words = session_words(s)
    where s.id in (select session_id from changed) and s.words is distinct from session_words(s);
    return null;
end $$;
create trigger tag_words_added after insert on tag referencing new table as changed
    for each statement execute function tags_are_words();
create trigger tag_words_changed after update on tag referencing new table as changed
    for each statement execute function tags_are_words();
create trigger tag_words_removed after delete on tag referencing old table as changed
    for each statement execute function tags_are_words();

create function person_is_words() returns trigger language plpgsql as $$
begin
    update session s set words = session_words(s) where s.person_id = new.id;
    return null;
end $$;
create trigger person_words after update of name, number on person
    for each row when (old.name is distinct from new.name or old.number is distinct from new.number)
    execute function person_is_words();

create function recorder_is_words() returns trigger language plpgsql as $$
begin
    update session s set words = session_words(s) where s.recorder_id = new.id;
    return null;
end $$;
create trigger recorder_words after update of token on recorder
    for each row when (old.token is distinct from new.token) execute function recorder_is_words();

create function report_is_of_its_session() returns trigger language plpgsql as $$
begin
    update session set reported_at = greatest(reported_at, new.issued_at) where id = new.session_id;
    return null;
end $$;
create trigger report_of_session after insert on report for each row execute function report_is_of_its_session();
"""
FUNCTIONS = (
    ("session_words", "session", "session_finds_its_words"),
    ("tag_words_added", "tag", None),
    ("tag_words_changed", "tag", None),
    ("tag_words_removed", "tag", "tags_are_words"),
    ("person_words", "person", "person_is_words"),
    ("recorder_words", "recorder", "recorder_is_words"),
    ("report_of_session", "report", "report_is_of_its_session"),
)
LISTED = "state = 'stored' and deleted_at is null and aside = ''"


def upgrade() -> None:
    op.execute("create extension if not exists pg_trgm")
    op.add_column("session", sa.Column("words", sa.Text, nullable=False, server_default=""))
    op.add_column("session", sa.Column("reported_at", sa.DateTime(timezone=True), nullable=True))
    op.execute(WORDS)
    op.execute("update session s set words = session_words(s)")
    op.execute(
        "update session s set reported_at = r.at from (select session_id, max(issued_at) as at from report group by 1) r where r.session_id = s.id"
    )
    op.execute("create index session_by_words on session using gin (words gin_trgm_ops)")
    op.execute(
        "create index person_by_words on person using gin (name gin_trgm_ops, number gin_trgm_ops, real_name gin_trgm_ops)"
    )
    op.execute(f"create index session_listed on session (started_at desc, id desc) where {LISTED}")
    op.execute(f"create index session_by_kind on session (kind, started_at desc, id desc) where {LISTED}")
    op.execute(f"create index session_by_length on session (length_s, id) where {LISTED}")
    op.execute(f"create index session_by_verdict on session (verdict, id) where {LISTED}")
    op.execute(f"create index session_urgent on session (verdict, started_at) where {LISTED} and signed_at is null")
    op.execute("create index person_by_name on person (lower(name), id desc)")
    op.execute(f"create index session_of_person on session (person_id, started_at desc, id desc) where {LISTED}")
    op.execute(
        f"create index session_unreported on session (started_at) where {LISTED} and signed_at is not null and (reported_at is null or reported_at < signed_at)"
    )
    op.execute("create index session_arriving on session (id) where state = 'arriving'")
    op.execute("create index report_newest on report (issued_at desc, id desc)")
    op.execute("create index report_by_words on report using gin (title gin_trgm_ops, number gin_trgm_ops)")
    op.execute("create index recorder_in_reach on recorder (token) where in_reach")
    op.execute("create index session_of_kind on session (kind, id) where state = 'stored' and figures = 'assessed'")
    # Only what was reviewed is listed; what was recorded stays with its result.
    op.execute("delete from figure_value where basis <> 'as reviewed'")
    op.drop_index("figure_value_by_number", "figure_value")
    op.drop_index("figure_value_by_kind", "figure_value")
    op.execute("alter table figure_value drop constraint figure_value_pkey, drop column basis")
    op.execute("alter table figure_value add primary key (session_id, key)")
    op.create_index("figure_value_by_number", "figure_value", ["key", "value", "session_id"])
    op.create_index("figure_value_by_kind", "figure_value", ["key", "kind", "value", "session_id"])


def downgrade() -> None:
    op.drop_index("figure_value_by_kind", "figure_value")
    op.drop_index("figure_value_by_number", "figure_value")
    op.add_column("figure_value", sa.Column("basis", sa.String(12), nullable=False, server_default="as reviewed"))
    op.alter_column("figure_value", "basis", server_default=None)
    op.execute("alter table figure_value drop constraint figure_value_pkey")
    op.execute("alter table figure_value add primary key (session_id, basis, key)")
    op.create_index("figure_value_by_number", "figure_value", ["key", "basis", "value", "session_id"])
    op.create_index("figure_value_by_kind", "figure_value", ["key", "basis", "kind", "value", "session_id"])
    for name in (
        "session_arriving",
        "report_newest",
        "report_by_words",
        "recorder_in_reach",
        "session_of_kind",
        "session_unreported",
        "session_of_person",
        "session_by_kind",
        "session_by_length",
        "session_by_verdict",
        "session_urgent",
        "session_listed",
        "person_by_name",
    ):
        op.execute(f"drop index {name}")
    op.execute("drop index person_by_words")
    op.execute("drop index session_by_words")
    for trigger, table, function in FUNCTIONS:
        op.execute(f"drop trigger {trigger} on {table}")
        if function:
            op.execute(f"drop function {function}()")
    op.execute("drop function session_words(session)")
    op.drop_column("session", "reported_at")
    op.drop_column("session", "words")
