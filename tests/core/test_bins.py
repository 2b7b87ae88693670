"""One quantity over two others: seconds, cells off target, where on the course; against values that are known."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np

from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.vehicle.bins import Asked, bin_sheet
from kumpel.core.vehicle.fuels import STOICHIOMETRIC
from kumpel.core.vehicle.lap_view import lap_sheet
from kumpel.standins.lap_driver import drive, recorded
from kumpel.standins.vehicle_signal import KART, practice_loop


def steps(*parts: tuple[int, float, float, float]) -> Recording:
    """A session at 10 readings a second: (readings, mixture, engine speed, throttle) each, without positions."""
    count = [n for n, *_ in parts]
    columns = {
        "mixture": ("Mixture ratio", "", [p[1] for p in parts]),
        "rpm": ("Engine speed", "rpm", [p[2] for p in parts]),
        "throttle": ("Throttle", "%", [p[3] for p in parts]),
        "speed": ("Speed", "m/s", [10.0] * len(parts)),
    }
    channels = {k: Channel(k, name, unit, 0.1, np.repeat(v, count)) for k, (name, unit, v) in columns.items()}
    return Recording("vehicle", 1_795_000_000.0, 60, channels)


class Maps(unittest.TestCase):
    """Cells around the points of a map, the mixture by its fuel, and the fuel to add."""

    def test_a_map_of_three_points_has_three_columns(self) -> None:
        """Points 6000, 8000, 12,000: cells 5000 to 7000, 7000 to 10,000, 10,000 to 14,000. 6900 is the first's, 7000 the second's."""
        found = bin_sheet(
            steps((30, 0.9, 6900, 20), (40, 0.9, 7000, 20), (50, 0.9, 14_000, 80), (5, 0.9, 14_001, 80)),
            Review(),
            Asked("mixture", "rpm", "throttle", (6000.0, 8000.0, 12_000.0), (20.0, 80.0), laps="all", around=True),
        )
        self.assertEqual(found.edges, (5000.0, 7000.0, 10_000.0, 14_000.0))
        self.assertEqual((found.points, found.and_points), ((6000.0, 8000.0, 12_000.0), (20.0, 80.0)))
        self.assertEqual(found.count, ((30, 40, 0), (0, 0, 50)))
        self.assertEqual(found.outside, 5)

    def test_fuel_to_add_or_to_take(self) -> None:
        """Target 0.85 to 0.95, its middle 0.90: a mean of 0.99 wants 10 % more, one of 0.855 5 % less; ten readings say nothing."""
        found = bin_sheet(
            steps((40, 0.99, 6000, 20), (40, 0.855, 13_000, 20), (10, 2.0, 13_000, 80)),
            Review(),
            Asked(
                "mixture", "rpm", "throttle", (5000.0, 10_000.0, 14_000.0), (0.0, 50.0, 100.0), (0.85, 0.95), laps="all"
            ),
        )
        self.assertAlmostEqual(found.share[0][0], 10.0)
        self.assertAlmostEqual(found.share[0][1], -5.0)
        self.assertTrue(math.isnan(found.share[1][1]))
        speed = bin_sheet(
            steps((40, 0.9, 6000, 20)), Review(), Asked("speed", "rpm", "throttle", target=(1.0, 2.0), laps="all")
        )
        self.assertEqual(speed.share, (), "no other quantity says how much fuel")

    def test_the_mixture_as_mass_of_air_to_the_fuel(self) -> None:
        """Heywood eq. 3.6: CH3O0.5 34.56 x 6 / 23.035 = 9.00; CH4O 34.56 x 6 / 32.042 = 6.47; CH1.87 34.56 x 5.87 / 13.896 = 14.60.

        E85 by mass: 0.85 x 0.789 = 0.671 of 0.782, so 0.857 x 9.00 + 0.143 x 14.60 = 9.80."""
        for fuel, ratio in (("ethanol", 9.00), ("methanol", 6.47), ("petrol", 14.60), ("E85", 9.80)):
            self.assertAlmostEqual(STOICHIOMETRIC[fuel], ratio, delta=0.006)
        asked = Asked("mixture", "rpm", "throttle", (5000.0, 10_000.0), (0.0, 50.0), laps="all", fuel="12.5")
        found = bin_sheet(steps((40, 0.9, 6000, 20)), Review(), asked)
        self.assertAlmostEqual(found.mean[0][0], 11.25)
        self.assertEqual(found.quantity.unit, "kg/kg")
        for wrong in ("water", "0.5", "nan", "51"):
            with self.assertRaisesRegex(ValueError, "is no fuel known here"):
                bin_sheet(steps((40, 0.9, 6000, 20)), Review(), replace(asked, fuel=wrong))


class Cells(unittest.TestCase):
    ASKED = Asked(
        "mixture", "rpm", "throttle", (5000.0, 10_000.0, 14_000.0), (0.0, 50.0, 100.0), (0.85, 0.95), 20, "all"
    )

    def test_seconds_means_and_what_is_off_by_how_much(self) -> None:
        """100 readings on target, 50 lean by 0.10, 40 rich by 0.05, 10 too few, at 10 a second: 10, 5, 4 and 1 s."""
        found = bin_sheet(
            steps((100, 0.90, 6000, 20), (50, 1.05, 13_000, 90), (40, 0.80, 6000, 90), (10, 1.20, 13_000, 10)),
            Review(),
            self.ASKED,
        )
        self.assertEqual(found.count, ((100, 10), (40, 50)))
        self.assertAlmostEqual(found.mean[1][1], 1.05)
        for value, expected in (
            (found.whole_s, 20.0),
            (found.on_target_s, 10.0),
            (found.above_s, 6.0),  # the lean cell and the few
            (found.below_s, 4.0),
            (found.grey_s, 1.0),
        ):
            self.assertAlmostEqual(value, expected)
        # Seconds times how far off: 5 x 0.10 = 0.5 before 4 x 0.05 = 0.2; the cell of ten readings is none of them.
        self.assertEqual([(o.column, o.row) for o in found.off], [(1, 1), (0, 1)])
        self.assertAlmostEqual(found.off[0].by, 0.10)
        self.assertAlmostEqual(found.off[1].by, -0.05)
        self.assertAlmostEqual(sum(found.spread_s), 20.0)

    def test_readings_of_a_range_are_told_apart_cell_by_cell(self) -> None:
        """Of the same four parts those above 0.95: 50 in one cell, 10 in another, 6 s; above 0.95 and below 10,000 rpm: none."""
        made = steps((100, 0.90, 6000, 20), (50, 1.05, 13_000, 90), (40, 0.80, 6000, 90), (10, 1.20, 13_000, 10))
        self.assertIsNone(bin_sheet(made, Review(), self.ASKED).picked)
        lean = bin_sheet(made, Review(), replace(self.ASKED, pick_value=(0.951, 2.0))).picked
        assert lean is not None
        self.assertEqual(lean.count, ((0, 10), (0, 50)))
        self.assertAlmostEqual(lean.seconds, 6.0)
        # Ends given the other way round are the same range; both ranges have to hold.
        low = bin_sheet(made, Review(), replace(self.ASKED, pick_value=(2.0, 0.951), pick_over=(0.0, 10_000.0))).picked
        assert low is not None
        self.assertEqual((low.count, low.seconds), (((0, 0), (0, 0)), 0.0))
        slow = bin_sheet(made, Review(), replace(self.ASKED, pick_over=(0.0, 10_000.0))).picked
        assert slow is not None
        self.assertEqual(slow.count, ((100, 0), (40, 0)))
        # Beyond the break points there is no cell, but time.
        beyond = bin_sheet(steps((30, 0.9, 20_000, 20)), Review(), replace(self.ASKED, pick_value=(0.8, 1.0))).picked
        assert beyond is not None
        self.assertEqual((sum(map(sum, beyond.count)), beyond.seconds), (0, 3.0))

    def test_missing_values_those_outside_and_those_left_out_are_counted_apart(self) -> None:
        made = steps((60, 0.90, 6000, 20), (30, math.nan, 6000, 20), (10, 0.90, 20_000, 20), (50, 0.99, 6000, 20))
        found = bin_sheet(made, Review(), self.ASKED)
        self.assertEqual((found.without_value, found.outside, found.count[0][0]), (30, 10, 110))
        less = bin_sheet(made, Review(left_out=(Stretch(10.0, 15.0, "fault"),)), self.ASKED)
        self.assertEqual((less.count[0][0], less.without_value), (60, 30))

    def test_what_no_sensor_can_measure_is_without_a_value(self) -> None:
        found = bin_sheet(
            steps((40, 0.90, 6000, 20), (10, math.inf, 6000, 20), (5, 0.9, -math.inf, 20)), Review(), self.ASKED
        )
        self.assertEqual((found.count[0][0], found.without_value), (40, 15))
        self.assertTrue(all(math.isfinite(v) for dot in found.dots for v in dot))

    def test_a_released_pedal_that_reads_below_nothing_counts_as_released(self) -> None:
        found = bin_sheet(steps((50, 0.9, 6000, -1.5)), Review(), self.ASKED)
        self.assertEqual((found.count[0][0], found.outside), (50, 0))

    def test_without_a_target_nothing_is_off_and_speeds_are_in_km_per_h(self) -> None:
        made = steps((100, 0.90, 6000, 20))
        found = bin_sheet(made, Review(), Asked("speed", "rpm", "throttle", laps="all"))
        self.assertEqual((found.off, found.low, found.quantity.unit), ((), None, "km/h"))
        self.assertAlmostEqual(max(v for row in found.mean for v in row if not math.isnan(v)), 36.0)
        for edges in (found.edges, found.and_edges):
            self.assertTrue(all(b > a for a, b in pairwise(edges)))

    def test_what_cannot_be_asked_is_refused_in_words(self) -> None:
        made = steps((100, 0.90, 6000, 20))
        for asked, error, words in (
            (Asked("oil", "rpm", "throttle"), LookupError, "no channel “oil”"),
            (Asked("mixture", "rpm", "throttle", (3.0, 3.0, 4.0), laps="all"), ValueError, "must rise"),
            (Asked("mixture", "rpm", "throttle", tuple(range(60)), laps="all"), ValueError, "more than 40"),
            (Asked("mixture", "rpm", "throttle", target=(0.9, 0.8), laps="all"), ValueError, "target must rise"),
            (Asked("mixture", "rpm", "throttle", laps="7"), LookupError, "no lap 7"),
        ):
            with self.subTest(words), self.assertRaisesRegex(error, words):
                bin_sheet(made, Review(), asked)


class Places(unittest.TestCase):
    def test_where_on_the_course_a_cell_was_driven(self) -> None:
        """The engine turns beyond 13,000 only at the end of the longest straights: the one to corner 1 and that to corner 7."""
        rng = np.random.default_rng(4)
        made = recorded(drive(practice_loop(), KART, 5, (), 0.02, rng), rng).recording
        asked = Asked("mixture", "rpm", "throttle", (4000.0, 13_000.0, 15_000.0), (0.0, 90.0, 101.0), (0.8, 0.95))
        found = bin_sheet(made, Review(), asked)
        course = lap_sheet(made, Review()).course
        assert course is not None
        corners = course.corners
        lean = found.off[0]
        self.assertEqual((lean.column, lean.row), (1, 1))
        self.assertIn(lean.where, ("before corner 1", "before corner 7"))
        self.assertGreater(lean.by, 0)
        corner = int(lean.where.split()[-1])
        apex_m = corners[corner - 1].apex_m
        self.assertTrue(apex_m - 120 < lean.from_m < lean.to_m < apex_m, (lean.from_m, lean.to_m, apex_m))
        counted = bin_sheet(made, Review(), Asked("mixture", "rpm", "throttle", laps="counted"))
        one = bin_sheet(made, Review(), Asked("mixture", "rpm", "throttle", laps="2"))
        self.assertAlmostEqual(counted.whole_s / one.whole_s, 5, delta=0.2)
