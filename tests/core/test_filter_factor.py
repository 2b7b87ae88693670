"""A photometric factor from a filter: arithmetic, uncertainty, what makes none."""

import math
import unittest

from kumpel.core.dust.filter_factor import Filter, factor_of_filter


class FilterFactor(unittest.TestCase):
    def test_net_mass_by_air_over_what_was_read(self) -> None:
        # 0.24 - 0.05 = 0.19 mg in 5.8 m3: 0.03276 mg/m3; read 0.0244: 1.3426.
        # u: sqrt(2) 0.01/0.19 = 0.0744, with 0.05: 0.0897; twice that of 1.3426: 0.2408.
        found = factor_of_filter(Filter(0.24, 0.05, 5.8), 0.0244)
        self.assertAlmostEqual(found.concentration, 0.19 / 5.8)
        self.assertAlmostEqual(found.factor, 0.19 / 5.8 / 0.0244)
        self.assertAlmostEqual(found.expanded, 2 * math.sqrt(2 * (0.01 / 0.19) ** 2 + 0.05**2) * found.factor)
        self.assertAlmostEqual(found.expanded, 0.2408, places=3)

    def test_a_blank_that_lost_mass_counts(self) -> None:
        self.assertAlmostEqual(factor_of_filter(Filter(0.19, -0.01, 2.0, 0.0, 0.0), 0.1).factor, 1.0)
        self.assertEqual(factor_of_filter(Filter(0.19, -0.01, 2.0, 0.0, 0.0), 0.1).expanded, 0.0)

    def test_what_makes_no_factor_is_said(self) -> None:
        for words, loaded, reading in (
            ("heavier than the blank", Filter(0.05, 0.05, 1.0), 0.1),
            ("more than 0 m3", Filter(0.2, 0.05, 0.0), 0.1),
            ("read more than 0", Filter(0.2, 0.05, 1.0), 0.0),
            ("has to be given", Filter(math.nan, 0.05, 1.0), 0.1),
            ("never below 0", Filter(0.2, 0.05, 1.0, -0.01), 0.1),
        ):
            with self.subTest(words=words), self.assertRaisesRegex(ValueError, words):
                factor_of_filter(loaded, reading)
