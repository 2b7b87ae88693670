"""Laps by directed lines: straight lines by hand, the simulator's truth, noise, gaps, other direction, courses."""

import math
import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.assessment import Assessment, Verdict
from kumpel.core.geo import Plane
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.vehicle.assess import assess
from kumpel.core.vehicle.courses import Course, Gate, course_data, course_from, learn_course, recognise, turned
from kumpel.core.vehicle.drive import drive_of
from kumpel.core.vehicle.laps import Lap, Path, bests, crossings, laps_from_beacons, laps_on, path_of, slow_laps, spread
from kumpel.kinds.limit_sets import shipped
from kumpel.standins import vehicle_signal
from kumpel.standins.vehicle_signal import CAR, YARD, Drive, loop, make, ramp
from tests.core.driven import course_of

[LIMITS] = shipped("kumpel.kinds.vehicle")
PLANE = Plane(47.6, 13.8)
LOOP = loop("Practice loop", 1200, 7)


def path(x: np.ndarray, y: np.ndarray, dt: float = 0.1, speed: np.ndarray | None = None) -> Path:
    lat, lon = PLANE.lat_lon(np.asarray(x, float), np.asarray(y, float))
    return path_of(lat, lon, dt, speed)


def gate(x: float, y: float, bearing: float = 90.0, half: float = 15.0) -> Gate:
    lat, lon = PLANE.lat_lon(np.array([x]), np.array([y]))
    return Gate(float(lat[0]), float(lon[0]), bearing, half)


def reviewed(recording: Recording, review: Review | None = None) -> Assessment:
    return assess(recording, review or Review(), LIMITS).reviewed


class Crossings(unittest.TestCase):
    def test_between_two_samples(self) -> None:
        # 20 m/s east, 10 Hz, from -33 m: the line at 0 is crossed after 1.65 s
        x = -33 + 2.0 * np.arange(60)
        [found] = crossings(path(x, np.zeros(60)), gate(0, 0))
        self.assertAlmostEqual(found.at_s, 1.65, places=4)
        [found] = crossings(path(x, np.zeros(60), speed=np.full(60, 20.0)), gate(0, 0))
        self.assertAlmostEqual(found.at_s, 1.65, places=4)

    def test_direction_and_width(self) -> None:
        x = -33 + 2.0 * np.arange(60)
        self.assertEqual(crossings(path(x[::-1], np.zeros(60)), gate(0, 0)), [])
        self.assertEqual(len(crossings(path(x[::-1], np.zeros(60)), gate(0, 0, 270))), 1)
        for side, seen in ((14.9, 1), (15.1, 0), (-14.9, 1), (-15.1, 0)):
            self.assertEqual(len(crossings(path(x, np.full(60, side)), gate(0, 0))), seen, side)

    def test_braking_over_the_line(self) -> None:
        # x = 30 t - 3 t2 - 40: crossed where 3 t2 - 30 t + 40 = 0, t = (30 - sqrt(420))/6
        t = np.arange(50) * 0.1
        [found] = crossings(path(30 * t - 3 * t * t - 40, np.zeros(50), speed=30 - 6 * t), gate(0, 0))
        self.assertAlmostEqual(found.at_s, (30 - math.sqrt(420)) / 6, places=3)

    def test_standing_and_trembling_on_the_line_counts_once(self) -> None:
        rng = np.random.default_rng(1)
        x = np.concatenate([np.linspace(-60, 0, 60), np.zeros(600), np.linspace(0, 60, 60)])
        found = crossings(path(x + rng.normal(0, 0.5, len(x)), rng.normal(0, 0.5, len(x))), gate(0, 0))
        self.assertLessEqual(len(found), 14)  # at most one in 5 s ..
        still = np.zeros(600)
        noisy = path(still + rng.normal(0, 0.5, 600), rng.normal(0, 0.5, 600))
        self.assertEqual(
            [c for c in crossings(noisy, gate(0, 0)) if c.at_s > 5 and c.at_s < 55], []
        )  # .. and none without passing

    def test_a_gap_at_the_line(self) -> None:
        t = np.arange(200) * 0.1
        x, speed = 15 * t - 100, np.full(200, 15.0)
        for first, end, seen, estimated in ((60, 75, 1, True), (66, 67, 1, False), (10, 115, 0, False)):
            lost = x.copy()
            lost[first:end] = np.nan
            found = crossings(path(lost, np.zeros(200), speed=speed), gate(0, 0))
            self.assertEqual(len(found), seen)
            if seen:
                self.assertAlmostEqual(found[0].at_s, 100 / 15, places=3)
                self.assertEqual(found[0].estimated, estimated)

    def test_a_gap_with_braking_uses_the_speed(self) -> None:
        t = np.arange(200) * 0.1
        speed = np.where(t < 8, 20.0, 5.0)
        x = np.concatenate(([0.0], np.cumsum((speed[1:] + speed[:-1]) / 2 * 0.1))) - 150  # crossed after 7.5 s
        lost = x.copy()
        lost[60:110] = np.nan
        self.assertAlmostEqual(crossings(path(lost, np.zeros(200), speed=speed), gate(0, 0))[0].at_s, 7.5, places=2)
        self.assertGreater(abs(crossings(path(lost, np.zeros(200)), gate(0, 0))[0].at_s - 7.5), 0.4)

    def test_nothing_to_cross(self) -> None:
        for n in (0, 1, 2):
            self.assertEqual(crossings(path(np.zeros(n), np.zeros(n)), gate(0, 0)), [])
        self.assertEqual(crossings(path(np.full(50, np.nan), np.zeros(50)), gate(0, 0)), [])


