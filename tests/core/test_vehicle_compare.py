"""Laps over distance, running difference, bin tables."""

import math
import unittest

import numpy as np

from kumpel.core.recording import Channel
from kumpel.core.review import Review
from kumpel.core.vehicle.channels import at_times
from kumpel.core.vehicle.compare import bin_table, gate_distances, slow_places
from kumpel.core.vehicle.drive import drive_of
from kumpel.standins.vehicle_signal import Drive, loop, make

TRACK = loop("Practice loop", 1200, 7)


class OverDistance(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.made = make(Drive(TRACK, laps=6, interval_s=0.04, position_noise_m=0.3))
        cls.drive = drive_of(cls.made.recording, Review())
        cls.gates, cls.laps = cls.drive.compared()

    def test_gates_lie_at_thirds(self) -> None:
        for found, true in zip(self.gates, (400, 800, 1200), strict=True):
            self.assertAlmostEqual(found / true, 1.0, delta=0.01)

    def test_distance_rises_and_ends_with_the_lap(self) -> None:
        for lap in self.laps:
            self.assertTrue(np.all(np.diff(lap.distance_m) >= 0))
            ends = lap.time_at(np.array([0.0, *self.gates]))
            np.testing.assert_allclose(ends, [0.0, *lap.lap.splits_s], atol=1e-5)

    def test_slowest_places_repeat_from_lap_to_lap(self) -> None:
        found = slow_places(self.drive.path, self.drive.way, list(self.drive.laps), self.gates)
        per_lap = [[c for c in found if c.lap == n] for n in range(1, 7)]
        self.assertEqual({len(p) for p in per_lap}, {len(per_lap[0])})
        for places in zip(*per_lap, strict=True):
            self.assertLess(np.ptp([c.distance_m for c in places]), 15)

    def test_gates_without_a_lap(self) -> None:
        self.assertEqual(gate_distances([], self.drive.path, self.drive.way), ())


class Channels(unittest.TestCase):
    def test_between_samples_steps_and_gaps(self) -> None:
        slow = Channel("temp", "T", "°C", 1.0, np.array([10.0, 20, np.nan, 40]))
        found = at_times(slow, np.array([0.0, 0.5, 1.0, 1.5, 3.0, 3.5, 4.0, -1.0]))
        np.testing.assert_array_equal(found, [10, 15, 20, np.nan, 40, 40, np.nan, np.nan])
        gear = Channel("gear", "Gear", "", 1.0, np.array([1.0, 2, 3]))
        self.assertEqual(at_times(gear, np.array([0.9, 1.0, 1.9])).tolist(), [1, 2, 2])
        self.assertTrue(np.isnan(at_times(Channel("a", "a", "", 1, np.empty(0)), np.array([0.0]))).all())


class Bins(unittest.TestCase):
    def test_by_hand(self) -> None:
        values = np.array([1.0, 3.0, 5.0, 7.0, 9.0, np.nan, 2.0])
        x = np.array([0.0, 5, 10, 10, 20, 5, 25])
        y = np.array([0.0, 0, 1, 2, 1, 0, 0])
        found = bin_table(values, x, y, np.array([0.0, 10, 20]), np.array([0.0, 1, 2]), fewest=2)
        self.assertEqual(found.count.tolist(), [[2, 0], [0, 3]])  # 20 and 2 lie on the last edges
        np.testing.assert_array_equal(found.mean, [[2, np.nan], [np.nan, 7]])
        np.testing.assert_array_equal(found.lowest, [[1, np.nan], [np.nan, 5]])
        np.testing.assert_array_equal(found.highest, [[3, np.nan], [np.nan, 9]])
        self.assertEqual(found.colours(3, 6), [["below", ""], ["", "above"]])
        few = bin_table(values, x, y, np.array([0.0, 10, 20]), np.array([0.0, 1, 2]), fewest=3)
        self.assertEqual(few.colours(0, 9)[0][0], "few")

    def test_break_points_must_rise(self) -> None:
        for edges in ([0.0], [0.0, 0.0], [1.0, 0.0], [0.0, math.nan]):
            with self.assertRaisesRegex(ValueError, "break points"):
                bin_table(np.ones(3), np.ones(3), np.ones(3), np.array(edges), np.array([0.0, 1]))

    def test_against_the_plain_loop(self) -> None:
        rng = np.random.default_rng(1)
        v, x, y = rng.normal(0, 1, 500), rng.uniform(-1, 11, 500), rng.uniform(-1, 6, 500)
        xe, ye = np.arange(0, 11, 2.0), np.array([0.0, 1, 2.5, 5])
        found = bin_table(v, x, y, xe, ye)
        for i in range(5):
            for j in range(3):
                inside = [
                    c for a, b, c in zip(x, y, v, strict=True) if xe[i] <= a < xe[i + 1] and ye[j] <= b < ye[j + 1]
                ]
                self.assertEqual(found.count[i, j], len(inside))
                if inside:
                    self.assertAlmostEqual(found.mean[i, j], sum(inside) / len(inside))


if __name__ == "__main__":
    unittest.main()
