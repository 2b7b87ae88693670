"""Courses that pass a line more than once in the same direction: laps, learning, recognising."""

import math
import unittest

import numpy as np

from kumpel.core.geo import Plane
from kumpel.core.recording import Channel, Recording
from kumpel.core.review import Review
from kumpel.core.vehicle.assess import assess
from kumpel.core.vehicle.courses import Course, Gate, course_data, find_lap, learn_course, recognise
from kumpel.core.vehicle.drive import drive_of
from kumpel.core.vehicle.laps import laps_on, path_of
from kumpel.kinds.limit_sets import shipped

PLANE = Plane(47.6, 13.8)
[LIMITS] = shipped("kumpel.kinds.vehicle")


def along(
    points: np.ndarray, speed: float, rounds: float, dt: float = 0.1, noise: float = 0.0, seed: int = 1
) -> tuple[np.ndarray, np.ndarray]:
    """Positions of a drive round a closed line of points (m) at a steady speed."""
    closed = np.vstack([points, points[:1]])
    way = np.concatenate(([0.0], np.cumsum(np.hypot(*np.diff(closed, axis=0).T))))
    at = np.arange(0, rounds * way[-1], speed * dt)
    rng = np.random.default_rng(seed)
    x = np.interp(at % way[-1], way, closed[:, 0]) + rng.normal(0, noise, len(at))
    y = np.interp(at % way[-1], way, closed[:, 1]) + rng.normal(0, noise, len(at))
    return PLANE.lat_lon(x, y)


def arc(cx: float, cy: float, r: float, from_deg: float, to_deg: float) -> np.ndarray:
    a = np.radians(np.linspace(from_deg, to_deg, 60))
    return np.column_stack([cx + r * np.cos(a), cy + r * np.sin(a)])


def spiral() -> np.ndarray:
    """Two rounds, the second 8 m inside the first over the whole straight, both driven eastwards there; 1.9 km."""
    outer = np.vstack([[[0, 0], [200, 0]], arc(200, 100, 100, -90, 90), [[0, 200]], arc(0, 104, 96, 90, 270)])
    inner = np.vstack([[[0, 8], [200, 8]], arc(200, 100, 92, -90, 90), [[0, 192]], arc(0, 96, 96, 90, 270)])
    return np.vstack([outer, inner])


def eight() -> np.ndarray:
    """A big and a small loop that share one straight, driven in the same direction."""
    big = np.vstack([[[0, 0], [150, 0]], arc(150, 90, 90, -90, 90), [[0, 180]], arc(0, 90, 90, 90, 270)])
    small = np.vstack([[[0, 0], [150, 0]], arc(150, -50, 50, 90, -90), [[0, -100]], arc(0, -50, 50, 270, 90)])
    return np.vstack([big, small])


def course(points: np.ndarray, at: int = 0, name: str = "Loop") -> Course:
    lat, lon = PLANE.lat_lon(points[:, 0], points[:, 1])
    where = PLANE.lat_lon(np.array([100.0]), np.array([float(points[at, 1])]))
    return Course(name, Gate(float(where[0][0]), float(where[1][0]), 90.0), None, (), lat, lon)


def session(lat: np.ndarray, lon: np.ndarray, *courses: Course) -> Recording:
    channels = {k: Channel(k, k, "deg", 0.1, v) for k, v in (("lat", lat), ("lon", lon))}
    return Recording("vehicle", 1_795_000_000.0, 0, channels, setup={"courses": [course_data(c) for c in courses]})


def length_of(points: np.ndarray) -> float:
    return float(np.hypot(*np.diff(np.vstack([points, points[:1]]), axis=0).T).sum())


