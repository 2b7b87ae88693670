"""Dose, TWA, permitted durations, exposure levels against printed tables and closed forms."""

import math
import unittest

import numpy as np

from kumpel.core.noise import exposure, levels
from kumpel.core.noise.exposure import DoseRule

FIVE = DoseRule(5, 90, 8)
THREE = DoseRule(3, 85, 8)

# 29 CFR 1910.95, table G-16a: level in dB(A), reference duration in h, as printed.
G_16A = {
    80: "32", 81: "27.9", 82: "24.3", 83: "21.1", 84: "18.4", 85: "16", 86: "13.9", 87: "12.1", 88: "10.6", 89: "9.2",
    90: "8", 91: "7.0", 92: "6.1", 93: "5.3", 94: "4.6", 95: "4", 96: "3.5", 97: "3.0", 98: "2.6", 99: "2.3", 100: "2",
    101: "1.7", 102: "1.5", 103: "1.3", 104: "1.1", 105: "1", 106: "0.87", 107: "0.76", 108: "0.66", 109: "0.57",
    110: "0.5", 111: "0.44", 112: "0.38", 113: "0.33", 114: "0.29", 115: "0.25", 116: "0.22", 117: "0.19", 118: "0.16",
    119: "0.14", 120: "0.125", 121: "0.11", 122: "0.095", 123: "0.082", 124: "0.072", 125: "0.063", 126: "0.054",
    127: "0.047", 128: "0.041", 129: "0.036", 130: "0.031",
}  # fmt: skip

# 29 CFR 1910.95 App. A, table A-1: dose in %, TWA in dB(A), as printed.
A_1 = {
    10: 73.4, 15: 76.3, 20: 78.4, 25: 80.0, 30: 81.3, 35: 82.4, 40: 83.4, 45: 84.2, 50: 85.0, 55: 85.7, 60: 86.3,
    65: 86.9, 70: 87.4, 75: 87.9, 80: 88.4, 85: 88.8, 90: 89.2, 95: 89.6, 100: 90.0, 110: 90.7, 120: 91.3, 130: 91.9,
    140: 92.4, 150: 92.9, 160: 93.4, 175: 94.0, 200: 95.0, 250: 96.6, 300: 97.9, 400: 100.0, 500: 101.6, 600: 102.9,
    700: 104.0, 800: 105.0, 900: 105.8, 999: 106.6,
}  # fmt: skip

# NIOSH 98-126, table 1-1 (3 dB rate, 85 dB(A) for 8 h): level, duration in s.
NIOSH = {
    82: 16 * 3600,
    85: 8 * 3600,
    88: 4 * 3600,
    91: 2 * 3600,
    94: 3600,
    97: 1800,
    100: 900,
    103: 450,
    106: 225,
    109: 112,
}


def steady(level: float, hours: float, dt: float = 1.0) -> np.ndarray:
    return np.full(round(hours * 3600 / dt), float(level))


def permitted_hours(level: float, rule: DoseRule) -> float:
    """Hours at a steady level that make a dose of 100 % (29 CFR 1910.95, G-16a): from the dose of one second."""
    return 100 / exposure.dose(np.full(1, float(level)), 1.0, rule) / 3600


class Tables(unittest.TestCase):
    def test_permitted_duration_of_every_printed_level(self) -> None:
        for level, printed in G_16A.items():
            digits = len(printed.partition(".")[2])
            half = 0.5 * 10**-digits
            with self.subTest(level=level):
                self.assertLessEqual(abs(permitted_hours(level, FIVE) - float(printed)), half + 1e-9)

    def test_dose_to_twa_of_every_printed_dose(self) -> None:
        for dose, twa in A_1.items():
            with self.subTest(dose=dose):
                self.assertAlmostEqual(exposure.time_weighted_average(dose, FIVE), twa, delta=0.0501)

    def test_three_db_durations_agree_within_the_equal_energy_rounding(self) -> None:
        # q = 10 against the doubling rule: 10^0.3 = 1.99526, so 0.24 % per 3 dB step; 109 dB is 8 steps: 1.9 %.
        for level, seconds in NIOSH.items():
            steps = abs(level - 85) / 3
            with self.subTest(level=level):
                ratio = permitted_hours(level, THREE) * 3600 / seconds
                self.assertLessEqual(abs(ratio - 1), 0.0024 * steps + 0.005)


