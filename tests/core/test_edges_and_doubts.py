"""Edges on the grid of the data, runs over a missing sample, what is proven in spite of missing time, doubted values."""

import math
import unittest

import numpy as np

from kumpel.core.assessment import Assessment, Rule, Step, Verdict, event_key
from kumpel.core.oximetry.desaturations import desaturations
from kumpel.core.reckoning import coverage_finding
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review, named
from kumpel.core.runs import runs_over_gaps
from kumpel.core.training.heart import Wearer, time_in_zones, zone_edges
from kumpel.core.vehicle.formulas import parse
from kumpel.kinds.registry import KINDS
from tests.core.test_dust import counting


def reviewed(kind: str, recording: Recording, limits: int = 0, review: Review | None = None) -> Assessment:
    of = KINDS[kind]
    return of.assess(recording, review or Review(), of.limit_sets[limits]).reviewed


def channel(key: str, unit: str, interval_s: float, values: np.ndarray) -> Channel:
    return Channel(key, key, unit, interval_s, np.asarray(values, float))


class Edges(unittest.TestCase):
    def test_a_pause_of_exactly_ten_seconds_is_not_longer(self) -> None:
        # 16.1 - 6.1 is 10.000000000000002 in binary
        self.assertGreater(16.1 - 6.1, 10)
        for first, second, long in ((6.1, 16.1, 0), (6.1, 16.11, 1)):
            at = [*np.arange(1.1, first, 0.5), first, second, *np.arange(second + 0.5, second + 5, 0.5)]
            events = tuple(Event(float(t), "compression", "", {"depth_mm": 55.0}) for t in at)
            found = reviewed("resuscitation", Recording("resuscitation", 0.0, 0, {}, events))
            self.assertEqual(found.figure("long_pauses").value, long)

    def test_two_seconds_between_compressions_are_one_train(self) -> None:
        at = [0.1, 0.6, 1.1, 3.1, 3.6]  # 3.1 - 1.1 is 2.0000000000000004 in other pairs of numbers
        at += [t + 4.3 for t in at]
        events = tuple(Event(t, "compression") for t in at)
        found = reviewed("resuscitation", Recording("resuscitation", 0.0, 0, {}, events))
        self.assertEqual(found.figure("longest_pause").value, 0.0 if 4.4 - 3.6 < 2 else 1)

    def test_zones_at_exactly_55_percent_of_180(self) -> None:
        edges = zone_edges({"zones": {"by": "highest", "edges": [55, 70]}}, Wearer(180.0, 50.0, "m", False))
        self.assertGreater(float(edges[0]), 99.0)  # 99.00000000000001
        self.assertEqual(time_in_zones(np.array([98.0, 99.0, 126.0]), 1.0, edges).tolist(), [1, 1, 1])

    def test_a_reading_two_hours_after_waking_is_not_in_the_window(self) -> None:
        start = 1_795_000_000.1  # a start that binary cannot hold
        rows = "time;sys;dia\n"
        kind = KINDS["blood_pressure"]
        from datetime import UTC, datetime, timedelta

        begin = datetime(2026, 11, 18, 12, 0, 0, 100_000, tzinfo=UTC)
        for i in range(49):
            rows += f"{(begin + timedelta(minutes=30 * i)).isoformat()};{120 + i};80\n"
        from kumpel.formats import csv_file

        made = csv_file.read(rows.encode(), "blood_pressure", kind.channels, None, kind.readings)
        self.assertEqual([e.at_s for e in made.events], [1800.0 * i for i in range(49)])
        self.assertLess(start, made.start)

    def test_coverage_at_its_edge_in_tenths(self) -> None:
        self.assertEqual(coverage_finding(sum([0.1] * 75), 10.0, 0.75), [])


class Runs(unittest.TestCase):
    def test_one_missing_sample_does_not_part_a_run(self) -> None:
        flags = np.array([1, 1, 0, 1, 0, 0, 1, 0, 1], bool)
        missing = np.array([0, 0, 1, 0, 1, 1, 0, 0, 0], bool)
        self.assertEqual(runs_over_gaps(flags, missing).tolist(), [[0, 4], [6, 7], [8, 9]])
        self.assertEqual(runs_over_gaps(flags, missing, None).tolist(), [[0, 7], [8, 9]])

    def test_alarms_of_gas(self) -> None:
        co = np.full(600, 5.0)
        co[100:120] = 60.0
        co[110] = np.nan
        setup = {"run_length_min": 10, "sensors": [{"gas": "co"}]}
        made = Recording("gas", 0.0, 0, {"co.avg": channel("co.avg", "ppm", 1.0, co)}, (), setup)
        found = reviewed("gas", made)
        self.assertEqual(found.figure("co.alarms").value, 1)
        spans = [(e.at_s, e.end_s) for e in found.events if e.code == "co.low"]
        self.assertEqual(spans, [(100, 120)])

    def test_exceedances_of_dust(self) -> None:
        mass = np.full(1440, 0.005)
        for at in (100, 500):
            mass[at : at + 20] = 0.2
        mass[110] = mass[505] = np.nan
        made = Recording("dust", 0.0, 0, {"mass": channel("mass", "mg/m3", 60.0, mass)}, (), {"fraction": "PM2.5"})
        house = counting(KINDS["dust"].limit_sets[1], 0.015, "PM2.5")
        found = KINDS["dust"].assess(made, Review(), house).reviewed
        self.assertEqual(found.figure("stretches_24h").value, 2)
        self.assertIs({j.figure: j.verdict for j in found.judgements}["stretches_24h"], Verdict.WITHIN)


