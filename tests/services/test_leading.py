"""One lookout among several: the lock, the term, a leader whose connection dies, a deposed one that writes nothing."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from unittest import mock

from sqlalchemy import text
from sqlalchemy.exc import OperationalError
from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.services.work import leading
from kumpel.services.work.jobs import Jobs
from kumpel.services.work.leading import DeposedError, Leading, begin_term, fence
from kumpel.services.work.watch import Lookout, Places
from kumpel.store.tables import LookoutTerm
from tests.support import DatabaseTest

TAKES_OVER_S = 5.0


class Quiet(Lookout):
    """A lookout that looks at nothing; who leads is all that is asked."""

    made: list[Quiet]

    def __init__(self, url: str, jobs: Jobs, fence: Callable[[Db], None], places: Places) -> None:
        super().__init__(url, jobs, fence, places)
        self.ended = threading.Event()
        Quiet.made.append(self)

    def run(self) -> None:
        self._ending.wait()
        self.ended.set()

    def write(self) -> None:
        self._with(lambda db: None)


class OneLeads(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        Quiet.made = []

    def leading(self) -> Leading:
        made = Leading(self.url, Jobs(self.url), Quiet)
        self.addCleanup(made.stop)
        made.start()
        return made

    def until(self, holds: Callable[[], bool], seconds: float = TAKES_OVER_S) -> float:
        began = time.monotonic()
        while not holds():
            self.assertLess(time.monotonic() - began, seconds)
            time.sleep(0.02)
        return time.monotonic() - began

    def term(self) -> int:
        self.db.rollback()
        return self.db.exec(select(LookoutTerm.term)).one()

    def test_a_leader_that_stops_is_followed_by_the_other(self) -> None:
        first = self.leading()
        self.until(lambda: len(Quiet.made) == 1)
        self.leading()
        time.sleep(2.5)
        self.assertEqual((len(Quiet.made), self.term()), (1, 1), "the second waits")
        first.stop()
        self.until(lambda: len(Quiet.made) == 2)
        self.assertEqual(self.term(), 2)

    def test_a_leader_whose_connection_dies_is_deposed_and_writes_nothing_more(self) -> None:
        self.leading()
        self.leading()
        self.until(lambda: len(Quiet.made) == 1)
        deposed = Quiet.made[0]
        deposed.write()
        killed = self.db.connection().execute(
            text(
                "select pg_terminate_backend(pid) from pg_locks where locktype = 'advisory' and classid = 7245008 and granted "
                "and database = (select oid from pg_database where datname = current_database())"
            )
        )
        self.assertEqual(killed.scalars().all(), [True])
        self.db.commit()
        self.until(lambda: len(Quiet.made) == 2)
        self.until(deposed.ended.is_set)
        self.assertEqual(self.term(), 2)
        with self.assertRaises(DeposedError):
            deposed.write()
        Quiet.made[1].write()


class Restarted(DatabaseTest):
    def test_a_database_that_goes_away_while_a_term_begins_is_waited_for(self) -> None:
        Quiet.made = []
        away = [OperationalError("", {}, Exception()), 1]
        with mock.patch.object(leading, "begin_term", side_effect=away):
            led = Leading(self.url, Jobs(self.url), Quiet)
            self.addCleanup(led.stop)
            led.start()
            end = time.monotonic() + TAKES_OVER_S
            while not Quiet.made:
                self.assertLess(time.monotonic(), end)
                time.sleep(0.02)


class Terms(DatabaseTest):
    def test_each_is_one_more_and_fences_those_before(self) -> None:
        self.assertEqual([begin_term(self.db), begin_term(self.db)], [1, 2])
        fence(self.db, 2)
        with self.assertRaises(DeposedError):
            fence(self.db, 1)


if __name__ == "__main__":
    import unittest

    unittest.main()
