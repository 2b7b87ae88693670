"""Similar exposure groups: EN 689 table F.1, worked cases, decibels."""

import math
import unittest

import numpy as np

from kumpel.core.groups import (
    COMPLIES,
    EXCEEDS,
    MORE,
    NO_LIMIT,
    NOT_ALIKE,
    Split,
    alike,
    daily_level,
    findings,
    group,
    p_normal,
    proposed_split,
    u_t,
    upper_share,
)


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
        self.assertAlmostEqual(group(np.array([0.0, 1, 1]), 10, quantification_limit=0.5).lowest, 0.5)


class BelowWhatCanBeMeasured(unittest.TestCase):
    def test_by_hand(self) -> None:
        """n = 5, one below: positions (i - 0.375) / 5.25 of i = 2 to 5, their normal quantiles -0.4972, 0, 0.4972, 1.1798; values ln
        1, 2, 4, 8. Mean quantile 0.29495, mean of ln 1.5 ln 2; rise = sum(dz dx) / sum(dz^2)."""
        z = [-0.4972006, 0.0, 0.4972006, 1.1797611]
        x = [math.log(v) for v in (1, 2, 4, 8)]
        z_mean, x_mean = sum(z) / 4, sum(x) / 4
        rise = sum((a - z_mean) * (b - x_mean) for a, b in zip(z, x, strict=True)) / sum((a - z_mean) ** 2 for a in z)
        found = group(np.array([0.2, 1, 2, 4, 8]), 100.0, quantification_limit=0.5)
        self.assertEqual((found.count, found.below), (5, 1))
        self.assertAlmostEqual(math.log(found.spread), rise, places=6)
        self.assertAlmostEqual(math.log(found.centre), x_mean - rise * z_mean, places=6)

    def test_what_stands_below_does_not_matter(self) -> None:
        base = [0.9, 1.5, 2.0, 3.1, 0.7]
        one, other = (group(np.array([v, *base]), 9.0, quantification_limit=0.5) for v in (0.0, 0.49))
        self.assertEqual((one.centre, one.spread, one.u_r), (other.centre, other.spread, other.u_r))
        half = group(np.array([0.25, *base]), 9.0)
        self.assertNotAlmostEqual(one.centre, half.centre, places=3)

    def test_the_middle_is_found_again(self) -> None:
        """A third of 400 results below: mean and spread of the whole, which half the limit in their place would miss."""
        rng = np.random.default_rng(3)
        values = np.exp(rng.normal(math.log(0.2), math.log(2.5), 400))
        floor = 0.14
        found = group(values, 5.0, quantification_limit=floor)
        self.assertGreater(found.below, 110)
        self.assertAlmostEqual(found.centre, 0.2, delta=0.02)
        self.assertAlmostEqual(found.spread, 2.5, delta=0.15)

    def test_too_few_measured_say_nothing_of_a_spread_and_screening_sees_the_floor(self) -> None:
        found = group(np.array([0.1, 0.1, 0.1, 0.1, 0.1, 4.0]), 10.0, quantification_limit=0.5)
        self.assertEqual((found.verdict, found.below), (MORE, 5))
        self.assertTrue(math.isnan(found.spread) and math.isnan(found.u_r))
        self.assertEqual(group(np.array([0.0, 0.0, 0.0]), 10.0, quantification_limit=0.9).verdict, COMPLIES)
        self.assertEqual(group(np.array([0.0, 0.0, 0.0]), 10.0, quantification_limit=1.1).verdict, MORE)
        self.assertEqual(group(np.array([0.1] * 5 + [11.0]), 10.0, quantification_limit=0.5).verdict, EXCEEDS)


class Shares(unittest.TestCase):
    def test_the_limit_with_70_percent_is_5_percent_just_where_the_test_is_passed(self) -> None:
        for n in (6, 9, 20):
            self.assertAlmostEqual(upper_share(u_t(n), n, 0.70), 0.05, places=7)
            self.assertGreater(upper_share(u_t(n), n, 0.95), 0.05)

    def test_a_published_tolerance_factor(self) -> None:
        """One-sided 95 % / 95 % factor of n = 10: 2.911 (Natrella, NBS Handbook 91, table A-7): with the limit there, 5 % are passed
        with just that confidence."""
        self.assertAlmostEqual(upper_share(2.911, 10, 0.95), 0.05, delta=1e-4)

    def test_ends(self) -> None:
        self.assertEqual((upper_share(math.inf, 6, 0.7), upper_share(-math.inf, 6, 0.7)), (0.0, 1.0))
        self.assertTrue(math.isnan(upper_share(1.0, 1, 0.7)))

    def test_tolerance_and_share_say_the_same(self) -> None:
        values = np.exp(np.linspace(-1, 1, 9))
        limit = group(values, 1.0).tolerance
        self.assertAlmostEqual(group(values, limit).share_70, 0.05, places=6)


