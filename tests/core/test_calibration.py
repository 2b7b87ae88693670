"""What makes a point of a calibration, and what is refused, with the amounts."""

from __future__ import annotations

import math
import unittest

from kumpel.core.vehicle.calibration import WIRE, CaptureError, accepted, level

RIGHT = {"turned right": (3.942, 90.0)}
BOTH = {**RIGHT, "straight ahead": (2.487, 0.0)}


class Points(unittest.TestCase):
    def test_three_positions_one_after_the_other(self) -> None:
        self.assertEqual(accepted(3.942, 0.003, 90.0, {}, WIRE), 3.942)
        self.assertEqual(accepted(2.487, 0.002, 0.0, RIGHT, WIRE), 2.487)
        self.assertEqual(accepted(1.058, 0.004, -90.0, BOTH, WIRE), 1.058)
        # A sensor mounted the other way round rises where this one falls.
        self.assertEqual(accepted(4.0, 0.003, -90.0, {"right": (1.0, 90.0), "straight": (2.5, 0.0)}, WIRE), 4.0)

    def test_refused_with_what_and_how_much(self) -> None:
        cases = {
            "moved.*212 mV.*10 mV": (1.058, 0.212, -90.0, BOTH),
            "turned round": (3.1, 0.003, -90.0, BOTH),
            "only 87 mV from “straight ahead”.*0.30 V": (2.4, 0.003, -90.0, BOTH),
            "0.050 V is under 0.20 V.*wire": (0.05, 0.003, -90.0, BOTH),
            "4.910 V is over 4.80 V.*wire": (4.91, 0.003, -90.0, BOTH),
            "same true value": (1.058, 0.003, 90.0, BOTH),
            "nothing was measured": (math.nan, 0.003, -90.0, BOTH),
        }
        for words, (raw, spread, true, others) in cases.items():
            with self.subTest(words), self.assertRaisesRegex(CaptureError, words):
                accepted(raw, spread, true, others, WIRE)

    def test_the_limits_themselves_are_allowed(self) -> None:
        self.assertEqual(accepted(0.20, 0.010, -90.0, {"middle": (0.50, 0.0)}, WIRE), 0.20)
        with self.assertRaises(CaptureError):
            accepted(0.20, 0.0101, -90.0, {"middle": (0.50, 0.0)}, WIRE)
        with self.assertRaises(CaptureError):
            accepted(0.20, 0.010, -90.0, {"middle": (0.499, 0.0)}, WIRE)

    def test_one_press_on_level_ground(self) -> None:
        self.assertEqual([level("along", 0.031, 0.003, 0.0), level("up", 1.027, 0.003, 1.0)], [0.031, 1.027])
        for words, raw, spread in (
            ("reads \\+0.00 g where \\+1.00 g", 0.0, 0.003),
            ("upwards", -0.98, 0.003),
            ("moved", 1.0, 0.2),
        ):
            with self.subTest(words), self.assertRaisesRegex(CaptureError, words):
                level("up", raw, spread, 1.0)


if __name__ == "__main__":
    unittest.main()
