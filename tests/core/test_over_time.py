"""Which way figures go over months: ranks against published examples, intervals against what they promise, load by hand."""

from __future__ import annotations

import math
import unittest

import numpy as np

from kumpel.core.load import LATELY_D, USUALLY_D, by_day, load_words, week, weighted
from kumpel.core.over_time import Interval, difference, difference_words, inversions, rank_sums, slope, trend_words


class Slopes(unittest.TestCase):
    def test_by_hand(self) -> None:
        """Ten slopes of five pairs of years and values: -.15 -.13 -.08 -.07 -.0575 -.055 -.045 -.0333 .01 .04; the middle is
        -(.0575 + .055) / 2. Of 120 orders one has no inversion: 1/120 = 0.8 % is within 2.5 %, with one inversion (4 more) it is 4.2 %:
        the first and the last slope are the ends."""
        found = slope(np.arange(1.0, 6), np.array([1.26, 1.27, 1.12, 1.16, 1.03]))
        self.assertAlmostEqual(found.value, -0.05625)
        self.assertAlmostEqual(found.low, -0.15)
        self.assertAlmostEqual(found.high, 0.04)
        self.assertFalse(found.shows)

    def test_four_sessions_have_a_slope_and_no_interval(self) -> None:
        """1/24 = 4.2 % is more than 2.5 %."""
        found = slope(np.arange(4.0), np.array([1.0, 2.0, 3.0, 4.0]))
        self.assertEqual(found.value, 1.0)
        self.assertFalse(found.is_known)
        self.assertEqual(trend_words(found, 100, "dB", 1), "too few to say which way it goes (4)")

    def test_one_wild_session_moves_it_little(self) -> None:
        days = np.arange(20.0)
        values = 80 + 0.1 * days
        values[7] = 140
        self.assertAlmostEqual(slope(days, values).value, 0.1, places=6)

    def test_what_is_not_known_does_not_count_and_one_moment_has_no_slope(self) -> None:
        found = slope(np.array([0.0, 1, 2, np.nan, 4, 5]), np.array([0.0, 1, np.nan, 9, 4, 5]))
        self.assertEqual((found.value, found.count), (1.0, 4))
        self.assertTrue(math.isnan(slope(np.zeros(3), np.arange(3.0)).value))
        self.assertEqual(slope(np.empty(0), np.empty(0)).count, 0)

    def test_orders_are_counted_out(self) -> None:
        self.assertEqual((inversions(4) * 24).round().tolist(), [1, 3, 5, 6, 5, 3, 1])
        self.assertEqual((rank_sums(2, 3) * 10).round().tolist(), [1, 1, 2, 2, 2, 1, 1])

    def test_the_interval_holds_the_truth_as_often_as_it_says(self) -> None:
        """Coverage of 95 % intervals over 2,000 made series: at least 94 %, and exact ones a little more, as ranks are whole."""
        rng = np.random.default_rng(5)
        for n in (6, 12, 70):
            days = np.sort(rng.uniform(0, 700, n))
            held = 0
            for _ in range(2000):
                found = slope(days, 0.01 * days + rng.standard_t(3, n))
                held += found.low <= 0.01 <= found.high
            self.assertGreater(held / 2000, 0.94, n)
            self.assertLess(held / 2000, 0.99, n)


class Differences(unittest.TestCase):
    TERM = np.array([0.80, 0.83, 1.89, 1.04, 1.45, 1.38, 1.91, 1.64, 0.73, 1.46])
    EARLIER = np.array([1.15, 0.88, 0.90, 0.74, 1.21])

    def test_a_published_example(self) -> None:
        """Hollander and Wolfe, 4.1 and 4.3: permeability of ten and five membranes; -.305, interval (-.76, .15)."""
        found = difference(self.TERM, self.EARLIER)
        self.assertAlmostEqual(found.value, -0.305)
        self.assertAlmostEqual(found.low, -0.76)
        self.assertAlmostEqual(found.high, 0.15)
        self.assertEqual(
            difference_words(found, 10, 5, "um/s", 2),
            "no change shown: between -0.76 and +0.15 um/s (10 before, 5 after)",
        )

    def test_three_and_three_are_too_few(self) -> None:
        """The most unlike order of six is one of twenty: 5 % on either side."""
        found = difference(np.array([1.0, 2, 3]), np.array([11.0, 12, 13]))
        self.assertEqual(found.value, 10.0)
        self.assertFalse(found.is_known)
        self.assertEqual(difference_words(found, 3, 3, "dB", 1), "too few to compare (3 before, 3 after)")

    def test_many_are_as_few_but_narrower(self) -> None:
        rng = np.random.default_rng(2)
        few = difference(rng.normal(80, 2, 20), rng.normal(77, 2, 20))
        many = difference(rng.normal(80, 2, 400), rng.normal(77, 2, 400))
        for found in (few, many):
            self.assertTrue(found.low < -3 < found.high or abs(found.value + 3) < 1)
            self.assertTrue(found.shows)
        self.assertLess(many.high - many.low, few.high - few.low)

    def test_words_say_which_way_with_both_ends(self) -> None:
        self.assertEqual(
            trend_words(Interval(0.01, 0.004, 0.015, 9), 800.0, "dB", 1),
            "rises by 3.7 dB a year (1.5 to 5.5; 9 sessions)",
        )
        self.assertEqual(
            difference_words(Interval(3.0, 1.0, 4.0, 6), 8, 6, "dB", 1),
            "higher by 3.0 dB after it (1.0 to 4.0; 8 before, 6 after)",
        )


