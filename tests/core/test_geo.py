"""Distances on the ellipsoid: published lines, a second library, edges."""

import math
import unittest

import numpy as np
from geographiclib.geodesic import Geodesic

from kumpel.core.geo import Plane, geodesic_m, haversine_m, plane_of, usable_positions


def one(a: float, b: float, c: float, d: float) -> float:
    return float(geodesic_m(*(np.array([v]) for v in (a, b, c, d)))[0])


class Geodesics(unittest.TestCase):
    def test_published(self) -> None:
        # quarter meridian of WGS 84: 10,001,965.729 m; one degree on the equator: a pi/180
        self.assertAlmostEqual(one(0, 0, 90, 0), 10_001_965.729, places=2)
        self.assertAlmostEqual(one(0, 0, 0, 1), 6_378_137 * math.pi / 180, places=3)
        # Flinders Peak - Buninyong (Geoscience Australia, on GRS 80, which differs by less than 0.1 mm): 54,972.271 m
        self.assertAlmostEqual(
            one(-37.95103341666667, 144.42486788888888, -37.65282113888889, 143.92649552777777), 54_972.271, places=2
        )

    def test_against_a_second_library(self) -> None:
        rng = np.random.default_rng(2)
        lat1, lon1 = rng.uniform(-89, 89, 200), rng.uniform(-180, 180, 200)
        lat2 = np.clip(lat1 + rng.normal(0, 10.0 ** rng.uniform(-5, 1, 200)), -89, 89)
        lon2 = lon1 + rng.normal(0, 10.0 ** rng.uniform(-5, 1, 200))
        for i, found in enumerate(geodesic_m(lat1, lon1, lat2, lon2)):
            wanted = Geodesic.WGS84.Inverse(lat1[i], lon1[i], lat2[i], lon2[i])["s12"]
            self.assertAlmostEqual(found, wanted, delta=1e-3)

    def test_edges(self) -> None:
        self.assertEqual(one(47, 13, 47, 13), 0.0)
        self.assertAlmostEqual(one(10, 179.9999, 10, -179.9999), one(10, 0, 10, 0.0002), places=4)
        self.assertTrue(math.isnan(one(math.nan, 0, 1, 1)))
        self.assertAlmostEqual(
            one(0, 0, 0.3, 179.8) / 19_944_127, 1.0, delta=0.006
        )  # nearly opposite: the great circle
        self.assertAlmostEqual(
            float(haversine_m(np.array([0.0]), np.array([0.0]), np.array([90.0]), np.array([0.0]))[0]),
            6_371_008.8 * math.pi / 2,
            places=3,
        )

    def test_the_flat_map(self) -> None:
        plane = Plane(47.6, 13.8)
        lat, lon = plane.lat_lon(np.array([0.0, 1500, -800]), np.array([0.0, 900, 2000]))
        x, y = plane.xy(lat, lon)
        np.testing.assert_allclose(x, [0, 1500, -800], atol=1e-6)
        np.testing.assert_allclose(y, [0, 900, 2000], atol=1e-6)
        true = geodesic_m(lat[:1], lon[:1], lat[1:2], lon[1:2])[0]
        self.assertAlmostEqual(math.hypot(1500, 900) / true, 1.0, delta=1e-4)

    def test_positions_that_cannot_be(self) -> None:
        lat, _ = usable_positions(np.array([47.0, 0, 91, 47, np.nan]), np.array([13.0, 0, 13, 181, 13]))
        self.assertEqual(np.flatnonzero(~np.isnan(lat)).tolist(), [0])
        self.assertEqual(plane_of(np.full(3, np.nan), np.full(3, np.nan)), Plane(0, 0))


if __name__ == "__main__":
    unittest.main()