class ClosedForms(unittest.TestCase):
    def test_criterion_level_for_criterion_time_is_a_full_dose(self) -> None:
        for rule in (FIVE, THREE, DoseRule(4, 85, 8), DoseRule(6, 90, 12)):
            found = exposure.dose(steady(rule.criterion_db, rule.criterion_h), 1.0, rule)
            self.assertAlmostEqual(found, 100.0, places=9)

    def test_a_step_of_the_exchange_rate_doubles_the_dose(self) -> None:
        self.assertAlmostEqual(exposure.dose(steady(95, 8), 1.0, FIVE), 200.0, places=9)
        self.assertAlmostEqual(exposure.dose(steady(94, 8), 1.0, DoseRule(4, 90, 8)), 200.0, places=9)
        # Q = 3 uses q = 10: 100 x 10^0.3
        self.assertAlmostEqual(exposure.dose(steady(88, 8), 1.0, THREE), 199.526, places=3)

    def test_two_level_day_by_hand(self) -> None:
        # 4 h at 90 and 4 h at 95, Q 5, Lc 90: 100/8 (4 + 4 x 2) = 150 %; TWA = 90 + 16.61 log10 1.5 = 92.925
        day = np.concatenate([steady(90, 4), steady(95, 4)])
        self.assertAlmostEqual(exposure.dose(day, 1.0, FIVE), 150.0, places=9)
        self.assertAlmostEqual(exposure.time_weighted_average(150, FIVE), 92.9248, places=4)

    def test_a_sample_at_the_threshold_counts_one_below_does_not(self) -> None:
        rule = DoseRule(5, 90, 8, threshold_db=80)
        day = np.concatenate([steady(80, 4), steady(79.99, 4)])
        self.assertAlmostEqual(exposure.dose(day, 1.0, rule), 100 / 8 * 4 / 4, places=9)

    def test_lex_of_shorter_and_longer_days(self) -> None:
        self.assertAlmostEqual(exposure.daily_exposure_level(85, 8 * 3600), 85.0)
        self.assertAlmostEqual(exposure.daily_exposure_level(85, 4 * 3600), 85 - 3.0103, places=4)
        self.assertAlmostEqual(exposure.daily_exposure_level(85, 12 * 3600), 85 + 1.7609, places=4)

    def test_exposure_in_pascal_squared_hours(self) -> None:
        # 4e-10 x 8 x 10^8.5 = 1.01193
        self.assertAlmostEqual(levels.sound_exposure(steady(85, 8), 1.0), 1.01193, places=5)

    def test_week_of_five_equal_days_and_of_one(self) -> None:
        self.assertAlmostEqual(exposure.weekly_exposure_level(np.full(5, 84.0)), 84.0)
        self.assertAlmostEqual(exposure.weekly_exposure_level(np.array([84.0])), 84 - 6.9897, places=4)

    def test_uncertainty_by_hand(self) -> None:
        # 82, 84, 86: s = 2, u1 = 2/sqrt 3 = 1.1547; u = sqrt(1.3333 + 2.25 + 1) = 2.1409; U = 3.5325
        found = exposure.full_day_uncertainty(np.array([82.0, 84.0, 86.0]))
        self.assertAlmostEqual(found.sampling_db, 1.1547, places=4)
        self.assertAlmostEqual(found.combined_db, 2.1409, places=4)
        self.assertAlmostEqual(found.expanded_db, 3.5325, places=3)
        with self.assertRaises(ValueError):
            exposure.full_day_uncertainty(np.array([82.0, math.nan, 86.0]))


class Properties(unittest.TestCase):
    def setUp(self) -> None:
        self.rng = np.random.default_rng(8)
        self.day = self.rng.normal(84, 8, 20_000)

    def test_splitting_never_changes_the_dose(self) -> None:
        for rule in (FIVE, THREE, DoseRule(5, 90, 8, 80)):
            whole = exposure.dose(self.day, 1.0, rule)
            for cut in self.rng.integers(1, len(self.day), 20):
                parts = exposure.dose(self.day[:cut], 1.0, rule) + exposure.dose(self.day[cut:], 1.0, rule)
                self.assertAlmostEqual(parts, whole, places=8)

    def test_order_never_changes_laeq(self) -> None:
        self.assertAlmostEqual(levels.mean_level(self.rng.permutation(self.day)), levels.mean_level(self.day), places=9)

    def test_what_was_not_measured_changes_no_mean_and_is_no_silence(self) -> None:
        with_gaps = np.concatenate([self.day, np.full(5000, math.nan)])
        self.assertAlmostEqual(levels.mean_level(with_gaps), levels.mean_level(self.day), places=9)
        self.assertTrue(math.isnan(levels.mean_level(np.full(10, math.nan))))
        self.assertTrue(math.isnan(exposure.dose(np.empty(0), 1.0, FIVE)))

    def test_lavg_equals_laeq_at_three_db_and_is_lower_at_five(self) -> None:
        self.assertGreater(levels.mean_level(self.day), levels.mean_level(self.day, 5))
        self.assertEqual(levels.mean_level(self.day, 3, None), levels.mean_level(self.day))

    def test_extreme_levels_do_not_overflow(self) -> None:
        self.assertAlmostEqual(levels.mean_level(np.array([400.0, 400.0])), 400.0)
        self.assertAlmostEqual(levels.mean_level(np.array([-300.0, -300.0])), -300.0)


class Levels(unittest.TestCase):
    def test_percentiles_are_levels_exceeded(self) -> None:
        ramp = np.arange(0, 101, dtype=float)
        self.assertEqual(levels.exceeded_level(ramp, 10), 90.0)
        self.assertEqual(levels.exceeded_level(ramp, 90), 10.0)

    def test_the_shortest_stretch_with_half_of_the_dose(self) -> None:
        day = np.concatenate([steady(70, 1), steady(100, 0.5), steady(70, 1)])
        found = levels.highest_share(day, 0.5)
        assert found is not None
        self.assertTrue(found[0] >= 3600 and found[1] <= 5400)
        self.assertAlmostEqual(found[1] - found[0], 900, delta=5)
        self.assertIsNone(levels.highest_share(np.full(5, math.nan)))

    def test_minute_means_leave_a_rest_and_gaps_alone(self) -> None:
        found = levels.mean_by_bin(np.array([80.0, 80.0, math.nan, 90.0, math.nan, math.nan, 70.0]), 2)
        np.testing.assert_allclose(found, [80, 90, math.nan, 70], equal_nan=True)
