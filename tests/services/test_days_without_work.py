"""Days without work and days away: nothing is planned for them, a week is whole without them; and what is planned for today handed out in one go."""

from __future__ import annotations

import math
import unittest
from datetime import UTC, date, datetime, timedelta
from typing import Any
from unittest.mock import patch

from kumpel.core.noise.exposure import weekly_exposure_level
from kumpel.core.weeks import weeks
from kumpel.services.ground import closed, settings
from kumpel.services.ground.days import days_words
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.services.hand_out import hand_out
from kumpel.services.plan import giving, rules
from kumpel.services.plan.due import Due, Wanted, moves, proposed_day
from kumpel.services.review.years import years_of
from tests.services.test_plan import TODAY, PlanTest
from tests.support import MeterTest

YEAR = 365


class Lines(unittest.TestCase):
    def test_a_day_or_a_span_with_a_word_to_it(self) -> None:
        for typed, kept in (
            ("2026-12-24", "2026-12-24"),
            (" 2026-12-24 to 2027-01-01 ", "2026-12-24 to 2027-01-01"),
            ("2026-12-24 – 2027-01-01: between the years", "2026-12-24 to 2027-01-01, between the years"),
        ):
            self.assertEqual(days_words(typed), kept)
            self.assertEqual(days_words(kept), kept, "what is kept is understood again")
        for wrong in ("24.12.2026", "2026-13-01", "2026-12-24 to 2026-12-01", "2026-01-01 to 2099-01-01", ""):
            with self.subTest(wrong), self.assertRaises(ValueError):
                days_words(wrong)


class Reckoned(unittest.TestCase):
    def due(self, first: date, deadline: date) -> Due:
        return Due("due", deadline, 1, 0, first, deadline)

    def test_nothing_is_proposed_for_a_day_without_work(self) -> None:
        # A week before Tuesday 15 December is Tuesday the 8th; it is closed, and so is the Monday: the Friday before.
        shut = frozenset({date(2026, 12, 8), date(2026, 12, 7)})
        due = self.due(TODAY, date(2026, 12, 15))
        self.assertEqual(proposed_day(due, TODAY), date(2026, 12, 8))
        self.assertEqual(proposed_day(due, TODAY, shut), date(2026, 12, 4))
        # Where everything before is closed it is the first day after.
        week = frozenset(TODAY + timedelta(days=n) for n in range(9))
        self.assertEqual(proposed_day(due, TODAY, week), date(2026, 12, 10))

    def test_nobody_moves_to_a_day_on_which_they_are_away(self) -> None:
        day = date(2026, 12, 7)
        there = {"noise": {day + timedelta(days=n): 1 for n in range(5)}}
        both = [Wanted((1, n), "noise", day, day, day + timedelta(days=4)) for n in (1, 2)]
        [move] = moves(both, there, TODAY)
        self.assertEqual(move.day, date(2026, 12, 8))
        away = frozenset({date(2026, 12, 8), date(2026, 12, 9)})
        shut = [Wanted(w.key, w.kind, w.day, w.first, w.last, away) for w in both]
        [move] = moves(shut, there, TODAY)
        self.assertEqual(move.day, date(2026, 12, 10))

    def test_a_week_with_a_holiday_is_whole_without_it(self) -> None:
        monday = date(2026, 11, 9).toordinal()
        days, levels = [monday, monday + 1, monday + 2, monday + 4], [85.0] * 4
        [without] = weeks(days, levels, weekly_exposure_level)
        self.assertTrue(math.isnan(without.value))
        [week] = weeks(days, levels, weekly_exposure_level, {monday + 3})
        # 10 log10(4 x 10^8.5 / 5) = 84.03: a fifth of the week without exposure.
        self.assertAlmostEqual(week.value, 10 * math.log10(4 * 10**8.5 / 5))
        self.assertEqual((week.measured, week.working), (4, 4))
        [short] = weeks(days[:3], levels[:3], weekly_exposure_level, {monday + 3})
        self.assertTrue(math.isnan(short.value))


