"""The way along positions: jumps, trembling, slow walking; and what uneven rows of a file make of it."""

import math
import unittest
from dataclasses import replace

import numpy as np

from kumpel.core.assessment import Assessment
from kumpel.core.geo import Plane
from kumpel.core.recording import Channel, Event, Points, Recording
from kumpel.core.review import Review
from kumpel.core.track import Mover, believable, steps_m
from kumpel.core.training.assess import assess
from kumpel.formats import csv_file, gpx
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.registry import KINDS
from kumpel.standins.training_signal import Session, make

PLANE = Plane(47.6, 13.8)
FOOT = Mover(60.0, 10.0)
[GUIDE] = shipped("kumpel.kinds.training")


def walk(seconds: int, speed: float, noise_m: float = 0.0, seed: int = 1) -> tuple[np.ndarray, np.ndarray]:
    """Positions each second, to the north-east."""
    rng = np.random.default_rng(seed)
    way = np.arange(seconds + 1) * speed / math.sqrt(2)
    return PLANE.lat_lon(way + rng.normal(0, noise_m, len(way)), way + rng.normal(0, noise_m, len(way)))


def session(lat: np.ndarray, lon: np.ndarray, **more: np.ndarray) -> Recording:
    values = {"lat": lat, "lon": lon, **more}
    units = {"lat": "deg", "lon": "deg", "heart_rate": "bpm"}
    channels = {k: Channel(k, k, units[k], 1.0, np.asarray(v, float)) for k, v in values.items()}
    return Recording("training", 1_795_000_000.0, 0, channels)


def figures(recording: Recording) -> Assessment:
    return assess(recording, Review(), GUIDE).reviewed


class Jumps(unittest.TestCase):
    def test_twenty_false_seconds_three_kilometres_away_add_nothing_and_are_a_gap(self) -> None:
        lat, lon = walk(600, 3.0)
        whole = figures(session(lat, lon)).figure("distance").value
        for first in (0, 1, 200, 580):
            off_lat, off_lon = PLANE.lat_lon(np.full(20, 3000.0), np.arange(20) * 3.0)
            bad_lat, bad_lon = lat.copy(), lon.copy()
            bad_lat[first : first + 20], bad_lon[first : first + 20] = off_lat, off_lon
            with self.subTest(first=first):
                found = figures(session(bad_lat, bad_lon)).figure("distance")
                ends = 20 * 3.0 if first == 0 else 0.0
                self.assertAlmostEqual(found.value * 1000, whole * 1000 - ends, delta=4.0)
                if first == 200:
                    self.assertIn("20 s without a position", found.note)

    def test_several_jumps_and_single_ones(self) -> None:
        lat, lon = walk(600, 3.0)
        bad = lat.copy()
        for at in (50, 51, 100, 200, 300, 301, 302):
            bad[at] += 0.03
        self.assertEqual(int(believable(np.arange(601.0), bad, lon, FOOT).sum()), 601 - 7)

    def test_a_fast_vehicle_is_believed(self) -> None:
        lat, lon = walk(100, 55.0)
        self.assertTrue(believable(np.arange(101.0), lat, lon, FOOT).all())

    def test_one_false_position_after_a_rest_costs_one_position(self) -> None:
        # 10 min at 1.5 m/s = 900 m; 44 s without a row; one row 180 m off; 9 min at 1.5 m/s = 810 m: 1710 m.
        at = np.concatenate((np.arange(601.0), [644.0], 645.0 + np.arange(541)))
        y = np.concatenate((np.arange(601) * 1.5, [900.0], 900 + np.arange(541) * 1.5))
        x = np.where(np.arange(len(y)) == 601, 180.0, 0.0)
        for turned in (False, True):
            lat, lon = PLANE.lat_lon(*((x[::-1], y[::-1]) if turned else (x, y)))
            when = at[-1] - at[::-1] if turned else at
            wrong = np.flatnonzero(~believable(when, lat, lon, FOOT))
            self.assertEqual(wrong.tolist(), [len(at) - 1 - 601 if turned else 601])
            found = figures(Recording("training", 0.0, 0, {}, Points(when, {"lat": lat, "lon": lon}).events()))
            distance = found.figure("distance")
            self.assertAlmostEqual(distance.value, 1.710, places=3)
            # 1186 s in all; the rest stands for 30 of its 45 s, or less when the row before it is the doubted one.
            self.assertLess(distance.coverage, 1172.0 / 1186)
            self.assertGreater(distance.coverage, 1140.0 / 1186)
            self.assertIn("1 position is not believed", " ".join(f.text for f in found.quality.findings))

    def test_single_false_positions_on_a_long_hike_cost_themselves_alone(self) -> None:
        rng = np.random.default_rng(5)
        lat, lon = walk(7200, 1.9, 0.5)
        x, y = PLANE.xy(lat, lon)
        bad = np.sort(rng.choice(np.arange(50, 7100, 50), 40, replace=False))
        x[bad] += rng.choice([-1, 1], 40) * rng.uniform(60, 4000, 40)
        found = believable(np.arange(7201.0), *PLANE.lat_lon(x, y), FOOT)
        self.assertEqual(np.flatnonzero(~found).tolist(), bad.tolist())

    def test_a_receiver_that_starts_far_away_or_moves_for_good_keeps_the_rest(self) -> None:
        lat, lon = walk(600, 3.0)
        x, y = PLANE.xy(lat, lon)
        for first, end in ((0, 40), (560, 601), (300, 601)):
            off = x.copy()
            off[first:end] += 1500.0
            found = believable(np.arange(601.0), *PLANE.lat_lon(off, y), FOOT)
            # 1500 m take 25 s at 60 m/s: as many are doubted at the most, on one side of the jump.
            self.assertLessEqual(int((~found).sum()), 25)

    def test_at_the_dateline_and_at_the_pole(self) -> None:
        turn = np.arange(200.0)
        for lat, lon in (
            (np.full(200, 10.0), (179.999 + turn * 3e-5 + 180) % 360 - 180),
            (np.full(200, 89.9999), (turn * 20 + 180) % 360 - 180),
        ):
            self.assertTrue(believable(turn, lat, lon, FOOT).all())

    def test_a_sharp_side_step_is_doubted_by_the_change_of_speed(self) -> None:
        # 50 m aside for 1 s: 50 m/s is no speed nobody has, 100 m/s2 is.
        lat, lon = walk(100, 1.5)
        x, y = PLANE.xy(lat, lon)
        x[50] += 50.0
        self.assertEqual(np.flatnonzero(~believable(np.arange(101.0), *PLANE.lat_lon(x, y), FOOT)).tolist(), [50])


