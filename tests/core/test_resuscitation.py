"""A resuscitation case: rate, depth, fraction, pauses by hand; the ECG grid; found against put in."""

import math
import unittest

import numpy as np

from kumpel.core.assessment import Assessment, Verdict
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.resuscitation.assess import assess
from kumpel.core.resuscitation.strip import grid_lines, strips
from kumpel.core.review import Review, Stretch
from kumpel.kinds.limit_sets import shipped
from kumpel.standins import resuscitation_signal
from kumpel.standins.resuscitation_signal import Resuscitation, Train, make

[TARGETS] = shipped("kumpel.kinds.resuscitation")


def case(*times: float, depth: float | None = 55.0, shocks: tuple[float, ...] = (), length: float = 120.0) -> Recording:
    data = {} if depth is None else {"depth_mm": depth}
    events = [Event(t, "compression", "", data) for t in times] + [Event(t, "shock") for t in shocks]
    return Recording("resuscitation", 0.0, 0, {}, (Event(0, "switch-on"), *events, Event(length, "switch-off")))


def reviewed(made: Recording, review: Review | None = None) -> Assessment:
    return assess(made, review or Review(), TARGETS).reviewed


def every(step: float, start: float, count: int) -> list[float]:
    return [start + i * step for i in range(count)]


class Figures(unittest.TestCase):
    def test_rate_and_fraction_by_hand(self) -> None:
        # 21 compressions every 0.5 s (10 s), pause of 15 s, 21 again: 120 a minute; 20 of 35 s in trains
        found = reviewed(case(*every(0.5, 20, 21), *every(0.5, 45, 21)))
        self.assertAlmostEqual(found.figure("rate").value, 120.0)
        self.assertAlmostEqual(found.figure("fraction").value, 100 * 20 / 35)
        self.assertEqual(found.figure("compressions").value, 42)
        self.assertEqual(found.figure("long_pauses").value, 1)
        self.assertAlmostEqual(found.figure("longest_pause").value, 15.0)
        self.assertEqual(found.figure("rate_in_target").value, 100)
        self.assertEqual(found.figure("first_compression").value, 20)

    def test_targets_at_their_edges(self) -> None:
        for step, inside in ((0.5, 100), (0.6, 100), (0.499, 0), (0.601, 0)):
            with self.subTest(step=step):
                self.assertEqual(reviewed(case(*every(step, 1, 30))).figure("rate_in_target").value, inside)
        for depth, inside in ((50, 100), (60, 100), (49.9, 0), (60.1, 0)):
            with self.subTest(depth=depth):
                self.assertEqual(
                    reviewed(case(*every(0.55, 1, 30), depth=depth)).figure("depth_in_target").value, inside
                )

    def test_verdicts_both_ways(self) -> None:
        for step, verdict in ((0.55, Verdict.WITHIN), (0.49, Verdict.ACTION), (0.62, Verdict.ACTION)):
            self.assertIs(reviewed(case(*every(step, 1, 100))).verdict, verdict, step)
        self.assertIs(reviewed(case(*every(0.55, 1, 100), depth=45)).verdict, Verdict.ACTION)
        self.assertIn("lower target 50", reviewed(case(*every(0.55, 1, 100), depth=45)).words)

    def test_ten_seconds_are_not_over_ten(self) -> None:
        self.assertEqual(reviewed(case(1, 1.5, 11.5, 12)).figure("long_pauses").value, 0)
        self.assertEqual(reviewed(case(1, 1.5, 11.6, 12)).figure("long_pauses").value, 1)

    def test_before_and_after_a_shock(self) -> None:
        found = reviewed(case(*every(0.5, 10, 20), *every(0.5, 30, 20), shocks=(23.0, 60.0)))
        # last before 23: 19.5; next: 30. The shock at 60 has the last compression at 39.5 and none after it.
        self.assertAlmostEqual(found.figure("before_shock").value, 20.5)
        self.assertAlmostEqual(found.figure("after_shock").value, 7.0)
        self.assertEqual(found.figure("first_shock").value, 23)
        alone = reviewed(case(shocks=(5.0,)))
        self.assertTrue(math.isnan(alone.figure("before_shock").value))

    def test_pauses_around_shocks_are_told_from_those_without(self) -> None:
        """Trains end at 19.5, 39.5 and 64.5 s; a shock at 23 s lies in the first pause (10.5 s), none in the second (15.5 s)."""
        found = reviewed(case(*every(0.5, 10, 20), *every(0.5, 30, 20), *every(0.5, 55, 20), shocks=(23.0,)))
        for key, value in (("paused", 26.0), ("paused_shock", 10.5), ("paused_else", 15.5)):
            self.assertAlmostEqual(found.figure(key).value, value)
        rows = found.table("pauses").rows
        self.assertEqual([row[2] for row in rows], ["around a shock", "no shock"])
        self.assertEqual(rows[0][3:], (3.5, 7.0))
        self.assertEqual([float(row[6]) for row in found.table("minutes").rows][:1], [15.5])

    def test_per_minute(self) -> None:
        rows = reviewed(case(*every(0.5, 30, 121))).table("minutes").rows
        self.assertEqual([r[1] for r in rows], [60, 61])
        self.assertEqual([round(float(r[5]), 6) for r in rows], [50, 50])
        self.assertEqual(rows[0][2], 120)

    def test_unsorted_and_doubled(self) -> None:
        times = every(0.5, 10, 21)
        found = reviewed(case(*reversed(times), *times))
        self.assertEqual((found.figure("compressions").value, round(found.figure("rate").value, 6)), (21, 120))

    def test_dropped_and_left_out(self) -> None:
        made = case(*every(0.5, 10, 21))
        self.assertEqual(reviewed(made, Review(dropped=("compression@10.0",))).figure("compressions").value, 20)
        self.assertEqual(reviewed(made, Review(left_out=(Stretch(10, 12, "moved"),))).figure("compressions").value, 17)

    def test_nothing_is_not_zero(self) -> None:
        found = reviewed(case())
        for key in ("rate", "depth", "fraction", "longest_pause", "first_shock"):
            self.assertTrue(math.isnan(found.figure(key).value), key)
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        self.assertTrue(math.isnan(reviewed(case(5.0)).figure("rate").value))
        self.assertTrue(math.isnan(reviewed(case(*every(0.5, 1, 9), depth=None)).figure("depth").value))
        with self.assertRaisesRegex(ValueError, "neither"):
            reviewed(Recording("resuscitation", 0.0, 0, {}))

    def test_units(self) -> None:
        found = reviewed(case(*every(0.55, 1, 30), depth=5.5))
        self.assertIs({j.figure: j.verdict for j in found.judgements}["depth"], Verdict.NOT_ASSESSABLE)
        microvolts = Recording(
            "resuscitation",
            0.0,
            0,
            {"ecg": Channel("ecg", "ECG", "mV", 0.004, np.linspace(-900, 900, 2500))},
            (Event(0, "switch-on"),),
        )
        self.assertIn("ecg-unit", [f.code for f in reviewed(microvolts).quality.findings])