class Proven(unittest.TestCase):
    """What is proven stands, with "at least"; what missing time could lower is not assessable."""

    def test_gas_from_two_of_eight_hours(self) -> None:
        # 2 h at 100 ppm CO: at least 100 x 2/8 = 25 ppm over 8 h
        setup = {"run_length_min": 480, "sensors": [{"gas": "co"}]}
        made = Recording("gas", 0.0, 0, {"co.avg": channel("co.avg", "ppm", 60.0, np.full(120, 99.0))}, (), setup)
        found = reviewed("gas", made)
        [twa] = [j for j in found.judgements if j.figure == "co.twa_shift"]
        self.assertIs(twa.verdict, Verdict.ABOVE)
        self.assertAlmostEqual(twa.at_least or 0, 24.8, delta=0.06)
        self.assertIn("at least", twa.words)
        self.assertIn("from 2:00 of 8:00 h", twa.words)
        [short] = [j for j in found.judgements if j.figure == "co.stel"]
        self.assertIs(short.verdict, Verdict.NOT_ASSESSABLE)  # 99 of 100: the rest may have been worse

    def test_oxygen_is_at_most(self) -> None:
        o2 = np.full(120, 20.9)
        o2[50] = 17.0
        setup = {"run_length_min": 480, "sensors": [{"gas": "o2"}]}
        made = Recording("gas", 0.0, 0, {"o2.avg": channel("o2.avg", "vol %", 60.0, o2)}, (), setup)
        [low] = [j for j in reviewed("gas", made).judgements if j.figure == "o2.lowest"]
        self.assertIs(low.verdict, Verdict.ABOVE)
        self.assertTrue(low.words.startswith("at most 17.0 vol %, from 2:00 of 8:00 h"), low.words)

    def test_exceedances_of_dust_stand_its_mean_does_not(self) -> None:
        mass = np.full(1440, np.nan)
        mass[:300] = 0.05
        for at in (50, 120, 200):
            mass[at : at + 5] = 0.001
        made = Recording("dust", 0.0, 0, {"mass": channel("mass", "mg/m3", 60.0, mass)}, (), {"fraction": "PM2.5"})
        house = counting(KINDS["dust"].limit_sets[1], 0.015, "PM2.5")
        by = {j.figure: j for j in KINDS["dust"].assess(made, Review(), house).reviewed.judgements}
        self.assertIs(by["stretches_24h"].verdict, Verdict.ACTION)
        self.assertIn("at least 4", by["stretches_24h"].words)
        self.assertIs(by["mean_24h"].verdict, Verdict.NOT_ASSESSABLE)

    def test_extremes_of_a_vehicle_and_a_runner(self) -> None:
        water = np.full(1000, np.nan)
        water[:200] = 90.0
        speed = channel("speed", "m/s", 1.0, np.full(1000, 10.0))

        def verdict(top: float) -> tuple[Verdict, str]:
            values = water.copy()
            values[10] = top
            made = Recording(
                "vehicle", 0.0, 0, {"speed": speed, "water_temp": channel("water_temp", "°C", 1.0, values)}
            )
            [found] = [j for j in reviewed("vehicle", made).judgements if j.figure == "max.water_temp"]
            return found.verdict, found.words

        self.assertIs(verdict(90)[0], Verdict.NOT_ASSESSABLE)
        self.assertIs(verdict(112)[0], Verdict.ABOVE)
        self.assertIn("limit 110 not assessable", verdict(100)[1])
        for rate, wanted in ((150.0, Verdict.NOT_ASSESSABLE), (189.0, Verdict.ACTION)):
            heart = np.full(1000, np.nan)
            heart[:100] = rate
            made = Recording(
                "training",
                0.0,
                0,
                {"speed": speed, "heart_rate": channel("heart_rate", "bpm", 1.0, heart)},
                (),
                {"heart_rate_highest": 188},
            )
            self.assertIs(reviewed("training", made).verdict, wanted)

    def test_means_are_never_proven(self) -> None:
        for kind in KINDS.values():
            for limits in kind.limit_sets:
                for rule in limits.rules:
                    if any(w in rule.figure for w in ("mean", "index", "odi", "t90", "fraction")):
                        self.assertNotIn("alone", rule.parameters)
        rule = Rule("x", "X", "", (Step(1, Verdict.ACTION, "a"),))
        self.assertFalse(rule.steps[0].reached_by(math.nan))