class Loads(unittest.TestCase):
    def test_weights_fall_as_they_should(self) -> None:
        """lambda = 2 / 8 = 0.25: after a long time of 100 a day of 0 leaves 75, another 56.25."""
        daily = np.array([100.0] * 60 + [0.0, 0.0])
        found = weighted(daily, LATELY_D)
        self.assertAlmostEqual(found[59], 100.0)
        self.assertAlmostEqual(found[60], 75.0, places=3)
        self.assertAlmostEqual(found[61], 56.25, places=3)

    def test_a_day_without_belt_is_not_a_day_of_rest(self) -> None:
        """100 for long, then one unknown: the mean of what is known stays 100; as rest it would be 75."""
        daily = np.array([100.0] * 60 + [np.nan])
        self.assertAlmostEqual(weighted(daily, LATELY_D)[-1], 100.0)
        self.assertTrue(np.isnan(weighted(np.array([100.0] * 60 + [np.nan] * 2), LATELY_D)[-1]), "44 % are unknown")

    def test_the_usual_load_takes_a_month_to_be_known(self) -> None:
        """lambda = 2 / 43; (1 - lambda)^k falls below 0.3 with the 26th day."""
        found = weighted(np.full(60, 10.0), USUALLY_D)
        self.assertEqual(int(np.flatnonzero(~np.isnan(found))[0]), 25)

    def test_days_are_summed_and_said(self) -> None:
        """Two sessions of a day add up, a day without is 0, an unknown one makes its day unknown; sessions to come do not count yet."""
        self.assertEqual(by_day([3, 3, 6, 9], [10.0, 20.0, 5.0, 7.0], 7).tolist(), [30.0, 0.0, 0.0, 5.0, 0.0])
        self.assertTrue(np.isnan(by_day([3, 3], [10.0, math.nan], 3)[0]))
        # 50 for long, then a week of 80 and 120 in turn: lately 50 x .75^7 and the week, .25 each: about 93.
        daily = np.array([50.0] * 80 + [80.0, 120.0, 80.0, 120.0, 80.0, 120.0, 80.0])
        lately, usually = weighted(daily, LATELY_D)[-1], weighted(daily, USUALLY_D)[-1]
        self.assertEqual(
            load_words(daily),
            f"{lately:.0f} a day lately (7 days) against {usually:.0f} usually (42 days): {lately / usually:.1f} times; "
            f"monotony {97.142857 / np.std(daily[-7:], ddof=1):.1f}, strain {680 * 97.142857 / np.std(daily[-7:], ddof=1):.0f}",
        )
        self.assertEqual(load_words(np.empty(0)), "nothing recorded")

    def test_a_week_by_hand(self) -> None:
        """100 0 100 0 100 0 100: sum 400, mean 57.143, s = sqrt((4 x 42.857^2 + 3 x 57.143^2) / 6) = 53.452."""
        found = week(np.array([100.0, 0, 100, 0, 100, 0, 100]))
        self.assertEqual(found.load, 400.0)
        self.assertAlmostEqual(found.monotony, 57.142857 / 53.452248, places=5)
        self.assertAlmostEqual(found.strain, 400 * 57.142857 / 53.452248, places=2)

    def test_no_spread_has_no_monotony_and_an_unknown_day_no_week(self) -> None:
        alike = week(np.full(7, 60.0))
        self.assertEqual(alike.load, 420.0)
        self.assertTrue(math.isnan(alike.monotony) and math.isnan(alike.strain))
        self.assertTrue(math.isnan(week(np.array([1.0, 2, np.nan, 4, 5, 6, 7])).load))
        with self.assertRaises(ValueError):
            week(np.zeros(6))


if __name__ == "__main__":
    unittest.main()
