"""What was applied against what was read; where a span factor goes."""

import math
import unittest

from kumpel.core.check_rules import Allowed, DriftAllowed, Steady, factor_trend, judge

SPAN = Allowed("EN 45544-4:2016, 7.4", share=0.1, amount=0.1)


class Steadiness(unittest.TestCase):
    def test_all_of_the_last_seconds_within_the_band(self) -> None:
        """The last 3 s of 50, 80, 51, 52, 51.5, 52: (51 + 52 + 51.5 + 52) / 4 = 51.625, 1 apart."""
        at, values = [0.0, 1.0, 2.0, 3.0, 4.0, 5.0], [50.0, 80.0, 51.0, 52.0, 51.5, 52.0]
        self.assertEqual(Steady(1.0, 3.0).mean(at, values), 51.625)
        self.assertIsNone(Steady(0.9, 3.0).mean(at, values))
        self.assertIsNone(Steady(1.0, 4.0).mean(at, values))
        self.assertIsNone(Steady(100.0, 6.0).mean(at, values))
        self.assertIsNone(Steady(1.0, 3.0).mean(at, [*values[:-1], math.nan]))
        self.assertIsNone(Steady(1.0, 3.0).mean([], []))

    def test_drift_is_from_how_it_was_left_to_how_it_was_found(self) -> None:
        half = DriftAllowed(0.5, "")
        self.assertEqual(half.too_far(-0.2, 0.4), 0.6)
        self.assertEqual(half.too_far(0.4, -0.2), -0.6)
        # Just 0.5, though 94.5 - 94.0 is not exactly that in binary numbers with 0.1 on each side.
        self.assertIsNone(half.too_far(0.1, 0.6))
        self.assertIsNone(half.too_far(math.nan, 0.6))


class Judging(unittest.TestCase):
    def test_the_edge_passes_and_a_digit_more_does_not(self) -> None:
        # 10 % of 25.0 is 2.5: 22.5 and 27.5 pass, 22.4 and 27.6 do not; 22.46 is stated as 22.5.
        for read, passed in ((22.5, True), (27.5, True), (22.46, True), (22.4, False), (27.6, False)):
            with self.subTest(read=read):
                self.assertEqual(judge(SPAN, 25.0, read).passed, passed)

    def test_of_little_the_amount_counts(self) -> None:
        self.assertTrue(judge(SPAN, 0.5, 0.6).passed)
        self.assertFalse(judge(SPAN, 0.5, 0.7).passed)
        # Zero of a dust sensor, to the third digit: 0.003 mg/m3.
        zero = Allowed("", amount=0.003)
        self.assertTrue(judge(zero, 0.0, -0.003, 3).passed)
        self.assertFalse(judge(zero, 0.0, 0.004, 3).passed)

    def test_nothing_read_is_no_pass(self) -> None:
        for applied, read in ((25.0, math.nan), (math.nan, 25.0), (25.0, math.inf)):
            with self.subTest(applied=applied, read=read):
                self.assertFalse(judge(SPAN, applied, read).passed)


class Drift(unittest.TestCase):
    def test_a_line_through_the_factors_proposes_the_day(self) -> None:
        # +0.1 in 180 days: from 1.2 to 1.3 takes 180 more.
        found = factor_trend([0.0, 180.0, 360.0], [1.0, 1.1, 1.2])
        assert found is not None
        self.assertAlmostEqual(found.per_year, 0.1 / 180 * 365.25)
        self.assertAlmostEqual(found.days_left or 0, 180.0)

    def test_falling_steady_and_too_few(self) -> None:
        falling = factor_trend([0.0, 100.0, 200.0], [1.0, 0.95, 0.9])
        assert falling is not None
        self.assertAlmostEqual(falling.days_left or 0, 400.0)  # 0.2 down at 0.0005 a day
        steady = factor_trend([0.0, 100.0, 200.0], [1.0, 1.0, 1.0])
        assert steady is not None
        self.assertIsNone(steady.days_left)
        self.assertIsNone(factor_trend([0.0, 100.0], [1.0, 1.2]))
        beyond = factor_trend([0.0, 100.0, 200.0], [1.0, 1.2, 1.4])
        assert beyond is not None
        self.assertEqual(beyond.days_left, 0.0)