class Names(unittest.TestCase):
    def test_a_dropped_event_finds_its_own_when_times_move(self) -> None:
        starts, ends = np.array([10.0, 20.3, 40.0]), np.array([15.0, 25.0, 45.0])
        for key, expected in (
            ("a@20.3", [False, True, False]),
            ("a@20.1", [False, True, False]),  # moved by 0.2 s
            ("a@12.0", [True, False, False]),  # begins earlier than it did
            ("a@26.0", [False, False, False]),  # gone
            ("b@20.3", [False, False, False]),
            ("a@x", [False, False, False]),
            ("a@nan", [False, False, False]),
        ):
            self.assertEqual(named((key,), "a", starts, ends).tolist(), expected, key)
        both = named(("a@20.3", "a@20.2"), "a", np.array([20.3, 20.6]), np.array([20.4, 20.7]))
        self.assertEqual(both.tolist(), [True, True])  # one key an event

    def test_a_dropped_lap_and_fall_stay_dropped(self) -> None:
        beacons = tuple(Event(t, "beacon") for t in (10.04, 50.04, 90.04))
        speed = channel("speed", "m/s", 1.0, np.full(120, 10.0))
        made = Recording("vehicle", 0.0, 0, {"speed": speed}, beacons)
        for key in ("lap@10.0", "lap@10.2", "lap@9.8"):
            found = reviewed("vehicle", made, review=Review(dropped=(key,)))
            self.assertEqual(found.figure("laps").value, 1)


class Doubts(unittest.TestCase):
    def test_also_four_points_of_a_sloping_fall(self) -> None:
        # from 96 down to 89 over 40 s: three points are reached before four
        spo2 = np.full(1200, 96.0)
        spo2[300:340] = np.linspace(96, 89, 40)
        spo2[340:380] = 89.0
        self.assertNotEqual(desaturations(spo2, 1.0, 3)[0].start_s, desaturations(spo2, 1.0, 4)[0].start_s)
        made = Recording("oximetry", 0.0, 0, {"spo2": channel("spo2", "%", 1.0, np.tile(spo2, 13))})
        found = reviewed("oximetry", made)
        three = [e for e in found.events if e.code == "desaturation3"]
        self.assertEqual({e.numbers["also 4 points"] for e in three}, {"yes"})
        self.assertEqual(len(three), 13)
        self.assertTrue(all(event_key(e.code, e.at_s) == e.key for e in three))

    def test_values_of_a_vehicle_that_nobody_measured(self) -> None:
        for key, unit, usual, wrong in (
            ("heart_rate", "bpm", 150, 400),
            ("lateral_g", "g", 1.5, 90),
            ("rpm", "rpm", 9000, 900_000),
            ("water_temp", "°C", 80, 5000),
            ("mixture", "", 0.95, 14.7),
        ):
            values = np.full(600, float(usual))
            values[300] = wrong
            made = Recording(
                "vehicle",
                0.0,
                0,
                {"speed": channel("speed", "m/s", 1.0, np.full(600, 10.0)), key: channel(key, unit, 1.0, values)},
            )
            found = reviewed("vehicle", made)
            with self.subTest(key=key):
                self.assertEqual(found.figure(f"max.{key}").value, usual)
                self.assertIn(f"implausible.{key}", [f.code for f in found.quality.findings])
                self.assertIsNot(found.verdict, Verdict.ABOVE)

    def test_speed_of_a_runner(self) -> None:
        speed = np.full(600, 3.0)
        speed[100:103] = 900.0
        made = Recording(
            "training", 0.0, 0, {"speed": channel("speed", "m/s", 1.0, speed)}, (), {"speed_source": "foot pod"}
        )
        found = reviewed("training", made)
        self.assertAlmostEqual(found.figure("distance").value, 597 * 3 / 1000)
        self.assertEqual(found.figure("speed_max").stated, 10.8)
        self.assertIn("implausible-speed", [f.code for f in found.quality.findings])

    def test_delay_refuses_what_is_no_delay(self) -> None:
        channels = {"x": channel("x", "", 0.1, np.arange(50.0))}
        with self.assertRaisesRegex(ValueError, "between 0 and 3600"):
            parse("delay(x, -1)").evaluate(channels, "d", "D", "")
        with self.assertRaisesRegex(ValueError, "one number"):
            parse("delay(x, x)").evaluate(channels, "d", "D", "")
        self.assertEqual(parse("delay(x, 0.04)").evaluate(channels, "d", "D", "").values[3], 3)


if __name__ == "__main__":
    unittest.main()
