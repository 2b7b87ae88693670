"""A front over known places: speed and direction by closed form, and when none is told."""

from __future__ import annotations

import math
import unittest

import numpy as np

from kumpel.core.front import Places, places_of, position_at
from kumpel.core.geo import Plane
from kumpel.core.recording import Channel, Recording

PLANE = Plane(47.3, 8.5)


def places(speed_m_min: float, bearing: float, points: list[tuple[float, float]], noise: float = 0.0) -> Places:
    """A plane front at a speed towards a bearing arrives at (x, y) after (x sin + y cos) / speed."""
    towards = math.radians(bearing)
    jitter = np.random.default_rng(1).normal(0, noise, len(points)) if noise else np.zeros(len(points))
    at = [(x * math.sin(towards) + y * math.cos(towards)) / speed_m_min * 60 for x, y in points]
    lat, lon = PLANE.lat_lon(np.array([x for x, _ in points]), np.array([y for _, y in points]))
    return places_of([a + j for a, j in zip(at, jitter, strict=True)], lat.tolist(), lon.tolist())


SIX = [(0.0, 0.0), (120.0, 10.0), (60.0, 90.0), (200.0, -40.0), (-30.0, 60.0), (150.0, 130.0)]


class Fronts(unittest.TestCase):
    def test_speed_and_direction_of_a_plane_front(self) -> None:
        for speed, bearing in ((20.0, 0.0), (35.0, 117.0), (8.0, 270.5), (60.0, 359.0)):
            with self.subTest(speed=speed, bearing=bearing):
                found = places(speed, bearing, SIX)
                self.assertEqual(found.why_not, "")
                self.assertAlmostEqual(found.front.speed_m_min / speed, 1.0, 3)
                self.assertLess(abs((found.front.bearing_deg - bearing + 180) % 360 - 180), 0.1)
                self.assertLess(found.front.apart_s, 0.5)

    def test_times_that_are_ten_seconds_wrong_move_it_little_and_say_so(self) -> None:
        found = places(20.0, 90.0, SIX, noise=10.0)
        self.assertAlmostEqual(found.front.speed_m_min, 20.0, delta=2.0)
        self.assertTrue(3.0 < found.front.apart_s < 15.0)

    def test_what_cannot_be_told_is_said(self) -> None:
        for points, speed, words in (
            (SIX[:2], 20.0, "3 places are needed"),
            ([(0.0, 0.0), (50.0, 1.0), (100.0, -1.0)], 20.0, "in a line"),
            (SIX, 1e5, "everywhere within 30 s"),
        ):
            with self.subTest(words=words):
                found = places(speed, 90.0, points)
                self.assertIsNone(found.front)
                self.assertIn(words, found.why_not)
        lat, lon = PLANE.lat_lon(np.array([x for x, _ in SIX]), np.array([y for _, y in SIX]))
        mixed = places_of([0.0, 900.0, 40.0, 20.0, 850.0, 60.0], lat.tolist(), lon.tolist())
        self.assertIn("did not come as one front", mixed.why_not)


class Positions(unittest.TestCase):
    def recording(self, lat: list[float], lon: list[float], interval: float = 10.0) -> Recording:
        channels = {
            key: Channel(key, key, "deg", interval, np.array(values)) for key, values in (("lat", lat), ("lon", lon))
        }
        return Recording("gas", 0.0, 0, channels, ())

    def test_the_nearest_within_a_minute(self) -> None:
        nan = math.nan
        made = self.recording([47.0, nan, nan, 47.3, *[nan] * 20], [8.0, nan, nan, 8.3, *[nan] * 20])
        self.assertEqual(position_at(made, 4.0), (47.0, 8.0))
        self.assertEqual(position_at(made, 21.0), (47.3, 8.3))
        self.assertEqual(position_at(made, 90.0), (47.3, 8.3))
        self.assertIsNone(position_at(made, 95.0))
        self.assertIsNone(position_at(made, 1e6))
        self.assertIsNone(position_at(self.recording([0.0], [0.0]), 0.0), "no fix")
        self.assertIsNone(position_at(Recording("gas", 0.0, 0, {}, ()), 0.0))
