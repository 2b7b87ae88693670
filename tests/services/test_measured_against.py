"""What a number of a limit set does to the sessions on record; versions that hold from their day on."""

import unittest
from collections import Counter
from datetime import date, timedelta
from typing import Any

from sqlmodel import select

from kumpel.core.assessment import Step, Verdict
from kumpel.services.ground import figures, limits, settings
from kumpel.services.ground.problems import InvalidError
from kumpel.services.ground.wall import wall_day
from kumpel.services.report import conclusions
from kumpel.services.review import measured_against, own_limits
from kumpel.services.review.own_limits import Wish
from kumpel.store.tables import FigureValue, LimitSetRow, Session
from tests.support import DatabaseTest

LONG_AGO = date(2000, 1, 1)


class MeasuredAgainst(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.eu = limits.all_limit_sets(self.db, "noise")[0]
        self.people = [self.person("Ida Brandvik"), self.person("Tomas Ek")]
        self.rows = [
            self.session(length, person)
            for length, person in ((27_660, self.people[0]), (20_000, self.people[0]), (25_000, self.people[1]))
        ]
        for row, value in zip(self.rows, (84.2, 86.0, 85.0), strict=True):
            found = self.db.get_one(FigureValue, (row.id, "lex8h"))
            found.value, found.verdict = value, "within"
            self.db.add(found)
        self.db.commit()

    def scale(self, key: str = "lex8h") -> measured_against.Scale:
        found = measured_against.measured(self.db, self.eu.id or 0, LONG_AGO)
        return next(each for each in found.scales if each.key == key)

    def step(self, value: float, *, beyond: bool = False) -> Step:
        return Step(value, Verdict.ACTION, "", beyond)

    def hit(self, before: Step, after: Step) -> dict[str, tuple[int, bool]]:
        found = measured_against.hit(self.db, self.eu.id or 0, "lex8h", before, after, LONG_AGO)
        return {each.name: (each.more, each.others) for each in found}

    def test_sessions_by_value_and_people_by_their_highest(self) -> None:
        found = measured_against.measured(self.db, self.eu.id or 0, LONG_AGO)
        self.assertEqual((found.sessions, found.people, found.signed), (3, 2, 0))
        self.assertEqual([each.figure for each in found.scales], [rule["figure"] for rule in self.eu.data["rules"]])
        self.assertEqual(self.scale().values, [(84.2, 1), (85.0, 1), (86.0, 1)])
        self.assertEqual(self.scale().extremes, [(85.0, 1), (86.0, 1)])

    def test_what_could_not_be_judged_and_what_no_longer_counts_are_not_among_the_values(self) -> None:
        unsure = self.db.get_one(FigureValue, (self.rows[0].id, "lex8h"))
        unsure.verdict = "not assessable"
        self.rows[1].aside = "training"
        self.db.add_all([unsure, self.rows[1]])
        self.db.commit()
        self.assertEqual((self.scale().values, self.scale().unknown), ([(85.0, 1)], 1))
        later = measured_against.measured(self.db, self.eu.id or 0, date.today() + timedelta(days=9))
        self.assertEqual((later.sessions, later.scales[0].values), (0, []))

    def test_a_moved_step_hits_those_between_by_name(self) -> None:
        self.assertEqual(self.hit(self.step(87), self.step(85)), {"Ida Brandvik": (1, False), "Tomas Ek": (1, False)})
        self.assertEqual(self.hit(self.step(87), self.step(85, beyond=True)), {"Ida Brandvik": (1, False)})
        self.assertEqual(self.hit(self.step(85), self.step(84)), {"Ida Brandvik": (1, True)})
        self.assertEqual(self.hit(self.step(84), self.step(85)), {"Ida Brandvik": (-1, True)})
        self.assertEqual(self.hit(self.step(84), self.step(86)), {"Ida Brandvik": (-1, True), "Tomas Ek": (-1, False)})
        self.assertEqual(self.hit(self.step(84.5), self.step(84.6)), {})

    def test_the_share_measured_is_a_scale(self) -> None:
        found = measured_against.measured(self.db, self.eu.id or 0, LONG_AGO)
        told = Counter(
            int(each.coverage * 100 + 1e-7)
            for each in self.db.exec(select(FigureValue).where(FigureValue.key == "lex8h")).all()
        )
        self.assertEqual(dict(found.shares), {float(k): n for k, n in told.items()})

    def test_figures_that_are_counted_in_a_way_of_their_own_are_found_by_the_result_that_has_them(self) -> None:
        us = next(each for each in limits.all_limit_sets(self.db, "noise") if each.key == "us-1910-95")
        plain = measured_against.measured(self.db, us.id or 0, LONG_AGO)
        self.assertEqual([len(each.values) for each in plain.scales], [0, 0], "nothing was held against it yet")
        settings.keep(self.db, settings.USUAL_LIMITS, "kind", "noise", us.key, 0, self.who)
        for row in self.rows:
            self.db.refresh(row)
            both = figures.assess(self.db, row)
        self.db.commit()
        found = measured_against.measured(self.db, us.id or 0, LONG_AGO)
        self.assertEqual([each.key for each in found.scales], [j.figure for j in both.reviewed.judgements])
        self.assertEqual([sum(n for _, n in each.values) + each.unknown for each in found.scales], [3, 3])

    def test_which_sets_are_in_use(self) -> None:
        self.assertEqual(measured_against.in_use(self.db).usual["noise"], self.eu.key)


class Versions(DatabaseTest):
    """A version holds for what starts on its day or later."""

    def setUp(self) -> None:
        super().setUp()
        self.row = self.session()
        self.day = wall_day(self.row)
        eu = limits.all_limit_sets(self.db, "noise")[0]
        self.own = own_limits.copied(self.db, self.wish(eu, LONG_AGO), self.who)
        settings.keep(self.db, settings.USUAL_LIMITS, "kind", "noise", self.own.key, 0, self.who)
        self.assess(self.row)

    def wish(self, base: LimitSetRow, day: date, by: float = 0.0, **more: Any) -> Wish:
        rules = [
            {k: r[k] for k in ("figure", "name", "parameters")}
            | {"steps": [s | {"value": s["value"] + by} for s in r["steps"]]}
            for r in base.data["rules"]
        ]
        return Wish(base.id or 0, "Our levels", "", day, 0.75, rules, **more)

    def assess(self, row: Session) -> int:
        self.db.refresh(row)
        figures.assess(self.db, row)
        self.db.commit()
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        return found.limit_set_id

    def test_a_session_is_held_against_the_version_of_its_day(self) -> None:
        first = self.own
        second = own_limits.changed(
            self.db, first.id or 0, self.wish(first, self.day + timedelta(days=1), -5), self.who
        )
        self.assertEqual(self.assess(self.row), first.id, "it began the day before")
        self.assertEqual(limits.limits_of(self.db, "noise", None, self.day + timedelta(days=1))[0].id, second.id)
        third = own_limits.changed(
            self.db, second.id or 0, self.wish(second, self.day + timedelta(days=1), 1), self.who
        )
        self.assertEqual(limits.limits_of(self.db, "noise", None, self.day + timedelta(days=2))[0].id, third.id)

    def test_what_began_on_its_day_waits_for_new_figures_unless_it_is_signed(self) -> None:
        signed = self.session(20_000)
        self.assess(signed)
        conclusions.sign(self.db, signed.id or 0, signed.review_version, self.who)
        second = own_limits.changed(self.db, self.own.id or 0, self.wish(self.own, self.day, -5), self.who)
        self.db.refresh(self.row)
        self.db.refresh(signed)
        self.assertEqual((self.row.figures, signed.figures), ("waiting", "assessed"))
        self.assertEqual(self.assess(self.row), second.id)

    def test_what_began_long_before_does_not_wait(self) -> None:
        own_limits.changed(self.db, self.own.id or 0, self.wish(self.own, self.day + timedelta(days=3), -5), self.who)
        self.db.refresh(self.row)
        self.assertEqual(self.row.figures, "assessed")

    def test_it_says_why_and_does_not_begin_before_the_one_before_it(self) -> None:
        why = "Works council:  headroom of 2 dB"
        second = own_limits.changed(self.db, self.own.id or 0, self.wish(self.own, self.day, why=why), self.who)
        self.assertEqual(second.why, "Works council: headroom of 2 dB")
        earlier = self.wish(second, self.day - timedelta(days=1))
        with self.assertRaisesRegex(InvalidError, "cannot hold earlier"):
            own_limits.changed(self.db, second.id or 0, earlier, self.who)
        with self.assertRaisesRegex(InvalidError, "200 characters"):
            own_limits.changed(self.db, second.id or 0, self.wish(second, self.day, why="x" * 201), self.who)
        self.assertEqual(len(self.db.exec(select(LimitSetRow).where(LimitSetRow.key == self.own.key)).all()), 2)


if __name__ == "__main__":
    unittest.main()