class Alikeness(unittest.TestCase):
    def test_by_hand(self) -> None:
        """Three people: 1 2 3, 2 3 4, 8 9 10. Means 2, 3, 9, of all 14/3: MSB = 3 ((8/3)^2 + (5/3)^2 + (13/3)^2) / 2 = 43,
        MSW = 6 / 6 = 1, F = 43; between = sqrt((43 - 1) / 3)."""
        people = [np.array([1.0, 2, 3]), np.array([2.0, 3, 4]), np.array([8.0, 9, 10])]
        found = alike(people)
        self.assertAlmostEqual(found.f, 43.0)
        self.assertAlmostEqual(found.within, 1.0)
        self.assertAlmostEqual(found.between, math.sqrt(14.0))
        self.assertFalse(found.holds)
        self.assertEqual(proposed_split(people), Split((0, 1), (2,)))

    def test_uneven_numbers(self) -> None:
        """1 3 and 4 6 8 8: means 2 and 6.5, of all 5. MSB = 2 x 9 + 4 x 2.25 = 27, MSW = (2 + 11) / 4 = 3.25; n0 = 6 - 20/6 = 8/3."""
        found = alike([np.array([1.0, 3]), np.array([4.0, 6, 8, 8])])
        self.assertAlmostEqual(found.f, 27 / 3.25)
        self.assertAlmostEqual(found.between, math.sqrt((27 - 3.25) / (8 / 3)))

    def test_people_who_are_alike_are_called_so_as_often_as_it_says(self) -> None:
        rng = np.random.default_rng(11)
        held = sum(alike([rng.normal(0, 1, 3) for _ in range(4)]).holds for _ in range(2000))
        self.assertAlmostEqual(held / 2000, 0.95, delta=0.015)

    def test_where_nothing_says(self) -> None:
        for people in ([np.array([1.0, 2])], [np.array([1.0]), np.array([2.0])], [np.array([]), np.array([1.0, 2])]):
            found = alike(people)
            self.assertFalse(found.is_known)
            self.assertTrue(found.holds)
        self.assertIsNone(proposed_split([np.array([1.0])]))
        same = alike([np.array([1.0, 1.0]), np.array([2.0, 2.0])])
        self.assertEqual((same.p, same.holds), (0.0, False))


class Levels(unittest.TestCase):
    def test_below_above_and_not_shown(self) -> None:
        """80, 82, 84: s = 2, u1 = 2 / sqrt 3; u = sqrt(4/3 + 1.5^2 + 1) = 2.141, U = 3.53; energy mean 82.30."""
        days = np.array([80.0, 82, 84])
        expanded = 1.65 * math.sqrt(4 / 3 + 1.5**2 + 1.0)
        mean = 10 * math.log10((10**8 + 10**8.2 + 10**8.4) / 3)
        for limit, verdict in ((mean + expanded + 0.01, COMPLIES), (85.0, MORE), (mean - expanded - 0.01, EXCEEDS)):
            self.assertEqual(daily_level(days, limit).verdict, verdict)
        self.assertEqual(daily_level(days[:2], 85.0).verdict, MORE)
        self.assertEqual(daily_level(days, math.nan).verdict, NO_LIMIT)


class Said(unittest.TestCase):
    """What is said of a group as a whole."""

    def test_who_is_not_alike_gets_no_verdict_together(self) -> None:
        hall = [np.array([84.0, 85.5, 86.0]), np.array([83.0, 84.0]), np.array([83.5, 84.9]), np.array([71.5, 72.5])]
        found = findings(hall, 85.0, logarithmic=False)
        self.assertEqual((found.verdict, found.split), (NOT_ALIKE, Split((3,), (0, 1, 2))))
        self.assertIn("less than 0.1 %", found.words)
        self.assertIsNotNone(findings(hall[:3], 85.0, logarithmic=False).daily)

    def test_how_many_more_would_decide(self) -> None:
        """U = 1.65 sqrt(s^2 / n + 3.25): 80, 82, 84 with an energy mean of 82.30 and s = 2 stay below 85.4 from the n on where U < 3.10."""
        found = findings([np.array([80.0, 82, 84])], 85.4, logarithmic=False)
        mean = 10 * math.log10((10**8 + 10**8.2 + 10**8.4) / 3)
        needed = next(n for n in range(4, 200) if mean + 1.65 * math.sqrt(4 / n + 3.25) < 85.4)
        self.assertEqual((found.verdict, found.more), (MORE, needed - 3))
        self.assertIsNone(findings([np.array([80.0, 82, 84])], 85.0, logarithmic=False).more)

    def test_a_group_of_concentrations_that_needs_more(self) -> None:
        values = np.array([0.30, 0.21, 0.26, 0.35])
        found = findings([values], 1.25)
        self.assertEqual((found.verdict, found.more), (MORE, 2))
        self.assertEqual(group(np.concatenate((values, values[:2])), 1.25).verdict, COMPLIES)

    def test_the_floor_holds_for_people_too(self) -> None:
        found = findings([np.array([0.0, 0.3]), np.array([0.2, 0.0])], 5.0, quantification_limit=0.05)
        self.assertEqual(found.group.below, 2)
        self.assertTrue(found.alike.is_known)


class Normality(unittest.TestCase):
    def test_a_published_example(self) -> None:
        """Weights of 11 men (Shapiro and Wilk 1965, table 1): W = 0.79, below the 5 % point of 0.850 and near the 1 % point."""
        men = np.array([148.0, 154, 158, 160, 161, 162, 166, 170, 182, 195, 236])
        self.assertLess(p_normal(men), 0.01)
        self.assertTrue(math.isnan(p_normal(np.array([2.0, 2.0, 2.0]))))


if __name__ == "__main__":
    unittest.main()