class Grid(unittest.TestCase):
    def test_ten_seconds_are_250_mm_and_a_millivolt_is_10(self) -> None:
        ecg = np.zeros(2501)
        ecg[250] = 1.0
        lines = strips(ecg, 0.004, 250)
        self.assertEqual((len(lines), lines[0].start_s, lines[0].end_s), (2, 0.0, 10.0))
        self.assertAlmostEqual(float(lines[0].x_mm[250]), 25.0)
        self.assertAlmostEqual(float(lines[0].y_mm[250]), 10.0)
        self.assertAlmostEqual(float(strips(ecg, 0.004, 250, gain=2, speed=2)[0].x_mm[250]), 50.0)
        fine, coarse, _, _ = grid_lines(250, 40)
        self.assertEqual((len(fine), len(coarse)), (251, 51))
        with self.assertRaises(ValueError):
            strips(ecg, 0.004, 0)
        self.assertEqual(strips(np.empty(0), 0.004, 250), [])


class AgainstTheSignal(unittest.TestCase):
    def test_many_cases(self) -> None:
        for seed in range(30):
            made = make(resuscitation_signal.usual_resuscitation(seed))
            found = reviewed(made.recording)
            for key in ("compressions", "rate", "depth", "fraction"):
                self.assertAlmostEqual(found.figure(key).value, made.truth[key], places=6, msg=f"{seed} {key}")
            self.assertAlmostEqual(found.figure("longest_pause").value, max(made.truth["pauses"]), places=6)
            self.assertEqual(found.figure("shocks").value, len(made.truth["shocks"]))

    def test_pads_off_are_a_gap(self) -> None:
        made = make(Resuscitation(trains=(Train(30, 100),), pads_off_s=((0, 300),)))
        found = reviewed(made.recording)
        self.assertAlmostEqual(found.quality.coverage, 0.5)
        self.assertIn("ecg", [f.code for f in found.quality.findings])


if __name__ == "__main__":
    unittest.main()
