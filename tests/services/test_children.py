"""Figures in child processes: one that dies or needs too much harms nobody else."""

from __future__ import annotations

import os
import signal
import threading
import time
from unittest import mock

from kumpel.formats import krec
from kumpel.services.ground import figures
from kumpel.services.take_in import take_in
from kumpel.services.work.children import ChildEndedError, Children
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Session
from tests.support import DatabaseTest


class InChildren(DatabaseTest):
    def waiting(self, kind: str = "noise", session: str = "S-1") -> Session:
        row = take_in.from_file(self.db, krec.write_recording(SIGNALS[kind](3).recording, session), self.who)
        self.db.commit()
        self.assertEqual(row.figures, figures.WAITING)
        return row

    def children(self, **options: int) -> Children:
        made = Children(self.url, **options)
        self.addCleanup(made.end)
        return made

    def now(self, row: Session) -> Session:
        self.db.rollback()
        self.db.refresh(row)
        return row

    def test_a_child_computes_what_this_process_would(self) -> None:
        children = self.children()
        for kind in ("noise", "blood_pressure", "vehicle"):
            row = self.waiting(kind, f"S-{kind}")
            with self.subTest(kind=kind):
                self.assertTrue(children.figures_of(row.id or 0))
                there = figures.outcome(self.db, self.now(row).id or 0)
                assert there is not None
                figures.assess(self.db, row)
                here = figures.outcome(self.db, row.id or 0)
                assert here is not None
                self.assertEqual(here.reviewed_id, there.reviewed_id, "nothing has to be appended")
                self.db.rollback()
        self.assertEqual(len(children.pids()), 1)
        self.assertNotIn(os.getpid(), children.pids())

    def test_one_that_is_killed_at_work_is_replaced_and_its_session_is_done(self) -> None:
        children = self.children()
        first = self.waiting(session="S-1")
        self.assertTrue(children.figures_of(first.id or 0))
        [pid] = children.pids()
        os.kill(pid, signal.SIGSTOP)
        second, done = self.waiting(session="S-2"), list[bool]()
        asking = threading.Thread(target=lambda: done.append(children.figures_of(second.id or 0)))
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
        self.assertFalse(self.children(most_bytes=8 * 2**20).figures_of(row.id or 0))
        self.assertEqual(self.now(row).figures, figures.FAILED)
        self.assertIn("the recording is safe", row.failure)
        self.assertTrue(self.children().figures_of(row.id or 0, again=True))
        self.assertEqual(self.now(row).figures, figures.ASSESSED)
        self.assertEqual(row.failure, "")

    def test_one_that_is_ended_on_purpose_is_not_begun_anew(self) -> None:
        children = self.children()
        first = self.waiting(session="S-1")
        self.assertTrue(children.figures_of(first.id or 0))
        [pid] = children.pids()
        os.kill(pid, signal.SIGSTOP)
        second, done = self.waiting(session="S-2"), list[bool]()
        asking = threading.Thread(target=lambda: done.append(children.figures_of(second.id or 0)))
        asking.start()
        time.sleep(0.2)
        children.end()
        asking.join(30)
        self.assertEqual((done, children.pids()), ([False], []))
        self.assertEqual((self.now(second).figures, second.begun), (figures.WAITING, 0))

    def test_one_that_ends_its_process_every_time_is_given_up(self) -> None:
        row, children = self.waiting(), self.children()
        with mock.patch.object(Children, "_in_one", side_effect=ChildEndedError) as asked:
            self.assertFalse(children.figures_of(row.id or 0))
        self.assertEqual(asked.call_count, figures.MOST_BEGUN)
        self.assertEqual(self.now(row).figures, figures.FAILED)
        self.assertIn("ended twice while its figures were computed", row.failure)