class Laps(unittest.TestCase):
    def test_a_second_branch_beside_the_line_makes_no_lap(self) -> None:
        for points in (spiral(), eight()):
            true = length_of(points) / 15.0
            for noise in (0.0, 1.0):
                lat, lon = along(points, 15.0, 5.3, noise=noise)
                laps = [lap for lap in laps_on(path_of(lat, lon, 0.1), course(points)) if lap.kind == "timed"]
                self.assertEqual(len(laps), 5)  # the line at 100 m is crossed six times
                for lap in laps:
                    self.assertAlmostEqual(lap.time_s, true, delta=0.05 + 0.2 * noise)
                    self.assertFalse(lap.ambiguous)

    def test_only_one_of_the_branches_driven_is_no_lap_or_said(self) -> None:
        # round and round the inner branch of the spiral: never on the line's own branch
        inner = np.vstack([[[0, 8], [200, 8]], arc(200, 100, 92, -90, 90), [[0, 192]], arc(0, 100, 92, 90, 270)])
        lat, lon = along(inner, 15.0, 4.0)
        laps = [lap for lap in laps_on(path_of(lat, lon, 0.1), course(spiral())) if lap.kind == "timed"]
        self.assertTrue(not laps or all(lap.ambiguous for lap in laps))

    def test_what_cannot_be_told_is_said(self) -> None:
        # two equal rounds as one course: nothing tells the first from the second
        ring = np.vstack([[[0, 0], [200, 0]], arc(200, 80, 80, -90, 90), [[0, 160]], arc(0, 80, 80, 90, 270)])
        double = np.vstack([ring, ring])
        lat, lon = along(ring, 15.0, 6.0)
        found = assess(session(lat, lon, course(double)), Review(), LIMITS).reviewed
        self.assertIn("ambiguous-laps", [f.code for f in found.quality.findings])


class Learning(unittest.TestCase):
    def test_a_figure_of_eight_is_learnt_whole(self) -> None:
        true = length_of(eight())
        for noise in (0.0, 1.0):
            lat, lon = along(eight(), 12.0, 6.4, noise=noise)
            span = find_lap(lat, lon, 0.1)
            assert span is not None
            self.assertAlmostEqual((span[1] - span[0]) * 1.2, true, delta=0.03 * true)
            drive = drive_of(session(lat, lon), Review())
            self.assertEqual(drive.origin, "learnt")
            times = [lap.time_s for lap in drive.laps if lap.kind == "timed"]
            self.assertGreaterEqual(len(times), 4)
            for time in times:
                self.assertAlmostEqual(time, true / 12.0, delta=0.05 + 0.2 * noise)

    def test_learnt_from_one_lap_of_it(self) -> None:
        lat, lon = along(eight(), 12.0, 1.0)
        self.assertAlmostEqual(learn_course("eight", lat, lon).length_m, length_of(eight()), delta=15)


class Recognising(unittest.TestCase):
    def test_the_direction_of_a_loop_tells_two_courses_apart(self) -> None:
        # the same roads: the small loop driven the other way round in the second course
        points = eight()
        small = points[len(points) // 2 :]
        other = np.vstack([points[: len(points) // 2], small[:1], small[2:][::-1]])
        lat, lon = along(points, 12.0, 3.0)
        found = recognise(lat, lon, [course(other, name="other"), course(points, name="driven")])
        self.assertEqual(found[0].course.name, "driven")
        self.assertLess(found[-1].score, found[0].score - 0.1)

    def test_two_courses_that_fit_alike_are_said(self) -> None:
        lat, lon = along(spiral(), 15.0, 4.0)
        made = session(lat, lon, course(spiral(), name="Yard"), course(spiral(), name="Yard, old lines"))
        found = assess(made, Review(), LIMITS).reviewed
        text = {f.code: f.text for f in found.quality.findings}
        self.assertIn("Yard, old lines", text["ambiguous-course"])
        told = assess(made, Review(options={"course": "Yard, old lines"}), LIMITS).reviewed
        self.assertNotIn("ambiguous-course", [f.code for f in told.quality.findings])

    def test_backwards(self) -> None:
        lat, lon = along(spiral()[::-1], 15.0, 3.0)
        [found] = recognise(lat, lon, [course(spiral())])
        self.assertTrue(found.backwards)
        self.assertGreater(found.score, 0.9)
        self.assertTrue(math.isfinite(found.share))


if __name__ == "__main__":
    unittest.main()