class Bests(unittest.TestCase):
    def lap(self, number: int, start: float, *splits: float, counts: bool = True) -> Lap:
        return Lap(number, "timed", start, start + splits[-1], splits, counts)

    def test_theoretical_rolling_and_spread(self) -> None:
        # sectors 10 11 12 (33), 11 10 12 (33), 12 12 10 (34)
        laps = [self.lap(1, 0, 10, 21, 33), self.lap(2, 33, 11, 21, 33), self.lap(3, 66, 12, 24, 34)]
        found = bests(laps)
        self.assertEqual(found.best.number if found.best else 0, 1)
        self.assertEqual(found.sectors_s, (10, 10, 10))
        self.assertEqual(found.theoretical_s, 30)
        # rounds from line to line: lap 1 from sector 1: 33 - 10 + 11 = 34; sector 2: 33 - 21 + 21 = 33; lap 2: 33 - 21 + 24 = 36
        self.assertEqual(found.rolling_s, 33)
        # differences 0 1 1; n = 3: h = 2, k = 1: the smallest
        self.assertEqual(found.spread_s, 0)
        quick = [self.lap(1, 0, 10, 21, 33), self.lap(2, 33, 10, 19, 33)]
        self.assertEqual(bests(quick).rolling_s, 31)  # 33 - 21 + 19

    def test_one_spoiled_lap_does_not_rule_the_spread(self) -> None:
        # 60.0 60.2 60.5 60.9 68: differences .2 .3 .4 .5 .7 .9 7.1 7.5 7.8 8; h = 3, k = 3: 0.4; d_5 = 0.844
        self.assertAlmostEqual(spread(np.array([60.5, 68.0, 60.0, 60.9, 60.2])), 2.2219 * 0.844 * 0.4)
        self.assertTrue(math.isnan(spread(np.array([60.0]))))
        # Of normal values it is their standard deviation: published efficiency 82 %, so within 4 x 1/sqrt(2 n 0.82).
        for n in (9, 10, 40):
            rounds = np.random.default_rng(n).normal(60.0, 0.5, (2000, n))
            self.assertAlmostEqual(float(np.mean([spread(each) for each in rounds])), 0.5, delta=0.015)

    def test_laps_that_do_not_count(self) -> None:
        laps = [self.lap(1, 0, 10, 21, 33), self.lap(2, 33, 1, 2, 3, counts=False), self.lap(3, 36, 12, 24, 35)]
        self.assertEqual((bests(laps).count, bests(laps).theoretical_s), (2, 32))  # 10 + 11 + 11
        self.assertEqual(bests([]).count, 0)
        self.assertTrue(math.isnan(bests([]).theoretical_s))

    def test_a_sector_line_that_was_missed(self) -> None:
        found = bests([self.lap(1, 0, math.nan, 21, 33), self.lap(2, 33, 10, 20, 34)])
        self.assertEqual(found.sectors_s, (10, 10, 12))

    def test_slow_laps_at_the_edge(self) -> None:
        laps = [self.lap(i, i * 40.0, t) for i, t in enumerate((40.0, 40.0, 40.0, 46.0, 46.1), 1)]
        self.assertEqual([lap.number for lap in slow_laps(laps)], [5])

    def test_beacons(self) -> None:
        laps = laps_from_beacons([40.0, 10.0, 40.0, 71.0], 80.0)
        self.assertEqual(
            [(lap.kind, lap.time_s) for lap in laps], [("out", 10), ("timed", 30), ("timed", 31), ("in", 9)]
        )


