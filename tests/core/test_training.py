"""Training sessions: distance, levels whose sums agree, zones three ways, load, strokes, ascent."""

import math
import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.assessment import Assessment, Table, Verdict
from kumpel.core.recording import Channel, Event, Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.training.assess import assess
from kumpel.core.training.course import ascent_descent
from kumpel.core.training.heart import Wearer, time_in_zones, trimp, wearer_of, zone_edges
from kumpel.core.training.way import way_channels
from kumpel.kinds.limit_sets import shipped
from kumpel.standins import training_signal
from kumpel.standins.training_signal import Session, make

[GUIDE] = shipped("kumpel.kinds.training")
UNITS = {
    "lat": "deg",
    "lon": "deg",
    "speed": "m/s",
    "heart_rate": "bpm",
    "altitude": "m",
    "distance": "m",
    "cadence": "/min",
}


def recording(
    setup: dict[str, object] | None = None, events: tuple[Event, ...] = (), **values: np.ndarray
) -> Recording:
    channels = {k: Channel(k, k, UNITS[k], 1.0, np.asarray(v, float)) for k, v in values.items()}
    return Recording("training", 1_795_000_000.0, 60, channels, events, setup or {})


def reviewed(made: Recording, review: Review | None = None) -> Assessment:
    return assess(made, review or Review(), GUIDE).reviewed


def tree_of(found: Table) -> list[tuple[int, float, float, float]]:
    """Level, distance, time and strokes of each row."""
    at = {column.name: i for i, column in enumerate(found.columns)}
    return [(int(r[at["Level"]]), *(float(r[at[k]]) for k in ("Distance", "Time", "Strokes"))) for r in found.rows]


class Tree(unittest.TestCase):
    def parts_of(self, rows: list[tuple[int, float, float, float]], i: int) -> list[tuple[int, float, float, float]]:
        inside = []
        for row in rows[i + 1 :]:
            if row[0] <= rows[i][0]:
                break
            inside.append(row)
        return [row for row in inside if row[0] == rows[i][0] + 1]

    def test_every_level_sums_up_to_the_one_above_to_the_last_digit(self) -> None:
        for seed in range(12):
            made = make(Session(seed=seed)).recording
            made = replace(made, setup=made.setup | {"split_m": 137.0 + 31 * seed})
            rows = tree_of(reviewed(made).table("levels"))
            self.assertEqual([row[0] for row in rows[:1]], [0])
            self.assertGreater(sum(row[0] == 2 for row in rows), 5)
            for i, row in enumerate(rows):
                parts = self.parts_of(rows, i)
                if parts:
                    for k in (1, 2, 3):
                        if not math.isnan(row[k]):
                            self.assertAlmostEqual(sum(part[k] for part in parts), row[k], 9, (seed, i, k))

    def test_splits_begin_anew_with_each_interval(self) -> None:
        """3 m/s for 1000 s, marked at 400 s (1200 m): splits of 500 m end at 500, 1000, 1200; then 1700, 2200, 2700, 3000 m."""
        made = recording(
            {"split_m": 500.0, "speed_source": "foot pod"}, (Event(400.0, "interval"),), speed=np.full(1000, 3.0)
        )
        rows = reviewed(made).table("levels").rows
        self.assertEqual(
            [row[0] for row in rows],
            ["Session", "Interval 1", "0.00 to 0.50 km", "0.50 to 1.00 km", "1.00 to 1.20 km", "Interval 2",
             "1.20 to 1.70 km", "1.70 to 2.20 km", "2.20 to 2.70 km", "2.70 to 3.00 km"],
        )  # fmt: skip
        self.assertEqual([row[4] for row in rows][:3], [3.0, 1.2, 0.5])
        self.assertEqual(
            [row[5] for row in rows][:5], [1000, 400, 167, 166, 67], "500 m at 3 m/s: 166.7 s, edges at 167 and 333"
        )
        self.assertTrue(all(math.isclose(float(row[6]), 1000 / 3) for row in rows))
        self.assertEqual({row[8] for row in rows}, {0.0}, "no heart rate is known for none of the time")


