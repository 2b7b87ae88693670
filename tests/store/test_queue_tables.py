"""The queue's own tables, brought along when its package becomes newer."""

from __future__ import annotations

import threading
from typing import Any

from sqlalchemy import Connection, text

from kumpel.store import database, queue_tables
from tests.support import DatabaseTest

THEN = "02.08.00_01"
"""The last step that an older queue had: before a step that has to be taken statement by statement."""
SHAPE = """
    select 'column ' || table_name || '.' || column_name || ' ' || data_type || ' ' || coalesce(column_default, '') from information_schema.columns
        where table_name like 'procrastinate%'
    union all select 'function ' || pg_get_functiondef(oid) from pg_proc where proname like 'procrastinate%'
    union all select 'index ' || indexdef from pg_indexes where tablename like 'procrastinate%'
    union all select 'trigger ' || pg_get_triggerdef(oid) from pg_trigger where tgname like 'procrastinate%'
    order by 1
"""
DROPPED = """
    do $$ declare f record; begin
        drop table procrastinate_events, procrastinate_periodic_defers, procrastinate_jobs, procrastinate_workers cascade;
        for f in select oid::regprocedure as name from pg_proc where proname like 'procrastinate%' loop execute 'drop function ' || f.name || ' cascade'; end loop;
        for f in select typname as name from pg_type where typname like 'procrastinate%' and typtype in ('e', 'c') loop execute 'drop type ' || f.name || ' cascade'; end loop;
    end $$
"""


class Upgrade(DatabaseTest):
    def shape(self, connection: Connection) -> list[str]:
        return [" ".join(row.split()) for row in connection.execute(text(SHAPE)).scalars()]

    def older(self, connection: Connection) -> None:
        """The tables as an older queue made them, by the package's own steps."""
        raw: Any = connection.connection.driver_connection
        raw.execute(DROPPED)
        for step in queue_tables.steps():
            if step.name[: len(THEN)] <= THEN:
                for statement in queue_tables.statements(step.read_text()):
                    raw.execute(statement)
                    connection.commit()
                last = step.name
        connection.execute(text(f"comment on table procrastinate_jobs is '{last}'"))
        connection.commit()

    def test_a_script_is_cut_where_its_statements_end(self) -> None:
        script = "a; -- no; one\nb ';' c; $$ d; $$ e; $f$ g; $$ h; $f$; /* i; */"
        self.assertEqual(
            [s.strip() for s in queue_tables.statements(script)], ["a", "b ';' c", "$$ d; $$ e", "$f$ g; $$ h; $f$"]
        )

    def test_an_older_queue_becomes_what_a_new_one_is(self) -> None:
        with database.engine(self.url).connect() as connection:
            new = self.shape(connection)
            self.assertTrue(queue_tables.is_newest(connection))
            self.older(connection)
            self.assertNotEqual(self.shape(connection), new)
            self.assertFalse(database.is_newest(self.url))
            database.migrate(self.url)
            self.assertTrue(database.is_newest(self.url))
            self.assertEqual(self.shape(connection), new)
            self.assertEqual(queue_tables.upgrade(connection), [], "a second time there is nothing to do")

    def test_each_step_is_there_for_others_when_the_steps_are_done(self) -> None:
        with database.engine(self.url).connect() as connection, database.engine(self.url).connect() as other:
            self.older(connection)
            self.assertGreater(len(queue_tables.upgrade(connection)), 1)
            # Before the first connection commits anything more.
            self.assertTrue(queue_tables.is_newest(other))

    def test_two_at_once_take_each_step_once(self) -> None:
        with database.engine(self.url).connect() as connection:
            new = self.shape(connection)
            self.older(connection)
            errors: list[Exception] = []

            def start() -> None:
                try:
                    database.migrate(self.url)
                except Exception as error:
                    errors.append(error)

            threads = [threading.Thread(target=start) for _ in range(3)]
            for thread in threads:
                thread.start()
            for thread in threads:
                thread.join()
            self.assertEqual(errors, [])
            self.assertEqual(self.shape(connection), new)

    def test_a_database_without_a_mark_has_what_the_first_ones_had(self) -> None:
        with database.engine(self.url).connect() as connection:
            connection.execute(text("comment on table procrastinate_jobs is null"))
            self.assertEqual(queue_tables.last_step(connection), queue_tables.BEFORE_MARKS)
            self.assertIn(queue_tables.BEFORE_MARKS, [step.name for step in queue_tables.steps()])
