"""Gears from speed and engine speed, against drives whose gears are known."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.vehicle.channels import at_times
from kumpel.core.vehicle.gears import gear_channel, gears_of, ratios_of
from kumpel.standins.lap_driver import drive, recorded
from kumpel.standins.vehicle_signal import CAR, KART, practice_loop


class Ratios(unittest.TestCase):
    def test_three_gears_a_shift_and_a_stand(self) -> None:
        """400, 250 and 160 rpm for each m/s: at 10 m/s the first turns 4000, at 20 m/s the third 3200."""
        rng = np.random.default_rng(1)
        parts = []
        for ratio, low, high in ((400, 5, 15), (250, 12, 24), (160, 20, 35)):
            speed = np.linspace(low, high, 400) + rng.normal(0, 0.1, 400)
            parts.append((speed, ratio * speed * (1 + rng.normal(0, 0.004, 400))))
        speed, rpm = (np.concatenate([each[i] for each in parts]) for i in (0, 1))
        ratios = ratios_of(rpm, speed, 0.1)
        np.testing.assert_allclose(ratios, [400, 250, 160], rtol=0.01)
        self.assertEqual(gears_of(np.array([4000.0]), np.array([10.0]), ratios).tolist(), [1.0])
        self.assertEqual(gears_of(np.array([3200.0]), np.array([20.0]), ratios).tolist(), [3.0])
        # Between the second and the third: a shift. Standing, and without a speed: not known.
        between = gears_of(np.array([4000.0, 900.0, 3000.0]), np.array([20.0, 0.0, np.nan]), ratios)
        self.assertTrue(np.isnan(between).all())

    def test_what_slips_is_no_gear(self) -> None:
        """Two gears, and a clutch that slips evenly from one ratio to the other for a fifth of the time."""
        rng = np.random.default_rng(2)
        speed = rng.uniform(8, 25, 3000)
        ratio = np.concatenate([np.full(1200, 300.0), np.full(1200, 200.0), np.linspace(300, 200, 600)])
        found = ratios_of(ratio * speed * (1 + rng.normal(0, 0.003, 3000)), speed, 0.1)
        np.testing.assert_allclose(found, [300, 200], rtol=0.01)

    def test_nothing_driven_has_none(self) -> None:
        self.assertEqual(len(ratios_of(np.full(100, 1500.0), np.zeros(100), 0.1)), 0)
        self.assertEqual(len(ratios_of(np.empty(0), np.empty(0), 0.1)), 0)
        self.assertTrue(np.isnan(gears_of(np.full(3, 1500.0), np.full(3, 10.0), np.empty(0))).all())


class Channels(unittest.TestCase):
    def test_as_the_box_itself_says(self) -> None:
        rng = np.random.default_rng(4)
        made = recorded(drive(practice_loop(), CAR, 6, (), 0.03, rng), rng).recording
        told = made.channels["gear"]
        found = gear_channel(replace(made, channels={k: c for k, c in made.channels.items() if k != "gear"}))
        assert found is not None
        at = np.arange(found.count) * found.interval_s
        box, mine = at_times(told, at), found.values
        both = ~np.isnan(box) & ~np.isnan(mine)
        driven = np.unique(box[both])
        # Of the gears of the car those that were driven, counted from the lowest of them.
        numbered = np.searchsorted(driven, box[both]) + 1.0
        self.assertGreater(len(driven), 2)
        self.assertGreater(float(np.mean(numbered == mine[both])), 0.98)
        self.assertGreater(float(np.mean(both)), 0.9)

    def test_one_gear_is_no_channel_and_a_recorded_one_stays(self) -> None:
        rng = np.random.default_rng(4)
        kart = recorded(drive(practice_loop(), KART, 4, (), 0.03, rng), rng).recording
        bare = replace(kart, channels={k: c for k, c in kart.channels.items() if k != "gear"})
        self.assertIsNone(gear_channel(bare))
        self.assertIsNone(gear_channel(replace(kart, channels=kart.channels | {"gear": kart.channels["rpm"]})))
        self.assertIsNone(gear_channel(replace(bare, channels={"speed": bare.channels["speed"]})))


if __name__ == "__main__":
    unittest.main()