class Way(unittest.TestCase):
    def test_metres_east_north_and_along_and_no_line_over_a_long_gap(self) -> None:
        """North along a meridian at 47 N, 1e-5 degrees a second: 1.1117 m each; a gap of 100 s is no line, and the way goes on over it."""
        lat = 47 + np.arange(1001) * 1e-5
        lat[300:400] = np.nan
        made = way_channels(recording(lat=lat, lon=np.full(1001, 13.0)))
        way, east, north = (made[key].values for key in ("way.m", "way.east", "way.north"))
        self.assertAlmostEqual(float(way[-1] - way[0]), 1111.7, delta=1.5)
        self.assertAlmostEqual(float(north[1000] - north[0]), 1111.7, delta=1.5)
        self.assertLess(float(np.nanmax(np.abs(east))), 0.01)
        self.assertTrue(np.isnan(north[310:390]).all())
        self.assertFalse(np.isnan(way).any())

    def test_without_positions_there_is_a_way_and_without_both_nothing(self) -> None:
        made = way_channels(recording({"speed_source": "foot pod"}, speed=np.full(100, 3.0)))
        self.assertEqual(sorted(made), ["way.m"])
        self.assertEqual(way_channels(recording(heart_rate=np.full(10, 90.0))), {})


class Distance(unittest.TestCase):
    def test_speed_source_of_the_recorder(self) -> None:
        made = recording({"speed_source": "foot pod"}, speed=np.full(600, 3.0))
        found = reviewed(made).figure("distance")
        self.assertAlmostEqual(found.value, 1.8)
        self.assertIn("foot pod", found.why.source)
        self.assertAlmostEqual(reviewed(recording(distance=np.arange(101) * 5.0)).figure("distance").value, 0.5)

    def test_north_along_a_meridian(self) -> None:
        # 1000 steps of 1e-5 degrees at 47 N: one degree of latitude there is 111,170 m, so 1.1117 km
        found = reviewed(recording(lat=47 + np.arange(1001) * 1e-5, lon=np.full(1001, 13.0)))
        self.assertAlmostEqual(found.figure("distance").value, 1.1117, places=3)
        self.assertIn("geodesic", found.figure("distance").why.source)

    def test_a_gap_is_bridged_and_said(self) -> None:
        lat = 47 + np.arange(601) * 3e-5
        whole = reviewed(recording(lat=lat, lon=np.full(601, 13.0))).figure("distance").value
        lat = lat.copy()
        lat[200:300] = np.nan
        found = reviewed(recording(lat=lat, lon=np.full(601, 13.0)))
        self.assertAlmostEqual(found.figure("distance").value, whole, places=4)
        self.assertIn("100 s without a position", found.figure("distance").note)

    def test_a_jump_away_and_back_is_passed_over(self) -> None:
        lat = 47 + np.arange(601) * 3e-5
        whole = reviewed(recording(lat=lat, lon=np.full(601, 13.0))).figure("distance").value
        lat = lat.copy()
        lat[300] += 0.5
        lat[400] = 0.0
        self.assertAlmostEqual(
            reviewed(recording(lat=lat, lon=np.full(601, 13.0))).figure("distance").value, whole, places=4
        )

    def test_moving_and_elapsed(self) -> None:
        found = reviewed(
            recording(
                {"speed_source": "foot pod"},
                speed=np.concatenate([np.full(300, 3.0), np.zeros(100), np.full(200, 3.0)]),
            )
        )
        self.assertEqual((found.figure("elapsed").value, found.figure("moving").value), (600, 500))
        self.assertAlmostEqual(found.figure("speed_mean").value, 10.8)
        self.assertAlmostEqual(found.figure("pace").value, 1000 / 3)
        self.assertAlmostEqual(found.figure("pace_500").value, 500 / 3)

    def test_nothing_to_assess(self) -> None:
        with self.assertRaisesRegex(ValueError, "neither positions"):
            reviewed(recording(heart_rate=np.full(10, 100.0)))
        with self.assertRaisesRegex(ValueError, "without a longitude"):
            reviewed(recording(lat=np.full(10, 47.0)))
        for n in (0, 1):
            self.assertIn("worthless", [f.code for f in reviewed(recording(speed=np.full(n, 2.0))).quality.findings])
        still = reviewed(recording(lat=np.full(50, np.nan), lon=np.full(50, np.nan)))
        self.assertTrue(math.isnan(still.figure("pace").value))


