"""Similar exposure groups: EN 689 table F.1, worked cases, decibels."""

import math
import unittest

import numpy as np

from kumpel.core.groups import COMPLIES, EXCEEDS, MORE, NO_LIMIT, group, u_t


class TestValue(unittest.TestCase):
    def test_table_f1(self) -> None:
        # EN 689:2018, annex F, table F.1
        for n, value in (
            (6, 2.187),
            (7, 2.120),
            (8, 2.072),
            (9, 2.035),
            (10, 2.005),
            (12, 1.961),
            (15, 1.917),
            (20, 1.870),
            (30, 1.820),
        ):
            self.assertAlmostEqual(u_t(n), value, places=3)

    def test_coverage_of_the_test_by_simulation(self) -> None:
        # If exactly 5 % of shifts lie above the limit, the group must pass in 30 % of trials (confidence 70 %).
        rng = np.random.default_rng(5)
        limit = math.exp(1.6448536 * 0.8)
        passed = sum(group(np.exp(rng.normal(0, 0.8, 6)), limit).verdict == COMPLIES for _ in range(1500))
        self.assertAlmostEqual(passed / 1500, 0.30, delta=0.04)


class Screening(unittest.TestCase):
    def test_edges(self) -> None:
        for values, verdict in (
            ([0.9, 0.5, 0.99], COMPLIES),  # three below 0.1 x 10
            ([0.9, 0.5, 1.0], MORE),
            ([1.4, 1.4, 1.4, 1.49], COMPLIES),
            ([1.4, 1.4, 1.4, 1.5], MORE),
            ([1.9] * 5, COMPLIES),
            ([1.9] * 4 + [2.0], MORE),
            ([1.0, 1.0, 10.1], EXCEEDS),
            ([1.0, 1.0, 10.0], MORE),
            ([0.1, 0.1], MORE),
            ([11.0], EXCEEDS),
        ):
            with self.subTest(values=values):
                self.assertEqual(group(np.array(values), 10.0).verdict, verdict)


class Statistics(unittest.TestCase):
    def test_by_hand(self) -> None:
        # ln of 1, e, e2, 1, e, e2: mean 1, deviations -1 0 1 -1 0 1, s = sqrt(4/5)
        values = np.exp(np.array([0.0, 1, 2, 0, 1, 2]))
        found = group(values, math.exp(3.5))
        spread = math.sqrt(4 / 5)
        self.assertAlmostEqual(found.centre, math.e)
        self.assertAlmostEqual(found.spread, math.exp(spread))
        self.assertAlmostEqual(found.p95, math.exp(1 + 1.6448536 * spread), places=5)
        self.assertAlmostEqual(found.u_r, 2.5 / spread)
        self.assertEqual(found.verdict, COMPLIES)  # 2.795 is at least 2.187
        self.assertEqual(group(values, math.exp(2.9)).verdict, EXCEEDS)  # 1.9 / 0.894 = 2.124

    def test_decibels_are_arithmetic(self) -> None:
        found = group(np.array([80.0, 82, 84, 80, 82, 84]), 85.0, logarithmic=False)
        self.assertAlmostEqual(found.centre, 82.0)
        self.assertAlmostEqual(found.spread, math.sqrt(16 / 5))
        self.assertAlmostEqual(found.u_r, 3 / math.sqrt(16 / 5))
        self.assertEqual(found.verdict, EXCEEDS)  # 1.677 is below 2.187
        self.assertEqual(group(np.array([70.0, 70, 70]), 85.0, logarithmic=False).verdict, MORE)

    def test_share_above(self) -> None:
        # limit at the 95th percentile of the fitted distribution: 5 % of shifts above it
        values = np.exp(np.linspace(-1, 1, 9))
        first = group(values, 1.0)
        self.assertAlmostEqual(group(values, first.p95).share_above, 0.05, places=6)

    def test_all_equal_one_result_and_none(self) -> None:
        self.assertEqual(group(np.full(6, 2.0), 10.0).verdict, COMPLIES)
        self.assertEqual(group(np.full(6, 12.0), 10.0).verdict, EXCEEDS)
        self.assertTrue(math.isnan(group(np.array([2.0]), 10.0).spread))
        self.assertEqual(group(np.full(6, 2.0), math.nan).verdict, NO_LIMIT)
        with self.assertRaisesRegex(ValueError, "no result"):
            group(np.array([np.nan]), 10.0)

    def test_zero_needs_a_quantification_limit(self) -> None:
        with self.assertRaisesRegex(ValueError, "1 of 3 results"):
            group(np.array([0.0, 1, 2]), 10)
        self.assertAlmostEqual(group(np.array([0.0, 1, 1]), 10, quantification_limit=0.5).lowest, 0.25)


if __name__ == "__main__":
    unittest.main()
