"""Figures, pages and files in child processes: one that dies or needs too much harms nobody else."""

from __future__ import annotations

import errno
import os
import signal
import threading
import time
from pathlib import Path
from typing import Any
from unittest import mock

from kumpel.formats import krec
from kumpel.services.ground import apart, figures, recordings
from kumpel.services.ground.apart import ChildEndedError, Children
from kumpel.services.ground.problems import NotFoundError, TooMuchError
from kumpel.services.report import exports, reports
from kumpel.services.report.reports import Options
from kumpel.services.take_in import take_in
from kumpel.services.work import children
from kumpel.services.work.children import PRELOADED, Reckoners
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Session
from tests.support import DatabaseTest


class WithChildren(DatabaseTest):
    def waiting(self, kind: str = "noise", session: str = "S-1") -> Session:
        row = take_in.from_file(self.db, krec.write_recording(SIGNALS[kind](3).recording, session), self.who)
        self.db.commit()
        self.assertEqual(row.figures, figures.WAITING)
        return row

    def children(self, **options: Any) -> Children:
        made = Children(PRELOADED, **options)
        self.addCleanup(made.end)
        return made

    def reckoners(self, children: Children) -> Reckoners:
        return Reckoners(self.url, children)

    def now(self, row: Session) -> Session:
        self.db.rollback()
        self.db.refresh(row)
        return row


class InChildren(WithChildren):
    def test_a_child_computes_what_this_process_would(self) -> None:
        children = self.children()
        for kind in ("noise", "blood_pressure", "vehicle"):
            row = self.waiting(kind, f"S-{kind}")
            with self.subTest(kind=kind):
                self.assertTrue(self.reckoners(children).figures_of(row.id or 0))
                there = figures.outcome(self.db, self.now(row).id or 0)
                assert there is not None
                figures.assess(self.db, row)
                here = figures.outcome(self.db, row.id or 0)
                assert here is not None
                self.assertEqual(here.reviewed_id, there.reviewed_id, "nothing has to be appended")
                self.db.rollback()
        self.assertEqual(len(children.pids()), 1)
        self.assertNotIn(os.getpid(), children.pids())

    def test_a_child_keeps_no_recording_that_it_has_read(self) -> None:
        """It will not be asked for the same again, and two of them would hold twice what a web process may."""
        row = self.waiting()
        self.assertTrue(children._figures(self.url, row.id or 0, False))
        self.assertEqual(self.now(row).figures, figures.ASSESSED)
        self.assertEqual(recordings._kept.size, 0)

    def test_one_that_is_killed_at_work_is_replaced_and_its_session_is_done(self) -> None:
        children = self.children()
        first = self.waiting(session="S-1")
        self.assertTrue(self.reckoners(children).figures_of(first.id or 0))
        [pid] = children.pids()
        os.kill(pid, signal.SIGSTOP)
        second, done = self.waiting(session="S-2"), list[bool]()
        asking = threading.Thread(target=lambda: done.append(self.reckoners(children).figures_of(second.id or 0)))
        asking.start()
        time.sleep(0.2)
        os.kill(pid, signal.SIGKILL)
        asking.join(60)
        self.assertEqual(done, [True])
        self.assertEqual(self.now(second).figures, figures.ASSESSED)
        self.assertNotIn(pid, children.pids())

    def test_one_that_needs_too_much_fails_in_words_and_the_next_is_computed(self) -> None:
        night = make_night(Night(3, 900.0, groups=usual_groups(3, 900.0, 10))).recording
        row = take_in.from_file(self.db, krec.write_recording(night, "S-1"), self.who)
        self.db.commit()
        self.assertFalse(self.reckoners(self.children(most_bytes=8 * 2**20)).figures_of(row.id or 0))
        self.assertEqual(self.now(row).figures, figures.FAILED)
        self.assertIn("the recording is safe", row.failure)
        self.assertTrue(self.reckoners(self.children()).figures_of(row.id or 0, again=True))
        self.assertEqual(self.now(row).figures, figures.ASSESSED)
        self.assertEqual(row.failure, "")

    def test_one_that_is_ended_on_purpose_is_not_begun_anew(self) -> None:
        children = self.children()
        first = self.waiting(session="S-1")
        self.assertTrue(self.reckoners(children).figures_of(first.id or 0))
        [pid] = children.pids()
        os.kill(pid, signal.SIGSTOP)
        second, done = self.waiting(session="S-2"), list[bool]()
        asking = threading.Thread(target=lambda: done.append(self.reckoners(children).figures_of(second.id or 0)))
        asking.start()
        time.sleep(0.2)
        children.end()
        asking.join(30)
        self.assertEqual((done, children.pids()), ([False], []))
        self.assertEqual((self.now(second).figures, second.begun), (figures.WAITING, 0))

    def test_one_that_ends_its_process_every_time_is_given_up(self) -> None:
        row, children = self.waiting(), self.children()
        with mock.patch.object(Children, "call", side_effect=ChildEndedError) as asked:
            self.assertFalse(self.reckoners(children).figures_of(row.id or 0))
        self.assertEqual(asked.call_count, figures.MOST_BEGUN)
        self.assertEqual(self.now(row).figures, figures.FAILED)
        self.assertIn("ended twice while its figures were computed", row.failure)