class AgainstTheSimulator(unittest.TestCase):
    def errors(self, drive: Drive) -> np.ndarray:
        made = make(drive)
        recording = made.recording
        course = course_from(recording.setup["courses"][0])
        lat, lon, speed = (recording.values(k) for k in ("lat", "lon", "speed"))
        laps = [lap for lap in laps_on(path_of(lat, lon, drive.interval_s, speed), course) if lap.kind == "timed"]
        self.assertEqual(len(laps), len(made.truth["laps"]))
        found = np.array([[lap.time_s, *lap.sectors_s] for lap in laps])
        true = np.array([[t["time_s"], *np.diff([0.0, *t["splits_s"]])] for t in made.truth["laps"]])
        return found - true

    def test_without_noise_laps_are_right_to_milliseconds(self) -> None:
        for track, vehicle in ((LOOP, vehicle_signal.KART), (loop("Fast course", 4200, 3, 0.5), CAR)):
            for interval in (0.1, 0.04):
                worst = np.abs(
                    self.errors(Drive(track, vehicle, laps=6, interval_s=interval, speed_noise_m_s=0.0))
                ).max()
                self.assertLess(worst, 0.008, f"{track.name} {interval}")

    def test_with_noise_at_10_and_25_hz(self) -> None:
        # Root mean square of lap times; the table in docs/methods/vehicle.md has the whole grid.
        for interval, noise, limit in ((0.1, 0.5, 0.012), (0.1, 1.0, 0.02), (0.04, 1.0, 0.015), (0.1, 3.0, 0.06)):
            found = np.concatenate(
                [
                    self.errors(Drive(LOOP, laps=8, seed=s, interval_s=interval, position_noise_m=noise))
                    for s in range(6)
                ]
            )
            self.assertLess(float(np.sqrt(np.mean(found[:, 0] ** 2))), limit, f"{interval} {noise}")

    def test_an_open_course_up_and_back(self) -> None:
        for seed in range(4):
            worst = np.abs(self.errors(Drive(ramp("Ramp", 900, seed), laps=4, seed=seed, position_noise_m=0.3))).max()
            self.assertLess(worst, 0.05)

    def test_gaps_of_positions(self) -> None:
        for seed in range(6):
            drive = Drive(LOOP, laps=8, seed=seed, dropouts_s=((60.0, 63.0), (150.0, 154.0), (230.0, 232.0)))
            self.assertLess(np.abs(self.errors(drive)).max(), 0.25)

    def test_the_spoilt_lap_is_suggested_and_no_other(self) -> None:
        for seed in range(12):
            made = make(vehicle_signal.usual_drive(seed))
            found = reviewed(made.recording)
            starts = [made.truth["laps"][n - 1]["start_s"] for n in made.truth["spoilt"]]
            self.assertEqual(len(found.suggestions), len(starts))
            for suggestion, start in zip(found.suggestions, starts, strict=True):
                self.assertAlmostEqual(suggestion.start_s, start, delta=0.2)