class Levels(unittest.TestCase):
    def test_sums_agree_across_levels(self) -> None:
        for seed in range(20):
            made = make(replace(training_signal.usual_session(seed), strokes_per_min=70.0))
            out = (Stretch(100, 130, "stood at the gate"),) if seed % 2 else ()
            found = reviewed(made.recording, Review(left_out=out))
            total = found.figure("distance").value * 1000
            for key in ("intervals", "splits"):
                rows = found.table(key).rows
                self.assertAlmostEqual(sum(float(r[1]) for r in rows), total, places=6)
                self.assertAlmostEqual(sum(float(r[2]) for r in rows), found.figure("elapsed").value, places=6)
            self.assertAlmostEqual(
                sum(float(r[2]) for r in found.table("zones").rows), found.figure("elapsed").value, places=6
            )
            strokes = found.table("strokes").rows
            first, last = float(strokes[0][0]), float(strokes[-1][0]) + float(strokes[-1][1])
            self.assertEqual(first, 0)
            self.assertLessEqual(sum(float(r[3]) for r in strokes), total + 1e-6)
            self.assertGreater(
                sum(float(r[3]) for r in strokes) / total,
                0.999 - (made.recording.length_s - last) / made.recording.length_s,
            )

    def test_splits_by_distance_and_time(self) -> None:
        made = recording({"speed_source": "foot pod"}, speed=np.full(1000, 4.0))
        rows = reviewed(made).table("splits").rows
        self.assertEqual(
            [(r[0], round(float(r[1]), 6), r[2]) for r in rows],
            [(0, 1000, 250), (250, 1000, 250), (500, 1000, 250), (750, 1000, 250)],
        )
        rows = reviewed(made, Review(options={"split_m": 1500})).table("splits").rows
        self.assertEqual([round(float(r[1]), 6) for r in rows], [1500, 1500, 1000])
        rows = reviewed(made, Review(options={"split_s": 400})).table("splits").rows
        self.assertEqual([r[2] for r in rows], [400, 400, 200])
        with self.assertRaisesRegex(ValueError, "longer than 0"):
            reviewed(made, Review(options={"split_m": 0}))

    def test_a_split_between_two_samples_is_interpolated(self) -> None:
        rows = reviewed(recording({"speed_source": "foot pod"}, speed=np.full(700, 3.0))).table("splits").rows
        self.assertAlmostEqual(float(rows[1][0]), 1000 / 3, places=6)

    def test_intervals_of_the_recorder(self) -> None:
        events = (Event(100, "interval"), Event(400, "interval"), Event(400, "interval"))
        rows = (
            reviewed(recording({"speed_source": "foot pod"}, events, speed=np.full(600, 2.0))).table("intervals").rows
        )
        self.assertEqual([r[1] for r in rows], [200, 600, 400])


