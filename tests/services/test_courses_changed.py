"""Courses changed, their versions, sessions cut anew; a course learnt from a lap."""

from __future__ import annotations

import json
from dataclasses import replace

from kumpel.core.vehicle.drive import drive_of
from kumpel.formats import krec
from kumpel.services.ground import decisions, figures
from kumpel.services.ground.decisions import Wish
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.ground.recordings import recording_of
from kumpel.services.review import deciding
from kumpel.services.yard import course_register
from kumpel.standins.signals import SIGNALS
from kumpel.standins.vehicle_signal import course_of, practice_loop
from kumpel.store.tables import Session
from tests.services.test_yard_and_displays import circle, gpx
from tests.support import DatabaseTest


class Changed(DatabaseTest):
    def test_a_change_is_a_new_version_and_the_old_one_stays(self) -> None:
        ring = course_register.add(self.db, "Ring", gpx(circle()), self.who)
        first = course_register.detail(self.db, ring.id)
        self.assertEqual([line.name for line in first.lines], ["start", "S2", "S3"])
        made = course_register.change(self.db, ring.id, "Ring", [20.0, 300.0], 10.0, self.who)
        self.assertEqual([line.name for line in made.lines], ["start", "S2"])
        self.assertEqual([v.current for v in made.versions], [True, False])
        self.assertEqual(made.versions[0].by, "Runa Halvorsen")
        self.assertEqual(course_register.detail(self.db, ring.id).lines, first.lines)
        self.assertEqual([row.id for row in course_register.all_courses(self.db)], [made.id])
        with self.assertRaises(NotFoundError):  # somebody still looks at the old one
            course_register.change(self.db, ring.id, "Ring", [0.0, 300.0], 10.0, self.who)
        with self.assertRaisesRegex(InvalidError, "driving order.*Nothing was changed"):
            course_register.change(self.db, made.id, "Ring", [0.0, 300.0, 100.0], 10.0, self.who)
        course_register.add(self.db, "Other", gpx(circle(120)), self.who)
        with self.assertRaisesRegex(ConflictError, "already"):
            course_register.change(self.db, made.id, "Other", [20.0, 300.0], 10.0, self.who)
        self.assertEqual(len(course_register.all_courses(self.db)), 2)


class CutAnew(DatabaseTest):
    def times(self, row: Session) -> list[float]:
        review = decisions.review_of(decisions.of_session(self.db, row.id or 0))
        return [
            round(lap.time_s, 2) for lap in drive_of(recording_of(self.db, row), review).laps if lap.kind == "timed"
        ]

    def test_an_old_session_is_cut_by_the_lines_of_today_and_back_again(self) -> None:
        row = self.stored(krec.write_recording(SIGNALS["vehicle"](2).recording))
        before, sectors = self.times(row), len(self.laps(row)[0])
        loop = course_register.add(self.db, "", json.dumps(course_of(practice_loop())), self.who)
        detail = course_register.detail(self.db, loop.id)
        ends = [line.at_m for line in detail.lines]
        moved = course_register.change(
            self.db, loop.id, detail.name, [ends[0] + 60, *ends[1:], ends[-1] + 150], 15.0, self.who
        )
        row = deciding.decide(
            self.db, row.id or 0, row.review_version, [Wish("setting", "cut_by", value=moved.id)], who=self.who
        )
        after = self.times(row)
        self.assertNotEqual(before[:3], after[:3])
        self.assertEqual(len(self.laps(row)[0]), sectors + 1)
        # The whole is the same drive: a lap from another line takes about as long.
        self.assertAlmostEqual(sum(before) / len(before), sum(after) / len(after), delta=4.0)
        outcome = figures.outcome(self.db, row.id or 0)
        assert outcome is not None
        self.assertIn(round(outcome.both.reviewed.figure("best").value, 2), after)
        # As recorded it is cut as before; what was kept stays, whatever becomes of the register.
        self.assertIn(round(outcome.both.recorded.figure("best").value, 2), before)
        course_register.remove(self.db, moved.id)
        self.assertEqual(self.times(row), after)
        row = deciding.undo(self.db, row.id or 0, row.review_version)
        self.assertEqual(self.times(row), before)

    def laps(self, row: Session) -> list[tuple[float, ...]]:
        review = decisions.review_of(decisions.of_session(self.db, row.id or 0))
        return [lap.sectors_s for lap in drive_of(recording_of(self.db, row), review).laps if lap.kind == "timed"]

    def test_a_course_driven_elsewhere_is_refused_and_nothing_changes(self) -> None:
        row = self.stored(krec.write_recording(SIGNALS["vehicle"](2).recording))
        ring = course_register.add(self.db, "Ring", gpx(circle()), self.who)
        before = self.times(row)
        for value, why in (
            (ring.id, "was not driven on the course Ring"),
            (9999, "no such course"),
            ("{", "no course"),
            ("[]", "no course"),
            ("null", "no course"),
            ("5", "no course"),
            (-1, "no such course"),
        ):
            with self.subTest(why), self.assertRaisesRegex(InvalidError, why):
                deciding.decide(self.db, row.id or 0, row.review_version, [Wish("setting", "cut_by", value=value)])
        self.assertEqual(self.times(row), before)

    def test_a_course_is_learnt_from_a_lap(self) -> None:
        recording = SIGNALS["vehicle"](2).recording
        unknown = replace(recording, setup={})
        row = self.stored(krec.write_recording(unknown))
        learnt = course_register.learn(self.db, row.id or 0, 3, "Field track", self.who)
        self.assertAlmostEqual(learnt.length_m, 1200, delta=25)
        self.assertEqual((learnt.name, learnt.closed), ("Field track", True))
        row = deciding.decide(
            self.db, row.id or 0, row.review_version, [Wish("setting", "cut_by", value=learnt.id)], who=self.who
        )
        again = self.times(row)
        self.assertGreaterEqual(len(again), 10)
        for lap, why in ((99, "no such lap"), (0, "no such lap|not closed|too short")):
            with self.subTest(lap=lap), self.assertRaisesRegex(InvalidError, why):
                course_register.learn(self.db, row.id or 0, lap, "x", self.who)
