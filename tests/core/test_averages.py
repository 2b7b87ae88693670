"""Windows over gaps, time-weighted averages, calendar days: small cases with the arithmetic written out."""

import math
import unittest

import numpy as np

from kumpel.core.averages import by_day, highest_window, long_gaps, mean, time_weighted_average


class Averages(unittest.TestCase):
    def test_time_weighted(self) -> None:
        # 100 ppm for 2 h of a day of 8 h: 200 / 8 = 25 ppm; the rest was not measured and adds nothing
        values = np.concatenate([np.full(120, 100.0), np.full(360, np.nan)])
        self.assertAlmostEqual(time_weighted_average(values, 60), 25.0)
        self.assertTrue(math.isnan(time_weighted_average(np.full(5, np.nan), 60)))
        self.assertTrue(math.isnan(mean(np.empty(0))))

    def test_highest_quarter_hour_of_a_block(self) -> None:
        # 10 min at 90 in clean air: 90 x 10/15 = 60
        values = np.zeros(120)
        values[30:40] = 90
        found = highest_window(values, 60)
        self.assertAlmostEqual(found.value, 60.0)
        self.assertTrue(25 <= found.start_s / 60 <= 30)
        self.assertEqual(found.formed, 106)

    def test_windows_that_are_no_multiple_of_the_interval(self) -> None:
        # log interval 10 min, one interval at 30: a window of 15 min holds all of it, 30 x 10/15 = 20
        values = np.zeros(12)
        values[5] = 30
        self.assertAlmostEqual(highest_window(values, 600).value, 20.0)
        # two neighbours at 30 and 12: 10 min at 30 and 5 min at 12, (300 + 60)/15 = 24
        values[6] = 12
        self.assertAlmostEqual(highest_window(values, 600).value, 24.0)

    def test_one_missing_interval_is_bridged_two_are_not(self) -> None:
        values = np.full(15, 10.0)
        values[7] = np.nan
        self.assertAlmostEqual(highest_window(values, 60).value, 10.0)
        values[8] = np.nan
        self.assertEqual(highest_window(values, 60).formed, 0)
        self.assertTrue(math.isnan(highest_window(values, 60).value))

    def test_a_peak_beside_a_gap_does_not_count_for_less(self) -> None:
        values = np.concatenate([np.full(20, 50.0), np.full(5, np.nan), np.full(20, 1.0)])
        self.assertAlmostEqual(highest_window(values, 60).value, 50.0)

    def test_too_short_empty_all_missing(self) -> None:
        for values in (np.full(14, 1.0), np.empty(0), np.full(60, np.nan)):
            self.assertEqual(highest_window(values, 60).formed, 0)
        self.assertAlmostEqual(highest_window(np.full(15, 4.0), 60).value, 4.0)

    def test_against_the_plain_loop(self) -> None:
        rng = np.random.default_rng(3)
        for interval in (1, 10, 60, 300):
            values = rng.exponential(5, 3600 // min(interval, 60))
            values[rng.random(len(values)) < 0.02] = np.nan
            gaps, per = long_gaps(values), 900 // interval
            sums = [
                np.nanmean(values[i : i + per]) for i in range(len(values) - per + 1) if not gaps[i : i + per].any()
            ]
            self.assertAlmostEqual(highest_window(values, interval).value, max(sums, default=math.nan), places=9)

    def test_days_of_a_clock_change(self) -> None:
        # 25 wall-clock hours of one date, then the next day
        wall = np.concatenate([np.arange(3) * 3600.0, np.arange(2, 24) * 3600.0, 86_400 + np.arange(5) * 3600.0])
        self.assertEqual([(end - first) for _, first, end in by_day((wall // 86_400).astype(np.int32))], [25, 5])


if __name__ == "__main__":
    unittest.main()
