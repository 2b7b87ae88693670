"""Two at once, and a process that ends in the middle: signing held open, dead workers, assessments that kill, numbers, locked accounts."""

import os
import threading
import time
from collections.abc import Callable
from typing import Any
from unittest import mock

import psycopg
from sqlalchemy import text
from sqlalchemy.exc import OperationalError
from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.services.ground import accounts, decisions, figures
from kumpel.services.ground.decisions import Wish
from kumpel.services.ground.problems import ConflictError
from kumpel.services.ground.recordings import locked_session
from kumpel.services.recorders import recorders
from kumpel.services.register import sessions
from kumpel.services.report import conclusions, paper, reports
from kumpel.services.review import deciding
from kumpel.services.take_in import arrival, take_in
from kumpel.services.work.jobs import SLOW, TAKE_IN, Jobs
from kumpel.store import database
from kumpel.store.tables import Recorder, Report, Session
from tests.services.reviewing import ReviewTest
from tests.support import DatabaseTest, MeterTest, finished


class SigningHeldOpen(ReviewTest):
    """While one signs, another moves the session and takes the person away: the second waits, and is refused."""

    number = 0

    def during_signing(self, change: Callable[[Db, int], object]) -> list[Exception]:
        SigningHeldOpen.number += 1
        row = self.session(3600, self.person(f"Worker {SigningHeldOpen.number}"), session=f"S-{SigningHeldOpen.number}")
        row.clock_error_s = 7200.0
        self.db.add(row)
        self.db.commit()
        held, go, raised = threading.Event(), threading.Event(), []
        made = paper.now_of

        def slowly(*arguments: Any, **named: Any) -> object:
            held.set()
            go.wait(10)
            return made(*arguments, **named)

        def sign() -> None:
            with (
                Db(database.engine(self.url), expire_on_commit=False) as db,
                mock.patch.object(paper, "now_of", slowly),
            ):
                conclusions.sign(db, row.id or 0, row.review_version, self.who)

        def other() -> None:
            with Db(database.engine(self.url), expire_on_commit=False) as db:
                try:
                    change(db, row.id or 0)
                except Exception as error:
                    raised.append(error)

        signing, changing = threading.Thread(target=sign), threading.Thread(target=other)
        signing.start()
        self.assertTrue(held.wait(10))
        changing.start()
        time.sleep(0.5)
        go.set()
        signing.join(20)
        changing.join(20)
        self.db.expire_all()
        self.row = self.db.get_one(Session, row.id)
        self.before = (row.person_id, row.started_at, row.clock_shift_s)
        return raised

    def test_it_can_neither_be_given_away_nor_moved(self) -> None:
        for change in (
            lambda db, i: sessions.change(db, i, {"person_id": None, "clock_shift_s": 7200.0}),
            lambda db, i: sessions.change(db, i, {"tags": {"place": "elsewhere"}}),
        ):
            [error] = self.during_signing(change)
            self.assertIsInstance(error, ConflictError)
            self.assertIsNotNone(self.row.signed_at)
            self.assertEqual((self.row.person_id, self.row.started_at, self.row.clock_shift_s), self.before)

    def test_moving_many_together_leaves_the_signed_one(self) -> None:
        def shift(db: Db, session_id: int) -> None:
            moved = sessions.shift_together(db, [session_id], back=False)
            assert moved == [], moved

        self.assertEqual(self.during_signing(shift), [])
        self.assertEqual((self.row.started_at, self.row.clock_shift_s), self.before[1:])


class DecidingWhileItIsChanged(ReviewTest):
    def test_a_decision_waits_for_whoever_holds_the_session_and_sees_what_became_of_it(self) -> None:
        raised: list[Exception] = []

        def decide() -> None:
            with Db(database.engine(self.url), expire_on_commit=False) as db:
                try:
                    wish = Wish("left out", start_s=0, end_s=900, reason="knocked")
                    deciding.decide(db, self.id, self.row.review_version, [wish], (), self.who)
                except Exception as error:
                    raised.append(error)

        with Db(database.engine(self.url), expire_on_commit=False) as other:
            held = locked_session(other, self.id)
            deciding_ = threading.Thread(target=decide)
            deciding_.start()
            deciding_.join(1.0)
            self.assertTrue(deciding_.is_alive(), "it waits for the row")
            held.review_version += 1
            other.add(held)
            other.commit()
        deciding_.join(10)
        self.assertIsInstance(raised[0], ConflictError)
        self.assertEqual(decisions.of_session(self.db, self.id), [])