class Positions(unittest.TestCase):
    """Round and round at 75 m/s: a circle of 4 km, 10 Hz."""

    def driven(self, seconds: float = 330.0) -> tuple[np.ndarray, np.ndarray]:
        turn = np.arange(round(seconds * 10)) * 0.1 * 75 / (4000 / (2 * np.pi))
        radius = 4000 / (2 * np.pi)
        return radius * np.cos(turn), radius * np.sin(turn)

    def found(self, x: np.ndarray, y: np.ndarray) -> Assessment:
        lat, lon = Plane(47.6, 13.8).lat_lon(x, y)
        channels = {k: Channel(k, k, "deg", 0.1, v) for k, v in (("lat", lat), ("lon", lon))}
        way = np.linspace(0, 2 * np.pi, 400, endpoint=False) - 0.3
        radius = 4000 / (2 * np.pi)
        points = Plane(47.6, 13.8).lat_lon(radius * np.cos(way), radius * np.sin(way))
        course = course_data(learn_course("Ring", *points, 3))
        return reviewed(Recording("vehicle", 1_795_000_000.0, 0, channels, (), {"courses": [course]}))

    def test_two_seconds_without_a_position_at_270_km_h_lose_no_lap(self) -> None:
        x, y = self.driven()
        whole = [r[2] for r in self.found(x, y).table("laps").rows if r[4] == r[4] and r[7] == ""]
        self.assertGreaterEqual(len(whole), 5)
        x[1500:1520] = np.nan
        gap = self.found(x, y)
        times = [r[2] for r in gap.table("laps").rows if r[4] == r[4] and r[7] == ""]
        np.testing.assert_allclose(times, whole, atol=0.02)
        self.assertAlmostEqual(gap.quality.coverage, 1 - 20 / 3300, places=9)

    def test_false_positions_are_counted_said_and_cost_no_lap(self) -> None:
        x, y = self.driven()
        whole = [r[2] for r in self.found(x, y).table("laps").rows if r[7] == ""]
        x[[700, 1500, 1501, 2600]] += 900.0
        spoilt = self.found(x, y)
        np.testing.assert_allclose([r[2] for r in spoilt.table("laps").rows if r[7] == ""], whole, atol=0.02)
        self.assertAlmostEqual(spoilt.quality.coverage, 1 - 4 / 3300, places=9)
        self.assertIn("4 positions are not believed", " ".join(f.text for f in spoilt.quality.findings))


class UpAndBack(unittest.TestCase):
    """An open course counts forwards only, however long the way back takes."""

    def found(self, back_m_s: float) -> Assessment:
        course = course_of(ramp("Ramp", 900, 1))
        plane = Plane(float(course.lat[0]), float(course.lon[0]))
        x, y = plane.xy(course.lat, course.lon)
        along = np.concatenate(([0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))))
        up, back = (np.arange(0.0, along[-1], v * 0.1) for v in (11.0, back_m_s))
        way = np.concatenate([np.concatenate((up, along[-1] - back)) for _ in range(5)])
        lat, lon = plane.lat_lon(np.interp(way, along, x), np.interp(way, along, y))
        channels = {k: Channel(k, k, "deg", 0.1, v) for k, v in (("lat", lat), ("lon", lon))}
        setup = {"courses": [course_data(course)]}
        self.true_s = float((along[-1] - 120) / 11.0)
        return reviewed(Recording("vehicle", 1_795_000_000.0, 0, channels, (), setup))

    def test_slow_and_fast_ways_back(self) -> None:
        for back in (4.0, 7.0, 11.0, 16.0, 25.0):
            with self.subTest(back=back):
                found = self.found(back)
                times = [float(r[2]) for r in found.table("laps").rows if r[7] == ""]
                self.assertEqual(len(times), 5)
                np.testing.assert_allclose(times, self.true_s, atol=0.25)
                self.assertNotIn("backwards", [f.code for f in found.quality.findings])


