"""What is printed is what is compared; times on the grid of samples; how long a recording is."""

import math
import unittest

import numpy as np

from kumpel.core.assessment import Rule, Step, Verdict, judge
from kumpel.core.reckoning import Reckoning, short_of
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.rounding import shown, stated
from kumpel.core.timebase import grid_places
from kumpel.core.vehicle.channels import at_times


class Halves(unittest.TestCase):
    def test_away_from_zero_on_the_shortest_form(self) -> None:
        for value, decimals, words in (
            (134.5, 0, "135"),
            (119.5, 0, "120"),
            (2.5, 0, "3"),
            (-2.5, 0, "-3"),
            (0.5, 0, "1"),
            (-0.4, 0, "0"),
            (-0.0, 1, "0.0"),
            (1.005, 2, "1.01"),  # binary 1.00499999999999989
            (2.675, 2, "2.68"),
            (84.95, 1, "85.0"),
            (84.949999, 1, "84.9"),
            (1e22, 0, "1" + 22 * "0"),
            (1e-9, 3, "0.000"),
        ):
            with self.subTest(value=value):
                self.assertEqual(shown(value, decimals), words)
                self.assertEqual(stated(value, decimals), float(words))
        self.assertEqual(shown(0.51, 2, "+"), "+0.51")
        self.assertTrue(math.isnan(stated(math.nan, 1)))
        self.assertEqual(stated(-math.inf, 1), -math.inf)

    def test_within_means_below_what_is_printed(self) -> None:
        # 134.5 is printed as 135, which is the limit: reached; 119.5 as 120.
        for value, limit, decimals in ((134.5, 135, 0), (119.5, 120, 0), (84.95, 85, 1)):
            rule = Rule("x", "X", "", (Step(limit, Verdict.ABOVE, "limit"),))
            reckoning = Reckoning(1.0)
            reckoning.put("x", "X", value, "", decimals, "x", "y")
            self.assertIs(judge(rule, reckoning.figures["x"]).verdict, Verdict.ABOVE, value)

    def test_the_leading_rule_counts_the_steps_of_what_is_stated(self) -> None:
        """79.96 and 84.96 are stated as 80.0 and 85.0: the second has reached two steps and leads."""
        steps = (Step(80, Verdict.ACTION, "lower"), Step(85, Verdict.ACTION, "upper"))
        one, two = Rule("a", "A", "dB", steps), Rule("b", "B", "dB", steps)
        reckoning = Reckoning(1.0)
        reckoning.put("a", "A", 84.5, "dB", 1, "x", "y")
        reckoning.put("b", "B", 84.96, "dB", 1, "x", "y")
        judged = [judge(one, reckoning.figures["a"]), judge(two, reckoning.figures["b"])]
        self.assertEqual([j.severity[1] for j in judged], [1, 2])

    def test_a_share_below_its_minimum_shows_that_it_is(self) -> None:
        self.assertEqual(short_of(0.7496, 0.75), "74.96")
        self.assertEqual(short_of(0.5, 0.75), "50")
        self.assertEqual(short_of(0.7451, 0.75), "74.5")


class Grid(unittest.TestCase):
    def test_times_of_samples_are_samples(self) -> None:
        for interval in (0.04, 0.1, 0.01, 1 / 3, 0.001, 0.005):
            index = np.arange(100_000)
            first, part = grid_places(index * interval, interval)
            np.testing.assert_array_equal(first, index)
            self.assertEqual(float(np.abs(part).max()), 0.0)
        first, part = grid_places(np.array([7 * 0.04, 0.06, 0.0399]), 0.04)
        self.assertEqual(first.tolist(), [7, 1, 0])
        np.testing.assert_allclose(part, [0, 0.5, 0.9975])

    def test_a_reading_beside_a_missing_one_stays(self) -> None:
        # 7 x 0.04 / 0.04 = 7.000000000000001
        values = np.arange(20.0)
        values[8] = math.nan
        channel = Channel("rpm", "Engine speed", "rpm", 0.04, values)
        found = at_times(channel, np.arange(20) * 0.04)
        np.testing.assert_array_equal(found, values)
        self.assertTrue(np.isnan(at_times(channel, np.array([math.nan, 0.3, -0.04, 0.8])))[[0, 1, 2, 3]].all())


class Length(unittest.TestCase):
    def test_of_everything_that_was_recorded(self) -> None:
        hour = Channel("activity.x", "x", "counts", 60.0, np.zeros(60))
        readings = tuple(Event(at, "reading", "", {"systolic": 120}) for at in (0.0, 1800.0, 86_000.0))
        marks = (Event(90_000.0, "check-after"),)
        for channels, events, length in (
            ({}, readings, 86_000.0),
            ({"activity.x": hour}, readings, 86_000.0),
            ({"activity.x": hour}, marks, 3600.0),
            ({"activity.x": hour}, (), 3600.0),
            ({}, marks, 90_000.0),
            ({}, (), 0.0),
        ):
            self.assertEqual(Recording("blood_pressure", 0.0, 0, channels, events).length_s, length)


if __name__ == "__main__":
    unittest.main()