class Heart(unittest.TestCase):
    WEARER = Wearer(190.0, 50.0, "m", False)

    def test_zones_three_ways(self) -> None:
        def edges(by: str, listed: list[float]) -> list[float]:
            return zone_edges({"zones": {"by": by, "edges": listed}}, self.WEARER).tolist()

        self.assertEqual(edges("highest", [50, 80]), [95, 152])
        self.assertEqual(edges("reserve", [50, 80]), [120, 162])  # 50 + 0.5 x 140
        self.assertEqual(edges("typed", [120, 150]), [120, 150])
        for wrong in ({"by": "mood", "edges": [1]}, {"by": "typed", "edges": [150, 150]}, {"by": "typed", "edges": []}):
            with self.assertRaises(ValueError):
                zone_edges({"zones": wrong}, self.WEARER)

    def test_a_rate_on_an_edge_belongs_to_the_higher_zone(self) -> None:
        found = time_in_zones(np.array([119.0, 120, 149, 150, math.nan]), 1.0, np.array([120.0, 150]))
        self.assertEqual(found.tolist(), [1, 2, 1])

    def test_load_by_hand(self) -> None:
        # 30 min at 120: r = 70/140 = 0.5; men 30 x 0.5 x 0.64 e^0.96, women 30 x 0.5 x 0.86 e^0.835
        rate = np.full(1800, 120.0)
        self.assertAlmostEqual(trimp(rate, 1.0, self.WEARER), 15 * 0.64 * math.exp(0.96))
        self.assertAlmostEqual(trimp(rate, 1.0, replace(self.WEARER, sex="f")), 15 * 0.86 * math.exp(0.835))
        self.assertTrue(math.isnan(trimp(rate, 1.0, replace(self.WEARER, sex=""))))
        self.assertTrue(math.isnan(trimp(np.full(9, np.nan), 1.0, self.WEARER)))

    def test_missing_heart_rate_is_blank_not_zero(self) -> None:
        made = recording({"speed_source": "foot pod", "sex": "m"}, speed=np.full(600, 3.0))
        found = reviewed(made)
        for key in ("heart_rate_mean", "heart_rate_max", "load"):
            self.assertTrue(math.isnan(found.figure(key).value), key)
        self.assertIs(found.verdict, Verdict.NOT_ASSESSABLE)
        half = np.where(np.arange(600) < 300, 140.0, np.nan)
        half[5] = 0
        found = reviewed(recording({"speed_source": "foot pod"}, speed=np.full(600, 3.0), heart_rate=half))
        self.assertEqual(found.figure("heart_rate_mean").value, 140)
        self.assertAlmostEqual(found.figure("heart_rate_mean").coverage, 299 / 600)
        self.assertEqual({r[0]: r[2] for r in found.table("zones").rows}["no heart rate"], 301)

    def test_highest_rate_from_the_age(self) -> None:
        found = wearer_of({"age_years": 40})
        self.assertEqual((found.highest_bpm, found.estimated), (180, True))
        with self.assertRaisesRegex(ValueError, "must be above"):
            wearer_of({"heart_rate_highest": 60, "heart_rate_resting": 60})

    def test_above_the_highest_on_file(self) -> None:
        for rate, verdict in ((188, Verdict.WITHIN), (190, Verdict.ACTION)):
            made = recording(
                {"heart_rate_highest": 188, "speed_source": "pod"},
                speed=np.full(60, 3.0),
                heart_rate=np.full(60, float(rate)),
            )
            self.assertIs(reviewed(made).verdict, verdict)


class Ascent(unittest.TestCase):
    def test_staircase_and_noise(self) -> None:
        up = np.repeat([100.0, 110, 105, 125], 300)
        gained, lost = ascent_descent(up, 1.0)
        self.assertAlmostEqual(gained, 30, places=6)
        self.assertAlmostEqual(lost, 5, places=6)
        noise = 100 + np.random.default_rng(1).normal(0, 1.0, 7200)
        self.assertEqual(ascent_descent(noise, 1.0), (0.0, 0.0))
        self.assertTrue(math.isnan(ascent_descent(np.full(5, np.nan), 1.0)[0]))

    def test_hills_with_noise(self) -> None:
        for seed in range(10):
            made = make(Session(seed, altitude_noise_m=1.0))
            gained = reviewed(made.recording).figure("ascent").value
            self.assertAlmostEqual(gained / made.truth["ascent_m"], 1.0, delta=0.03)


class Strokes(unittest.TestCase):
    def test_distance_per_stroke(self) -> None:
        made = make(Session(legs=((600.0, 3.0, 120.0),), strokes_per_min=60.0))
        found = reviewed(made.recording)
        self.assertEqual(found.figure("strokes").value, 600)
        self.assertAlmostEqual(found.figure("per_stroke").value, 3.0, places=2)
        # 60 strokes a minute at 3 m/s from the cadence channel alone
        alone = recording({"speed_source": "impeller"}, speed=np.full(600, 3.0), cadence=np.full(600, 60.0))
        self.assertAlmostEqual(reviewed(alone).figure("per_stroke").value, 3.0)


class AgainstTheSignal(unittest.TestCase):
    def test_many_sessions(self) -> None:
        for seed in range(20):
            made = make(training_signal.usual_session(seed))
            found = reviewed(made.recording)
            self.assertAlmostEqual(found.figure("distance").value * 1000 / made.truth["distance_m"], 1.0, delta=0.002)
            legs = [float(r[1]) for r in found.table("intervals").rows]
            for leg, true in zip(legs, made.truth["legs_m"], strict=True):
                self.assertAlmostEqual(leg / true, 1.0, delta=0.01)


if __name__ == "__main__":
    unittest.main()