class DeadWorkers(DatabaseTest):
    def test_what_a_dead_worker_held_is_free_again(self) -> None:
        jobs = Jobs(self.url)
        jobs.open()
        self.addCleanup(jobs.close)
        run = self.db.connection().execute
        old = run(text("insert into procrastinate_workers (last_heartbeat) values (now() - interval '1 minute') returning id")).scalar_one()  # fmt: skip
        new = run(text("insert into procrastinate_workers (last_heartbeat) values (now()) returning id")).scalar_one()
        put = text("insert into procrastinate_jobs (queue_name, task_name, args, status, lock, worker_id) values ('take-in', 'take-in', '{}', 'doing', :lock, :worker)")  # fmt: skip
        run(put, {"lock": "huge", "worker": old})
        run(put, {"lock": None, "worker": None})
        run(put, {"lock": "other", "worker": new})
        self.db.commit()

        async def free() -> int:
            async with jobs.app.open_async():
                return await jobs.free_stalled()

        self.assertEqual(finished(free()), 2)
        left = (
            self.db.connection()
            .execute(text("select lock from procrastinate_jobs where status = 'doing'"))
            .scalars()
            .all()
        )
        self.assertEqual(left, ["other"])


class Killers(DatabaseTest):
    """An assessment that takes its process with it."""

    def dies(self, session_id: int) -> None:
        pid = os.fork()
        if not pid:
            with mock.patch.object(figures, "assess", lambda *_: os._exit(9)):
                figures.run(database.engine(self.url), session_id)
            os._exit(0)
        self.assertEqual(os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]), 9)

    def test_a_database_that_went_away_is_no_failed_computation(self) -> None:
        row = take_in.from_file(self.db, self.file(), self.who)
        gone = OperationalError("select", {}, Exception("server closed the connection"))
        for error in (gone, psycopg.OperationalError("the connection is lost")):
            with mock.patch.object(figures, "assess", side_effect=error), self.assertRaises(type(error)):
                figures.run(database.engine(self.url), row.id or 0)
            self.db.expire_all()
            found = self.db.get_one(Session, row.id)
            self.assertEqual((found.figures, found.failure), ("waiting", ""))
        self.assertTrue(figures.run(database.engine(self.url), row.id or 0), "it is worked out when it is back")

    def test_it_is_begun_twice_and_then_said(self) -> None:
        row = take_in.from_file(self.db, self.file(), self.who)
        database.engine(self.url).dispose()
        for _ in range(2):
            self.dies(row.id or 0)
        self.assertFalse(figures.run(database.engine(self.url), row.id or 0))
        self.db.expire_all()
        found = self.db.get_one(Session, row.id)
        self.assertEqual((found.figures, found.begun), ("failed", 0))
        self.assertIn("ended twice", found.failure)
        self.assertEqual(figures.waiting(self.db, 10), [])
        figures.wait(self.db, found)
        self.assertTrue(figures.run(database.engine(self.url), row.id or 0), "asked for again, it is tried again")

    def test_stopping_on_purpose_counts_nothing(self) -> None:
        row = take_in.from_file(self.db, self.file(), self.who)
        self.db.connection().execute(text("update session set begun = 1"))
        self.db.commit()
        with mock.patch.object(figures, "under_way", {row.id}):
            figures.let_go(self.db)
        self.db.expire_all()
        self.assertEqual(self.db.get_one(Session, row.id).begun, 0)

    def file(self) -> bytes:
        from tests.support import recording_file

        return recording_file(1800)


class KillersOnTheWay(MeterTest):
    """A session that takes the process that reads it with it."""

    def on_the_way(self) -> int:
        name, recorder = self.record(900), self.seen()
        [found] = take_in.begin(self.db, [take_in.Wish(recorder.id or 0, name)], self.who, lambda _: None)
        return found

    def dies(self, session_id: int, where: str) -> None:
        database.engine(self.url).dispose()
        pid = os.fork()
        if not pid:
            with mock.patch.object(arrival.Arrival, where, lambda *_: os._exit(9)):
                take_in.read(database.engine(self.url), session_id)
            os._exit(0)
        self.assertEqual(os.waitstatus_to_exitcode(os.waitpid(pid, 0)[1]), 9)

    def test_it_is_read_twice_at_one_place_and_then_said(self) -> None:
        mine = self.on_the_way()
        self.dies(mine, "take")
        # That got nothing. The next reads it all before it ends, which is progress; two more end where nothing is left to read.
        for _ in range(3):
            self.dies(mine, "finish")
        self.assertFalse(take_in.read(database.engine(self.url), mine))
        self.db.expire_all()
        found = self.db.get_one(Session, mine)
        self.assertIn("ended twice", found.trouble)
        self.assertEqual((found.state, found.begun), ("arriving", 0))
        self.assertNotIn(mine, take_in.unfinished(self.db, stopped_too=False))
        self.assertTrue(take_in.read(database.engine(self.url), mine), "asked for again, it is tried again")
        self.db.expire_all()
        self.assertEqual(self.db.get_one(Session, mine).begun, 0)

    def test_a_database_that_goes_away_counts_nothing(self) -> None:
        mine = self.on_the_way()
        for _ in range(3):
            with (
                mock.patch.object(arrival.Arrival, "finish", side_effect=OperationalError("", {}, Exception())),
                self.assertRaises(OperationalError),
            ):
                take_in.read(database.engine(self.url), mine)
        self.assertTrue(take_in.read(database.engine(self.url), mine))


