"""Climbs and pace bands: triangles of known height, the same hill met again, what is no climb, time that adds up."""

from __future__ import annotations

import math
import unittest

import numpy as np

from kumpel.core.assessment import Assessment, Table
from kumpel.core.recording import Channel, Floats, Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.training.assess import assess
from kumpel.core.training.hills import climbs
from kumpel.kinds.limit_sets import shipped
from kumpel.standins import training_signal

LIMITS = shipped("kumpel.kinds.training")[0]
METRE = 1 / 111_194.93
"""Degrees of latitude: 180 / (pi x 6,371,000)."""


def run(along: Floats, height: Floats, heart: float = 150.0) -> Recording:
    """North and back again on one street: `along` in m from its foot, a row a second."""
    values = {
        "lat": 47.0 + along * METRE,
        "lon": np.full(len(along), 13.0),
        "altitude": height,
        "heart_rate": np.full(len(along), heart),
    }
    unit = {"lat": "deg", "lon": "deg", "altitude": "m", "heart_rate": "bpm"}
    return Recording("training", 0.0, 0, {k: Channel(k, k, unit[k], 1.0, v) for k, v in values.items()})


def found(recording: Recording, key: str = "hills", review: Review | None = None) -> Table:
    outcome: Assessment = assess(recording, review or Review(), LIMITS).reviewed
    return next(t for t in outcome.tables if t.key == key)


def repeats(times: int, speed: float = 2.0) -> Floats:
    """Up 400 m at a speed and down again, so often."""
    up = np.arange(0, 400, speed)
    return np.concatenate([np.concatenate((up, 400 - up)) for _ in range(times)])


class Climbs(unittest.TestCase):
    def test_three_times_up_one_street_are_three_times_one_hill(self) -> None:
        """400 m at 8 %: 32 m, of which the middle 96 % are counted; at 2 m/s 576 m climbed an hour."""
        along = repeats(3)
        rows = found(run(along, 500 + 0.08 * along)).rows
        self.assertEqual([row[0] for row in rows], [1.0, 1.0, 1.0])
        for row in rows:
            _, _, _, climb, length, slope, seconds, pace, hourly, heart, *_ = (float(v) for v in row)
            self.assertAlmostEqual(climb, 0.96 * 32, delta=2.0)
            self.assertAlmostEqual(length, 0.96 * 400, delta=25)
            self.assertAlmostEqual(slope, 8.0, delta=0.3)
            self.assertAlmostEqual(seconds, length / 2, delta=1.0)
            self.assertAlmostEqual(pace, 500, delta=5)
            self.assertAlmostEqual(hourly, 3600 * 0.08 * 2, delta=20)
            self.assertAlmostEqual(heart, 150)

    def test_another_street_and_the_other_way_round_are_other_hills(self) -> None:
        along = np.concatenate((repeats(1), np.arange(0, 600, 2.0) + 1000, 1600 - np.arange(0, 600, 2.0)))
        height = np.where(along < 900, 500 + 0.08 * np.minimum(along, 400), 500 + 0.06 * np.abs(along - 1300))
        rows = found(run(along, height)).rows
        self.assertGreaterEqual(len({row[0] for row in rows}), 2)
        self.assertEqual(len({row[0] for row in rows}), len(rows))

    def test_what_is_no_climb(self) -> None:
        at = np.arange(0, 3000, 5.0)
        rng = np.random.default_rng(1)
        for height in (
            np.full(len(at), 300.0),
            300 + rng.normal(0, 3, len(at)),
            300 + 0.02 * at,
            300 + 12 * np.clip(at / 300, 0, 1),
            np.full(len(at), np.nan),
            300 - 0.1 * at,
        ):
            self.assertEqual(climbs(at, height), [])
        self.assertEqual(climbs(np.arange(5.0), np.arange(5.0)), [])
        self.assertEqual(climbs(np.array([0.0, 1e13]), np.array([0.0, 9000.0])), [])

    def test_a_dip_in_a_climb_is_part_of_it_and_noise_does_not_break_it(self) -> None:
        at = np.arange(0, 2000, 5.0)
        height = np.interp(at, [0, 500, 900, 1000, 1500, 2000], [300, 300, 340, 336, 376, 376])
        [one] = climbs(at, height + np.random.default_rng(2).normal(0, 0.8, len(at)))
        self.assertAlmostEqual(one.from_m, 500, delta=50)
        self.assertAlmostEqual(one.to_m, 1500, delta=50)
        self.assertAlmostEqual(one.gain_m, 76, delta=4)
        deep = np.interp(at, [0, 500, 900, 1000, 1500, 2000], [300, 300, 340, 325, 365, 365])
        self.assertEqual(len(climbs(at, deep)), 2)

    def test_without_positions_each_is_its_own_and_what_is_left_out_is_none(self) -> None:
        along = repeats(2)
        made = run(along, 500 + 0.08 * along)
        speed = Channel("speed", "speed", "m/s", 1.0, np.full(len(along), 2.0))
        blind = Recording("training", 0.0, 0, {"speed": speed, "altitude": made.channels["altitude"]})
        self.assertEqual([row[0] for row in found(blind).rows], [1.0, 2.0])
        self.assertTrue(math.isnan(float(found(blind).rows[0][10])))
        out = Review(left_out=(Stretch(0.0, 399.0, "bus"),))
        self.assertEqual(len(found(made, review=out).rows), 1)


class PaceBands(unittest.TestCase):
    def test_time_at_each_pace_and_standing(self) -> None:
        """600 s at 4 m/s (250 s/km), 300 s at 2.5 m/s (400 s/km), 100 s standing."""
        speed = np.concatenate((np.full(600, 4.0), np.full(300, 2.5), np.zeros(100)))
        rows = found(
            Recording("training", 0.0, 0, {"speed": Channel("speed", "s", "m/s", 1.0, speed)}), "pace_bands"
        ).rows
        there = [(row[0], row[2], round(float(row[3]), 1)) for row in rows if float(row[2]) > 0]
        self.assertEqual(there, [(240.0, 600.0, 60.0), (390.0, 300.0, 30.0), (900.0, 100.0, 10.0)])

    def test_they_add_up_to_the_time_with_a_speed(self) -> None:
        made = training_signal.make(training_signal.usual_session(4)).recording
        table = found(made, "pace_bands")
        self.assertAlmostEqual(sum(float(row[3]) for row in table.rows), 100.0)
        self.assertGreater(sum(float(row[2]) for row in table.rows), 0.95 * made.length_s)
