"""A person over the years: lanes, limits as they were in force, what was changed, and what follows when sessions do."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any
from unittest.mock import patch

from sqlmodel import select

from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import decisions, limits, people
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.services.register import sessions
from kumpel.services.report import conclusions
from kumpel.services.review import deciding, interventions
from kumpel.services.review.deciding import Wish
from kumpel.services.review.years import Lane, Years, years_of
from kumpel.standins import gas_signal
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import FigureValue, Person, Session
from tests.support import DatabaseTest

FIRST = datetime(2026, 1, 5, 7, 0, tzinfo=UTC)
WEEK = timedelta(days=7)


class OverYears(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        limits.put_shipped(self.db)
        self.ida = self.person("Ida Brandvik")

    def shifts(self, count: int, person: Person | None = None, first: datetime = FIRST, **wish: Any) -> list[Session]:
        found = []
        for week in range(count):
            start = (first + week * WEEK).timestamp()
            found.append(self.session(22_000, person or self.ida, seed=week + 1, start=start, **wish))
        return found

    def years(self, **wanted: str) -> Years:
        self.db.expire_all()
        return years_of(self.db, self.ida.id or 0, wanted)

    def lane(self, **wanted: str) -> Lane:
        [lane] = self.years(**wanted).lanes
        return lane

    def test_each_session_is_a_mark_with_its_figure_and_another_figure_is_a_choice_away(self) -> None:
        rows = self.shifts(3)
        lane = self.lane()
        self.assertEqual([mark.session_id for mark in lane.marks], [row.id for row in rows])
        asked = select(FigureValue.value).where(FigureValue.key == "lex8h").order_by(FigureValue.session_id)
        self.assertEqual([mark.value for mark in lane.marks], self.db.exec(asked).all())
        self.assertEqual((lane.figure, lane.unit), ("lex8h", "dB(A)"))
        self.assertEqual(self.lane(noise="lcpeak").figure, "lcpeak")
        self.assertEqual(self.lane(noise="nothing of the kind").figure, "lex8h")
        self.assertIn("too few to say", lane.trend.words)

    def test_a_figure_that_stands_for_more_than_was_measured_says_so(self) -> None:
        """Half an hour of a shift of eight: the mean for the shift is projected, the lowest oxygen is not."""
        made = gas_signal.make(gas_signal.Shift(length_s=1800.0)).recording
        made = replace(made, start=FIRST.timestamp(), setup=dict(made.setup) | {"run_length_min": 480})
        self.stored(krec.write_recording(made, "G-1"), self.ida)
        marks = {key: self.lane(gas=key).marks[0] for key in ("co.twa_shift", "o2.lowest")}
        self.assertEqual(
            {key: mark.projected for key, mark in marks.items()}, {"co.twa_shift": True, "o2.lowest": False}
        )

    def test_a_trend_has_its_interval_and_what_was_changed_is_told_from_it(self) -> None:
        self.shifts(7, base_db=84.0)
        self.shifts(7, first=FIRST + 8 * WEEK, base_db=74.0, loud_db=82.0)
        day = (FIRST + 7.5 * WEEK).date()
        row = interventions.note(self.db, interventions.Wish(day, "new liner", person_id=self.ida.id), self.who)
        years = self.years()
        [lane] = years.lanes
        self.assertTrue(lane.trend.shows)
        self.assertRegex(lane.trend.words, r"^falls by [\d.]+ dB\(A\) in 98 days \([\d.]+ to [\d.]+; 14 sessions\)$")
        [since] = lane.since
        self.assertEqual(since.intervention_id, row.id)
        self.assertRegex(since.told.words, r"^lower by [\d.]+ dB\(A\) after it \(.*; 7 before, 7 after\)$")
        self.assertEqual([(each.words, each.of) for each in years.changed], [("new liner", "person")])

    def test_each_change_is_held_against_the_sessions_as_far_as_the_next_one(self) -> None:
        self.shifts(9)
        for weeks, words in ((2.5, "first"), (5.5, "second")):
            day = (FIRST + weeks * WEEK).date()
            interventions.note(self.db, interventions.Wish(day, words, person_id=self.ida.id), self.who)
        first, second = self.lane().since
        self.assertIn("(3 before, 3 after)", first.told.words)
        self.assertIn("(3 before, 3 after)", second.told.words)

    def test_a_week_has_a_figure_only_when_every_day_of_it_was_measured(self) -> None:
        monday = datetime(2026, 11, 9, 6, tzinfo=UTC)
        for day in range(5):
            self.session(22_000, self.ida, seed=day + 1, start=(monday + timedelta(days=day)).timestamp())
        self.session(22_000, self.ida, seed=9, start=(monday + timedelta(days=8)).timestamp())
        lane = self.lane()
        levels = [mark.value or 0.0 for mark in lane.marks[:5]]
        wanted = 10 * math.log10(sum(10 ** (level / 10) for level in levels) / 5)
        self.assertEqual(
            [(w.monday, w.measured, w.of) for w in lane.weeks], [(date(2026, 11, 9), 5, 5), (date(2026, 11, 16), 1, 5)]
        )
        self.assertAlmostEqual(lane.weeks[0].value or 0.0, wanted, delta=0.051)
        self.assertIsNone(lane.weeks[1].value)
        self.assertEqual((lane.weekly, self.lane(noise="lcpeak").weeks), ("LEX,40h", ()))

    def test_a_kind_that_follows_nothing_has_no_lane_and_takes_nothing_away(self) -> None:
        self.shifts(1)
        self.stored(krec.write_recording(SIGNALS["training"](2).recording), self.ida)
        bare = replace(KINDS["training"], trends=(), load="")
        with patch.dict(KINDS, {"training": bare}):
            self.assertEqual([lane.kind for lane in self.years().lanes], ["noise"])

    def test_a_change_counts_from_the_day_on_the_wall(self) -> None:
        """00:30 at home is still yesterday in UTC: the shift belongs after what was changed that day."""
        at = datetime(2026, 3, 9, 23, 30, tzinfo=UTC)
        for week in range(2):
            self.session(22_000, self.ida, seed=week + 1, start=(at + (week - 1) * WEEK).timestamp(), utc_offset_min=60)
        interventions.note(self.db, interventions.Wish(date(2026, 3, 10), "liner", person_id=self.ida.id), self.who)
        [since] = self.lane().since
        self.assertIn("(1 before, 1 after)", since.told.words)

    def test_a_pressure_has_two_ends_and_the_limits_of_both(self) -> None:
        row = self.stored(krec.write_recording(SIGNALS["blood_pressure"](2).recording), self.ida)
        lane = self.lane()
        asked = select(FigureValue.key, FigureValue.value).where(FigureValue.session_id == row.id)
        values = dict(self.db.exec(asked).all())
        [mark] = lane.marks
        self.assertEqual((mark.value, mark.low), (values["all.systolic.mean"], values["all.diastolic.mean"]))
        self.assertEqual([step.value for step in lane.in_force[0].steps], [130, 80])
        self.assertIsNone(self.lane(blood_pressure="dip.systolic").marks[0].low)

    def test_the_load_of_who_trains_is_said_and_of_nobody_else(self) -> None:
        self.shifts(1)
        run = self.stored(krec.write_recording(SIGNALS["training"](2).recording), self.ida)
        self.db.expire_all()
        loads = {lane.kind: lane.load for lane in self.years().lanes}
        self.assertEqual(loads["noise"], "")
        self.assertIn("not known yet", loads["training"])
        value = self.db.exec(
            select(FigureValue.value).where(FigureValue.session_id == run.id, FigureValue.key == "load")
        ).one()
        assert value is not None, "an empty load would prove nothing"
        # One session: nothing before it has weight, so its own mean begins with it and falls by days of rest, where it is known.
        training = next(lane for lane in self.years().lanes if lane.kind == "training")
        self.assertEqual([curve.name for curve in training.curves], ["7 days", "42 days"])
        for curve in training.curves:
            self.assertTrue(all(each is None or 0 <= each <= value for each in curve.values))
            self.assertEqual(curve.first, (run.started_at + timedelta(minutes=run.utc_offset_min)).date())

    def test_what_was_changed_stands_with_everybody_it_touches_and_with_nobody_else(self) -> None:
        ruth = self.person("Ruth Amsel")
        people.change_person(self.db, self.ida.id or 0, {"team": "Crusher"})
        row = self.session(3600, ruth, seed=4, start=FIRST.timestamp())
        sessions.change(self.db, row.id or 0, {"tags": {"place": "crusher hall"}})
        day = date(2026, 2, 1)
        interventions.note(self.db, interventions.Wish(day, "other shifts", team="Crusher"), self.who)
        hood = interventions.note(self.db, interventions.Wish(day, "hood", place="Crusher Hall"), self.who)
        self.assertEqual([each.words for each in self.years().changed], ["other shifts"])
        self.assertEqual([each.words for each in years_of(self.db, ruth.id or 0).changed], ["hood"])
        interventions.remove(self.db, hood.id or 0)
        self.assertEqual(years_of(self.db, ruth.id or 0).changed, ())
        interventions.bring_back(self.db, hood.id or 0)
        self.assertEqual(len(years_of(self.db, ruth.id or 0).changed), 1)

    def test_what_is_wrong_with_a_change_is_said_and_nothing_kept(self) -> None:
        day = date(2026, 2, 1)
        for wish, error in (
            (interventions.Wish(day, "  ", place="x"), InvalidError),
            (interventions.Wish(day, "for nobody"), InvalidError),
            (interventions.Wish(day, "where nobody was", place="crusher hal"), InvalidError),
            (interventions.Wish(day, "for two", person_id=self.ida.id, place="x"), InvalidError),
            (interventions.Wish(day, "no such team", team="Nobodies"), NotFoundError),
            (interventions.Wish(day, "no such person", person_id=9999), NotFoundError),
        ):
            with self.assertRaises(error):
                interventions.note(self.db, wish, self.who)
            self.db.rollback()
        self.assertEqual(self.years().changed, ())

    def test_limits_stand_as_they_were_in_force(self) -> None:
        first, second = self.shifts(2)
        sets = limits.all_limit_sets(self.db, "noise")
        other = next(each for each in sets if each.id != self.years().lanes[0].marks[0].limit_set_id)
        wish = Wish("setting", decisions.LIMIT_SET, value=float(other.id or 0))
        deciding.decide(self.db, second.id or 0, second.review_version, [wish], who=self.who)
        lane = self.lane()
        self.assertEqual([each.since for each in lane.in_force], [first.started_at, second.started_at])
        self.assertEqual(lane.in_force[1].name, other.name)
        self.assertEqual([step.value for step in lane.in_force[0].steps], [80.0, 85.0])

    def test_deleted_given_away_and_signed_sessions_are_followed(self) -> None:
        rows = self.shifts(3)
        conclusions.sign(self.db, rows[0].id or 0, rows[0].review_version, self.who or 0)
        sessions.delete_session(self.db, rows[1].id or 0)
        sessions.change(self.db, rows[2].id or 0, {"person_id": self.person("Ruth Amsel").id})
        marks = self.lane().marks
        self.assertEqual([(mark.session_id, mark.signed) for mark in marks], [(rows[0].id, True)])
        sessions.restore_session(self.db, rows[1].id or 0)
        self.assertEqual(len(self.lane().marks), 2)

    def test_what_cannot_be_assessed_is_there_and_tells_nothing(self) -> None:
        self.shifts(5)
        row = self.session(7200, self.ida, seed=9, start=(FIRST + 6 * WEEK).timestamp())
        self.db.refresh(row)
        row.verdict = "not assessable"
        self.db.add(row)
        self.db.commit()
        lane = self.lane()
        self.assertEqual(lane.marks[-1].verdict, "not assessable")
        self.assertIn("5", lane.trend.words)
        self.assertNotIn("6 sessions", lane.trend.words)


if __name__ == "__main__":
    import unittest

    unittest.main()
