"""When somebody is due again, and which days are proposed: counted by hand."""

import unittest
from datetime import date, timedelta

from kumpel.services.plan.due import Due, Move, Wanted, after, every, moves, proposed_day, working_day

TODAY = date(2026, 12, 1)  # a Tuesday
START = date(2026, 1, 1)


class Every(unittest.TestCase):
    def test_three_shifts_in_twelve_months(self) -> None:
        for days, state, deadline, missing, done in (
            # None, and one: by the end of the first span.
            ([], "due", date(2027, 1, 1), 3, 0),
            ([date(2026, 5, 4)], "due", date(2027, 1, 1), 2, 1),
            # Three: until the oldest of the three is a year old.
            ([date(2026, 2, 2), date(2026, 5, 4), date(2026, 8, 3)], "done", date(2027, 2, 2), 0, 3),
            ([date(2025, 12, 20), date(2026, 5, 4), date(2026, 8, 3)], "due", date(2026, 12, 20), 1, 2),
            # The third is too old: overdue since it grew so.
            ([date(2025, 11, 1), date(2026, 5, 4), date(2026, 8, 3)], "overdue", date(2026, 11, 1), 1, 2),
            # All are.
            ([date(2025, 1, 7), date(2025, 2, 4), date(2025, 3, 3)], "overdue", date(2026, 1, 7), 3, 0),
        ):
            with self.subTest(days=days):
                found = every(days, 3, 365, START, TODAY, 42)
                self.assertEqual(
                    (found.state, found.deadline, found.missing, found.done), (state, deadline, missing, done)
                )

    def test_the_day_itself_is_not_late_and_the_next_one_is(self) -> None:
        start = TODAY - timedelta(days=30)
        self.assertEqual(every([], 1, 30, start, TODAY, 42).state, "due")
        self.assertEqual(every([], 1, 30, start, TODAY + timedelta(days=1), 42).state, "overdue")

    def test_what_lies_in_the_future_is_not_done(self) -> None:
        self.assertEqual(every([TODAY + timedelta(days=3)], 1, 30, TODAY, TODAY, 42).done, 0)


class After(unittest.TestCase):
    """Six weeks after a change: two weeks before to two weeks after is its time."""

    def test_its_time(self) -> None:
        change = date(2026, 10, 20)
        due = date(2026, 12, 1)
        found = after([change, date(2026, 3, 1)], [date(2026, 11, 16)], 42, TODAY, 42)
        assert found is not None
        self.assertEqual((found.state, found.deadline), ("due", due))
        self.assertEqual((found.first, found.last), (TODAY, date(2026, 12, 15)))
        for day, state in ((date(2026, 11, 17), "done"), (date(2026, 11, 30), "done")):
            done = after([change], [day], 42, TODAY, 42)
            assert done is not None
            self.assertEqual(done.state, state)
        late = after([change], [], 42, TODAY + timedelta(days=1), 42)
        assert late is not None
        self.assertEqual(late.state, "overdue")

    def test_without_a_change_nothing_is_due(self) -> None:
        self.assertIsNone(after([], [], 42, TODAY, 42))
        self.assertIsNone(after([TODAY + timedelta(days=2)], [], 42, TODAY, 42))

    def test_a_later_change_begins_anew(self) -> None:
        found = after([date(2026, 6, 1), date(2026, 11, 25)], [date(2026, 7, 14)], 42, TODAY, 42)
        assert found is not None
        self.assertEqual((found.state, found.deadline), ("due", date(2027, 1, 6)))


class Days(unittest.TestCase):
    def due(self, deadline: date, first: date = TODAY) -> Due:
        return Due("due", deadline, 1, 0, first, max(deadline, TODAY))

    def test_a_week_before_it_is_too_late_and_never_on_a_weekend(self) -> None:
        self.assertEqual(proposed_day(self.due(date(2026, 12, 21)), TODAY), date(2026, 12, 14))
        self.assertEqual(
            proposed_day(self.due(date(2026, 12, 19)), TODAY), date(2026, 12, 11)
        )  # the 12th is a Saturday
        self.assertEqual(proposed_day(self.due(date(2026, 12, 3)), TODAY), TODAY)
        saturday = date(2026, 12, 5)
        self.assertEqual(proposed_day(Due("overdue", START, 1, 0, saturday, saturday), saturday), date(2026, 12, 7))
        self.assertEqual(working_day(TODAY, frozenset({TODAY})), date(2026, 12, 2))

    def wanted(self, *lasts: date, day: date = TODAY) -> list[Wanted]:
        return [Wanted((1, n), "blood_pressure", day, TODAY, last) for n, last in enumerate(lasts)]

    def there(self, **days: int) -> dict[str, dict[date, int]]:
        return {"blood_pressure": {date(2026, 12, int(day[1:])): count for day, count in days.items()}}

    def test_who_has_the_longest_time_moves_to_the_next_day_with_one_free(self) -> None:
        lasts = (date(2026, 12, 2), date(2026, 12, 9), date(2026, 12, 4))
        found = moves(self.wanted(*lasts), self.there(d1=2, d2=0, d3=1), TODAY)
        self.assertEqual(found, [Move((1, 1), date(2026, 12, 3))])

    def test_none_moves_where_all_fit_and_a_clash_stays_where_nothing_is_free(self) -> None:
        lasts = (date(2026, 12, 9),) * 3
        self.assertEqual(moves(self.wanted(*lasts), self.there(d1=3), TODAY), [])
        self.assertEqual(moves(self.wanted(*lasts), self.there(d1=2), TODAY), [])

    def test_two_that_move_do_not_take_the_same_one(self) -> None:
        lasts = (date(2026, 12, 9),) * 3
        found = moves(self.wanted(*lasts), self.there(d1=1, d2=1, d3=1, d4=1), TODAY)
        self.assertEqual({move.day for move in found}, {date(2026, 12, 2), date(2026, 12, 3)})
        self.assertEqual(len(found), 2)

    def test_earlier_where_later_is_too_late(self) -> None:
        day = date(2026, 12, 3)
        found = moves(self.wanted(day, day, day=day), self.there(d3=1, d2=1), TODAY)
        self.assertEqual([move.day for move in found], [date(2026, 12, 2)])