class Trembling(unittest.TestCase):
    def test_half_an_hour_of_standing(self) -> None:
        for seed in range(10):
            lat, lon = walk(1800, 0.0, 0.3, seed)
            self.assertLess(steps_m(lat, lon).sum(), 10.0)

    def test_an_hour_of_walking_loses_less_than_one_percent(self) -> None:
        for noise in (0.0, 0.3):
            lat, lon = walk(3600, 4 / 3.6, noise)
            self.assertAlmostEqual(steps_m(lat, lon).sum() / 4000.0, 1.0, delta=0.01)

    def test_round_a_track_of_400_m(self) -> None:
        # 10 rounds of radius 63.66 m at 3 m/s: chords of 5 m lose 1 / 24 (5 / 63.66)2 = 0.03 %
        turn = np.arange(1334) * 3.0 / 63.662
        lat, lon = PLANE.lat_lon(63.662 * np.cos(turn), 63.662 * np.sin(turn))
        self.assertAlmostEqual(steps_m(lat, lon).sum() / (1333 * 3.0), 1.0, delta=0.005)

    def test_standing_before_walking_puts_the_way_where_it_was_walked(self) -> None:
        still, more = walk(600, 0.0, 0.3, 3), walk(600, 2.0, 0.0)
        lat, lon = (np.concatenate((a, b)) for a, b in zip(still, more, strict=True))
        steps = steps_m(lat, lon)
        self.assertLess(steps[:600].sum(), 5.0)
        self.assertAlmostEqual(steps[601:].sum(), 1200.0, delta=5.0)