class Planned(PlanTest):
    def days(self, **wish: Any) -> dict[str, date]:
        return {item.name: item.day for item in self.plan().items}

    def test_the_house_is_closed_and_somebody_is_away(self) -> None:
        self.rule(every_days=YEAR)
        before = self.days()
        [day] = set(before.values())
        settings.keep(self.db, "plan.closed", "site", "", [f"{day.isoformat()}, stocktaking"], 0, self.who)
        after = self.days()
        self.assertNotIn(day, after.values())
        [closed_for_all] = set(after.values())
        ida = self.hall[0]
        row = closed.note(self.db, ida.id or 0, closed_for_all - timedelta(days=3), closed_for_all, "leave", self.who)
        self.assertNotEqual(self.days()[ida.name], closed_for_all)
        self.assertEqual({d for n, d in self.days().items() if n != ida.name}, {closed_for_all})
        closed.remove(self.db, row.id or 0, self.who)
        self.assertEqual(self.days()[ida.name], closed_for_all)
        with self.assertRaises(NotFoundError):
            closed.remove(self.db, row.id or 0, self.who)

    def test_what_is_no_day_is_refused_and_nothing_is_kept(self) -> None:
        with self.assertRaisesRegex(InvalidError, "is no day"):
            settings.keep(self.db, "plan.closed", "site", "", ["Christmas"], 0, self.who)
        with self.assertRaises(InvalidError):
            closed.note(self.db, self.mill.id or 0, TODAY, TODAY - timedelta(days=1), "", self.who)
        self.assertEqual(
            (
                closed.closed_days(self.db, TODAY, TODAY + timedelta(days=400)),
                closed.of_person(self.db, self.mill.id or 0),
            ),
            (frozenset(), []),
        )

    def test_a_week_of_leave_and_four_shifts_is_a_week_of_four(self) -> None:
        # Monday 7 to Thursday 10 September, Friday off.
        for number in range(4):
            self.shift(self.hall[0], 85.0, day=number)
        ida = self.hall[0].id or 0
        self.assertIsNone(years_of(self.db, ida).lanes[0].weeks[0].value)
        closed.note(self.db, ida, date(2026, 9, 11), date(2026, 9, 11), "", self.who)
        [week] = years_of(self.db, ida).lanes[0].weeks
        self.assertEqual((week.value, week.measured, week.of), (84.0, 4, 4))


class InOneGo(MeterTest):
    def test_who_is_ready_gets_one_and_who_is_not_is_named(self) -> None:
        people = [self.person(name, team="Crusher hall") for name in ("Ida Brandvik", "Leila Haddad")]
        self.seen()
        starts = datetime.now(UTC).date() - timedelta(days=400)
        wish = rules.Wish("noise", 365, team="Crusher hall", starts=starts)
        rule = rules.make(self.db, wish, TODAY, self.who).id or 0
        today = giving.ahead.here_today()
        keys = [(rule, person.id or 0) for person in people]
        if today.weekday() >= 5:  # nothing is planned for a weekend
            rules.choose_days(self.db, [rules.Chosen(*key, today) for key in keys], self.who)
        found = {each.name: each for each in giving.give(self.db, [*keys, (rule, 9999)], today, self.who)}
        self.assertEqual([(each.name, each.token) for each in found.values() if each.done], [("Ida Brandvik", "N-07")])
        self.assertIn("no recorder of this kind is free", found["Leila Haddad"].why)
        self.assertIn("due any more", found[""].why)
        [(slip, _, person)] = hand_out.out_now(self.db)
        self.assertEqual(person.name, "Ida Brandvik")
        self.assertIsNotNone(slip.setup_id)
        # Asked for once more she has it already, and nothing is written.
        [again] = giving.give(self.db, keys[:1], today, self.who)
        self.assertEqual((again.done, again.why), (False, "has N-07 already"))

    def test_one_that_refuses_stops_none_of_the_others(self) -> None:
        person = self.person("Ida Brandvik")
        self.seen()
        wish = rules.Wish("noise", 365, person_id=person.id, starts=datetime.now(UTC).date() - timedelta(days=400))
        rule = rules.make(self.db, wish, TODAY, self.who).id or 0
        today = giving.ahead.here_today()
        rules.choose_days(self.db, [rules.Chosen(rule, person.id or 0, today)], self.who)
        with patch("kumpel.services.plan.giving.hand_out.hand_out", side_effect=InvalidError("its cuff is missing")):
            [found] = giving.give(self.db, [(rule, person.id or 0)], today, self.who)
        self.assertEqual((found.done, found.why, found.token), (False, "its cuff is missing", "N-07"))
        self.assertEqual(hand_out.out_now(self.db), [])


if __name__ == "__main__":
    unittest.main()
