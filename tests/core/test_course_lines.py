"""Lines of a course moved along it: on a circle and a straight line in closed form."""

from __future__ import annotations

import math
import unittest

import numpy as np

from kumpel.core.geo import plane_of
from kumpel.core.vehicle.course_lines import drawn, moved
from kumpel.core.vehicle.courses import Course, course_of_line, learn_course

NORTH_M, EAST_M = 111_252.0, 69_250.0
"""m a degree at 51.6 N, to a per mille."""


def circle(radius_m: float = 100.0) -> Course:
    """Driven clockwise from the north: 628 m round."""
    a = np.radians(np.arange(0, 361, 2.0))
    return learn_course("Ring", 51.6 + radius_m * np.cos(a) / NORTH_M, 12.1 + radius_m * np.sin(a) / EAST_M)


def straight() -> Course:
    """400 m due east."""
    x = np.arange(0.0, 401.0, 4.0)
    return course_of_line("Ramp", np.full(len(x), 51.6), 12.1 + x / EAST_M)


def place(course: Course, lat: float, lon: float) -> tuple[float, float]:
    x, y = plane_of(course.lat, course.lon).xy(np.array([lat]), np.array([lon]))
    return float(x[0]), float(y[0])


class Moved(unittest.TestCase):
    def test_a_quarter_round_the_start_lies_in_the_east_and_is_driven_southwards(self) -> None:
        ring = circle()
        found = drawn(ring)
        assert found is not None
        self.assertAlmostEqual(found.length_m, 2 * math.pi * 100, delta=2)
        self.assertEqual(found.at_m[0], 0.0)
        quarter = found.length_m / 4
        made = moved(ring, [quarter, 2 * quarter, 3 * quarter], 12.0)
        self.assertAlmostEqual(made.start.bearing_deg, 180, delta=2)
        self.assertEqual([g.half_width_m for g in made.gates], [12.0] * 3)
        self.assertAlmostEqual(made.start.lon, 12.1 + 100 / EAST_M, delta=2 / EAST_M)
        again = drawn(made)
        assert again is not None
        # The start comes first now, the others a quarter and half a round behind it.
        for at, wanted in zip(again.at_m, (0.0, quarter, 2 * quarter), strict=True):
            self.assertAlmostEqual(at, wanted, delta=2.0)
        self.assertAlmostEqual(again.length_m, found.length_m, delta=2)

    def test_the_start_may_move_back_past_the_first_point(self) -> None:
        ring = circle()
        found = drawn(ring)
        assert found is not None
        made = moved(ring, [-50.0, found.at_m[1], found.at_m[2]], 15.0)
        again = drawn(made)
        assert again is not None
        self.assertAlmostEqual(again.at_m[1], found.at_m[1] + 50, delta=2)

    def test_an_open_course_keeps_its_points_and_its_ends(self) -> None:
        ramp = straight()
        made = moved(ramp, [50.0, 210.0, 380.0], 8.0)
        assert made.finish is not None
        ends = [place(made, g.lat, g.lon)[0] for g in made.gates]
        self.assertAlmostEqual(ends[1] - ends[0], 160, delta=1)
        self.assertAlmostEqual(ends[2] - ends[0], 330, delta=1)
        self.assertAlmostEqual(made.finish.bearing_deg, 90, delta=0.5)
        self.assertAlmostEqual(made.length_m, ramp.length_m, delta=6)

    def test_what_cannot_be(self) -> None:
        ring, ramp = circle(), straight()
        for course, at, half, why in (
            (ring, [0.0, 5.0], 15.0, "10 m apart"),
            (ring, [0.0, 300.0, 200.0], 15.0, "driving order"),
            (ring, [], 15.0, "start line"),
            (ring, [0.0, math.nan], 15.0, "start line"),
            (ring, [0.0, 200.0], 0.5, "2 to 100 m"),
            (ramp, [0.0], 15.0, "finish"),
            (ramp, [0.0, 900.0], 15.0, "from 0 to"),
            (ramp, [300.0, 100.0], 15.0, "driving order"),
            (Course("bare", ring.start), [0.0], 15.0, "no points"),
        ):
            with self.subTest(why, at=at), self.assertRaisesRegex(ValueError, why):
                moved(course, at, half)


if __name__ == "__main__":
    unittest.main()