class Answers(WithChildren):
    """What somebody waits for: pages and files."""

    def apart(self, **options: Any) -> Children:
        children = self.children(**options)
        apart.use(children)
        self.addCleanup(apart.use, None)
        return children

    def test_pages_and_files_of_a_child_are_those_of_this_process(self) -> None:
        row = self.session(3600)
        options = Options(tuple(reports.choices("noise")[1]))
        here = reports.preview(self.db, row.id or 0, options)
        name, path = exports.write(self.db, row.id or 0, "csv")
        wanted = path.read_bytes()
        exports.remove(path)
        children = self.apart()
        self.assertEqual(reports.preview(self.db, row.id or 0, options), here)
        there, path = exports.write(self.db, row.id or 0, "csv")
        self.assertEqual((there, path.read_bytes()), (name, wanted))
        exports.remove(path)
        self.assertEqual(len(children.pids()), 1)

    def test_what_is_wrong_is_said_as_it_would_be_here(self) -> None:
        children = self.apart()
        with self.assertRaises(NotFoundError) as gone:
            reports.preview(self.db, 999, Options(()))
        self.assertEqual(gone.exception.detail, "This session is not on record.")
        with self.assertRaises(NotFoundError):
            exports.write(self.db, 999, "csv")
        self.assertEqual(len(children.pids()), 1, "one that only refused goes on")

    def test_too_much_is_said_and_leaves_nothing_behind_and_the_next_is_made(self) -> None:
        row = self.session(3600)
        self.apart(most_bytes=8 * 2**20)
        before = set(Path("/tmp").glob("kumpel-export-*"))
        with self.assertRaises(TooMuchError) as told:
            exports.write(self.db, row.id or 0, "xlsx")
        self.assertIn("The file could not be made", told.exception.detail)
        self.assertEqual(set(Path("/tmp").glob("kumpel-export-*")), before)
        self.apart()
        _, path = exports.write(self.db, row.id or 0, "xlsx")
        self.assertGreater(path.stat().st_size, 1000)
        exports.remove(path)

    def test_those_that_nobody_asks_any_more_end(self) -> None:
        children = self.apart(idle_s=0.4)
        with self.assertRaises(NotFoundError):
            reports.preview(self.db, 999, Options(()))
        [pid] = children.pids()
        limit = time.monotonic() + 20
        while children.pids() and time.monotonic() < limit:
            time.sleep(0.1)
        self.assertEqual(children.pids(), [])
        with self.assertRaises(NotFoundError):
            reports.preview(self.db, 999, Options(()))
        self.assertNotIn(pid, children.pids())

    def test_every_way_to_say_that_no_memory_is_left_ends_the_child(self) -> None:
        children = self.children()
        for number in range(4):
            with self.subTest(number), self.assertRaises(ChildEndedError):
                children.call(without_memory, number)
        self.assertEqual(children.pids(), [])

    def test_an_error_that_cannot_be_sent_comes_in_its_words(self) -> None:
        with self.assertRaisesRegex(RuntimeError, "Unsendable: 2 of 3"):
            self.children().call(unsendable)


class Unsendable(Exception):
    """Its words are not what it is made of."""

    def __init__(self, one: int, other: int) -> None:
        super().__init__(f"{one} of {other}")


def unsendable() -> None:
    raise Unsendable(2, 3)


def without_memory(number: int) -> None:
    """What was seen to be raised under the cap: by Python, the system, the loader, and as the cause of something else."""
    if number == 3:
        raise ValueError("no file was made") from MemoryError()
    raise (
        MemoryError(),
        OSError(errno.ENOMEM, "Cannot allocate memory"),
        ImportError("lib.so: failed to map segment from shared object"),
    )[number]