class Numbers(ReviewTest):
    def signed(self) -> Session:
        row = self.session(3600, self.person("Worker 99"))
        return conclusions.sign(self.db, row.id or 0, row.review_version, self.who)

    def test_a_report_that_fails_leaves_no_hole(self) -> None:
        row = self.signed()
        options = reports.Options(("figures",))
        first = reports.issue(self.db, row.id or 0, options, self.who).number
        with mock.patch.object(reports.pages, "pdf", side_effect=MemoryError), self.assertRaises(MemoryError):
            reports.issue(self.db, row.id or 0, options, self.who)
        self.db.rollback()
        second = reports.issue(self.db, row.id or 0, options, self.who).number
        self.assertEqual(int(second[-5:]), int(first[-5:]) + 1)
        self.assertEqual(len(self.db.exec(select(Report)).all()), 2)


class Doors(DatabaseTest):
    def test_one_account_that_is_held_keeps_nobody_else_out(self) -> None:
        accounts.create_account(self.db, "nurse", "Petra Lind", "long enough too")
        with Db(database.engine(self.url)) as holder, Db(database.engine(self.url)) as db:
            holder.connection().execute(text("select * from account where login = 'officer' for update"))
            began = time.monotonic()
            accounts.sign_in(db, "nurse", "long enough too")
            self.assertLess(time.monotonic() - began, 2.0)
            with self.assertRaises(ConflictError):
                accounts.sign_in(db, "officer", "long enough")
            self.assertLess(time.monotonic() - began, 6.0)


class Slow(MeterTest):
    def test_a_slow_link_has_its_place_among_the_slow_ones(self) -> None:
        jobs = Jobs(self.url)
        jobs.open()
        self.addCleanup(jobs.close)
        self.record(3600)
        row = self.seen()
        for rate, queue in ((None, TAKE_IN), (1_500.0, SLOW), (1e6, TAKE_IN)):
            self.db.connection().execute(text("delete from procrastinate_jobs"))
            recorder = self.db.get_one(Recorder, row.id)
            recorder.status = recorder.status | {"link": {"over": "radio", "bytes_per_s": rate}}
            self.db.add(recorder)
            self.db.commit()
            [name] = [s["id"] for s in recorder.inventory]
            take_in.begin(self.db, [take_in.Wish(recorder.id or 0, name)], self.who, jobs.start_take_in)
            found = self.db.connection().execute(text("select queue_name from procrastinate_jobs")).scalars().all()
            self.db.commit()
            self.assertEqual(found, [queue])


class Telling(MeterTest):
    def notes(self) -> int:
        told = []
        with mock.patch.object(recorders, "tell", lambda db, what, **about: told.append(what)):
            for _ in range(5):
                time.sleep(0.15)
                recorders.refresh(self.db, self.db.exec(select(Recorder)).one())
        return len(told)

    def test_the_same_again_tells_nobody_whatever_order_the_database_gives_back(self) -> None:
        self.record(3600)
        self.seen()
        self.assertEqual(self.notes(), 0)

    def test_what_creeps_tells_nobody_what_moves_does(self) -> None:
        self.meter.tell("set", battery=0.500, clock_error_s=61.0)
        row = self.seen()
        for step in range(1, 6):
            self.meter.tell("set", battery=0.500 - 0.002 * step, clock_error_s=61.0 + 0.2 * step)
            self.assertEqual(self.notes(), 0, step)
        self.meter.tell("set", battery=0.40)
        self.assertEqual(self.notes(), 1)
        self.meter.tell("set", clock_error_s=70.0)
        self.assertEqual(self.notes(), 1)
        self.db.refresh(row)
        self.assertAlmostEqual(row.clock_error_s or 0, 70.0, delta=0.5)