class Courses(unittest.TestCase):
    def test_found_among_many(self) -> None:
        made = make(Drive(LOOP, laps=3))
        lat, lon = made.recording.values("lat"), made.recording.values("lon")
        there = course_of(LOOP)
        rng = np.random.default_rng(4)
        others = [
            replace(there, name=f"away {i}", lat=there.lat + rng.uniform(-3, 3), lon=there.lon + rng.uniform(-3, 3))
            for i in range(200)
        ]
        beside = [course_of(loop(f"beside {i}", 1200, 30 + i)) for i in range(20)]
        found = recognise(lat, lon, [*others[:100], *beside, there, *others[100:]])
        self.assertEqual(found[0].course.name, "Practice loop")
        self.assertGreater(found[0].score, 0.95)
        self.assertFalse(found[0].backwards)

    def test_the_whole_course_wins_over_a_part_of_it(self) -> None:
        there = course_of(LOOP)
        made = make(Drive(LOOP, laps=3))
        half = replace(there, name="short", lat=there.lat[: len(there.lat) // 2], lon=there.lon[: len(there.lon) // 2])
        found = recognise(made.recording.values("lat"), made.recording.values("lon"), [half, there])
        self.assertEqual(found[0].course.name, "Practice loop")

    def test_driven_backwards(self) -> None:
        made = make(Drive(LOOP, laps=4, backwards=True))
        recording = replace(made.recording, setup={"courses": [course_data(course_of(LOOP))]})
        found = reviewed(recording)
        self.assertIn("backwards", [f.code for f in found.quality.findings])
        times = [float(r[2]) for r in found.table("laps").rows if not math.isnan(float(r[2]))]
        for time, true in zip(times, made.truth["laps"], strict=True):
            self.assertAlmostEqual(time, true["time_s"], delta=0.03)
        twice = turned(turned(course_of(LOOP)))
        self.assertEqual([g.lat for g in twice.gates], [g.lat for g in course_of(LOOP).gates])
        np.testing.assert_allclose([g.bearing_deg for g in twice.gates], [g.bearing_deg for g in course_of(LOOP).gates])

    def test_plain_form_comes_back(self) -> None:
        there = course_of(LOOP)
        again = course_from(course_data(there))
        self.assertEqual((again.start, again.sectors, again.closed), (there.start, there.sectors, True))
        self.assertAlmostEqual(again.length_m, 1200, delta=3)
        way = course_of(ramp("Ramp", 900, 1))
        self.assertFalse(course_from(course_data(way)).closed)
        good = course_data(there)
        for wrong in (
            {"name": ""},
            {"start": None},
            {"points": [[1]]},
            {"start": {"lat": "x"}},
            {"start": good["start"] | {"lat": 99}},
        ):
            with self.assertRaises(ValueError):
                course_from(good | wrong)

    def test_learnt_from_a_lap(self) -> None:
        made = make(Drive(LOOP, laps=6, position_noise_m=0.3))
        unknown = replace(made.recording, setup={})
        drive = drive_of(unknown, Review())
        self.assertEqual(drive.origin, "learnt")
        assert drive.course is not None
        self.assertAlmostEqual(drive.course.length_m, 1200, delta=30)
        times = [lap.time_s for lap in drive.laps if lap.kind == "timed"]
        self.assertGreaterEqual(len(times), 5)
        true = [t["time_s"] for t in made.truth["laps"]]
        self.assertLess(abs(np.median(times) - np.median(true)), 0.1)
        lat, lon = unknown.values("lat"), unknown.values("lon")
        for a, b, words in ((0, 5, "too little"), (0, 20, "too short"), (0, 250, "not closed")):
            with self.assertRaisesRegex(ValueError, words):
                learn_course("x", lat[a:b], lon[a:b])

    def test_a_line_without_points(self) -> None:
        made = make(Drive(LOOP, laps=2))
        bare = Course("Yard", course_of(LOOP).start)
        found = reviewed(replace(made.recording, setup={"course": "Yard", "courses": [course_data(bare)]}))
        self.assertEqual(found.figure("laps").value, 2)


class Session(unittest.TestCase):
    def test_leaving_a_lap_out(self) -> None:
        made = make(vehicle_signal.usual_drive(3))
        rows = reviewed(made.recording).table("laps").rows
        spoilt = rows[made.truth["spoilt"][0]]
        both = assess(made.recording, Review(dropped=(str(spoilt[-1]),)), LIMITS)
        self.assertEqual(both.recorded.figure("laps").value - both.reviewed.figure("laps").value, 1)
        self.assertLess(both.reviewed.figure("consistency").value, 0.7)
        # The spoilt lap, 8 s slower, does not rule it even before it is left out.
        self.assertLess(both.recorded.figure("consistency").value, 0.8)
        self.assertFalse(both.reviewed.suggestions)
        same = reviewed(
            made.recording, Review(left_out=(Stretch(float(spoilt[1]) + 5, float(spoilt[1]) + 6, "traffic"),))
        )
        self.assertEqual(same.figure("best").value, both.reviewed.figure("best").value)
        self.assertIn("left out: traffic", [r[-2] for r in same.table("laps").rows])

    def test_maxima_are_of_the_laps_that_count(self) -> None:
        made = make(Drive(LOOP, laps=4))
        rate = made.recording.channels["heart_rate"]
        laps = reviewed(made.recording).table("laps").rows
        values = rate.values.copy()
        values[int(float(laps[2][1])) + 5] = 200.0
        high = replace(
            made.recording, channels={**made.recording.channels, "heart_rate": replace(rate, samples=values)}
        )
        self.assertIs(reviewed(high).verdict, Verdict.ABOVE)
        without = reviewed(high, Review(dropped=(str(laps[2][-1]),)))
        self.assertLess(without.figure("max.heart_rate").value, 180)
        tops = {r[0]: r[-1] for r in reviewed(high).table("maxima").rows}
        self.assertEqual(tops[2.0], 200.0)

    def test_units_of_the_file(self) -> None:
        made = make(Drive(LOOP, laps=2)).recording
        speed = made.channels["speed"]
        kmh = replace(
            made, channels={**made.channels, "speed": replace(speed, unit="km/h", samples=speed.values * 3.6)}
        )
        self.assertAlmostEqual(reviewed(kmh).figure("best").value, reviewed(made).figure("best").value, places=9)

    def test_without_positions(self) -> None:
        speed = Channel("speed", "Speed", "m/s", 0.1, np.full(1000, 20.0))
        beacons = tuple(Event(t, "beacon") for t in (10.0, 45.0, 81.0))
        found = reviewed(Recording("vehicle", 0.0, 0, {"speed": speed}, beacons))
        self.assertEqual((found.figure("best").value, found.figure("laps").value), (35, 2))
        self.assertTrue(math.isnan(found.figure("theoretical").value) or found.figure("theoretical").value == 35)
        alone = reviewed(Recording("vehicle", 0.0, 0, {"speed": speed}))
        self.assertTrue(math.isnan(alone.figure("best").value))
        with self.assertRaisesRegex(ValueError, "neither positions"):
            reviewed(Recording("vehicle", 0.0, 0, {"rpm": replace(speed, key="rpm", unit="rpm")}))

    def test_standing_still_and_all_missing(self) -> None:
        for values in (np.full(500, YARD.lat), np.full(500, np.nan)):
            channels = {
                k: Channel(k, k, "deg", 0.1, values if k == "lat" else np.full(500, YARD.lon)) for k in ("lat", "lon")
            }
            found = reviewed(Recording("vehicle", 0.0, 0, channels))
            self.assertEqual(found.figure("laps").value, 0)
            self.assertTrue(math.isnan(found.figure("best").value))


if __name__ == "__main__":
    unittest.main()
