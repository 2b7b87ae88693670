"""Weeks of daily figures: only whole ones have a figure, the others say how many days."""

import math
import unittest
from datetime import date

from kumpel.core.noise.exposure import weekly_exposure_level
from kumpel.core.weeks import weeks

MONDAY = date(2026, 11, 9)


def day(offset: int) -> int:
    return MONDAY.toordinal() + offset


class Weeks(unittest.TestCase):
    def test_five_days_by_hand(self) -> None:
        """84, 85, 86, 84, 85: 10 log10((2 x 10^8.4 + 2 x 10^8.5 + 10^8.6) / 5) = 84.86."""
        levels = [84.0, 85.0, 86.0, 84.0, 85.0]
        [week] = weeks([day(n) for n in range(5)], levels, weekly_exposure_level)
        wanted = 10 * math.log10((2 * 10**8.4 + 2 * 10**8.5 + 10**8.6) / 5)
        self.assertAlmostEqual(week.value, wanted)
        self.assertEqual((week.monday, week.measured), (MONDAY.toordinal(), 5))

    def test_four_days_are_no_week_and_a_saturday_is_no_friday(self) -> None:
        for days in ([0, 1, 2, 3], [0, 1, 2, 3, 5]):
            [week] = weeks([day(n) for n in days], [85.0] * len(days), weekly_exposure_level)
            self.assertEqual(week.measured, 4)
            self.assertTrue(math.isnan(week.value))

    def test_work_on_a_saturday_counts_on_top(self) -> None:
        [week] = weeks([day(n) for n in range(6)], [85.0] * 6, weekly_exposure_level)
        self.assertAlmostEqual(week.value, 85.0 + 10 * math.log10(6 / 5))

    def test_the_highest_of_a_day_and_nothing_that_is_not_known(self) -> None:
        days, levels = [day(n) for n in (0, 0, 1, 2, 3, 4)], [80.0, 90.0, 85.0, 85.0, 85.0, 85.0]
        [week] = weeks(days, levels, lambda daily: float(daily.max()))
        self.assertEqual(week.value, 90.0)
        [week] = weeks(days, [*levels[:5], math.nan], lambda daily: float(daily.max()))
        self.assertEqual(week.measured, 4)

    def test_weeks_begin_on_monday_across_the_year(self) -> None:
        new_year = date(2027, 1, 1).toordinal()  # a Friday
        found = weeks([new_year, new_year + 2, new_year + 3], [1.0, 1.0, 1.0], lambda daily: 0.0)
        self.assertEqual([date.fromordinal(week.monday) for week in found], [date(2026, 12, 28), date(2027, 1, 4)])