class UnevenRows(unittest.TestCase):
    """A recorder that writes a row only where something changes: the way and the heart rate stay."""

    def thinned(self, seed: int = 2) -> tuple[Recording, Recording]:
        made = make(Session(seed, no_heart_rate_s=())).recording
        keys = ("lat", "lon", "altitude", "heart_rate")
        channels = {k: made.channels[k] for k in keys}
        rng = np.random.default_rng(seed)
        at = np.cumsum(rng.choice([1, 1, 2, 3, 5, 8], 2100))
        at = np.concatenate(([0], at[at < len(made.channels["lat"].values)]))
        points = Points(at.astype(np.float64), {k: made.channels[k].values[at] for k in keys})
        marks = tuple(e for e in made.events if e.code == "interval")
        whole = replace(made, channels=channels, events=marks)
        return whole, replace(whole, events=(*marks, *points.events()))

    def test_gpx_and_csv_keep_every_point_and_every_figure(self) -> None:
        whole, thin = self.thinned()
        expected = figures(whole)
        for again in (
            gpx.read(gpx.write(thin), "training"),
            csv_file.read(csv_file.write(thin), "training", KINDS["training"].channels),
        ):
            points, recorded = again.points, thin.points
            assert points is not None and recorded is not None
            np.testing.assert_allclose(points.at_s, recorded.at_s, atol=2e-3)
            for key, atol in (("lat", 1e-8), ("lon", 1e-8), ("heart_rate", 0), ("altitude", 0.01)):
                np.testing.assert_allclose(points.columns[key], recorded.columns[key], atol=atol)
            found = figures(again)
            self.assertAlmostEqual(found.figure("distance").value / expected.figure("distance").value, 1, delta=0.01)
            self.assertAlmostEqual(found.figure("elapsed").value, expected.figure("elapsed").value, delta=8)
            self.assertAlmostEqual(
                found.figure("heart_rate_mean").value, expected.figure("heart_rate_mean").value, delta=1
            )
            self.assertAlmostEqual(found.figure("heart_rate_mean").coverage, 1.0, delta=0.01)
            rows = found.table("splits").rows
            self.assertAlmostEqual(sum(float(r[1]) for r in rows) / 1000, found.figure("distance").value, places=6)

    def test_written_again_no_point_is_lost(self) -> None:
        _, thin = self.thinned(4)
        once = gpx.write(thin)
        self.assertEqual(gpx.write(gpx.read(once, "training")).count(b"<trkpt"), once.count(b"<trkpt"))

    def test_a_row_stands_thirty_seconds_at_the_most(self) -> None:
        points = Points(
            np.array([0.0, 10.0, 610.0, 620.0]),
            {"lat": np.array([47.0, 47.0, 47.001, 47.001]), "lon": np.full(4, 13.0), "heart_rate": np.full(4, 120.0)},
        )
        made = Recording("training", 0.0, 0, {}, points.events())
        found = figures(made)
        self.assertEqual(found.figure("elapsed").value, 630)
        self.assertAlmostEqual(found.figure("heart_rate_mean").coverage, (10 + 30 + 10 + 10) / 630)

    def test_vehicle_rows_at_uneven_times_lose_no_way(self) -> None:
        rng = np.random.default_rng(1)
        at = np.cumsum(rng.choice([0.1, 0.1, 0.2, 0.5, 1.0], 3000))
        turn = at * 15 / 100
        lat, lon = PLANE.lat_lon(100 * np.cos(turn), 100 * np.sin(turn))
        rows = "".join(f"{t:.3f};{a:.8f};{b:.8f}\n" for t, a, b in zip(at, lat, lon, strict=True))
        kind = KINDS["vehicle"]
        made = csv_file.read(f"seconds;lat;lon\n{rows}".encode(), "vehicle", kind.channels)
        found = kind.assess(made, Review(), kind.limit_sets[0]).reviewed
        self.assertAlmostEqual(found.figure("distance").value * 1000 / (15 * (at[-1] - at[0])), 1.0, delta=0.01)

    def test_points_survive_a_krec(self) -> None:
        from kumpel.formats import krec

        _, thin = self.thinned()
        again = krec.read(krec.write_recording(thin)).points
        assert again is not None and thin.points is not None
        np.testing.assert_array_equal(again.at_s, thin.points.at_s)

    def test_bad_numbers_in_a_point_are_not_measured(self) -> None:
        events = (Event(0, "point", "", {"lat": 47.0, "lon": "x"}), Event(1, "point", "", {"lat": math.inf}))
        points = Recording("training", 0.0, 0, {}, events).points
        assert points is not None
        self.assertTrue(math.isnan(points.columns["lon"][0]) and math.isnan(points.columns["lat"][1]))


if __name__ == "__main__":
    unittest.main()
