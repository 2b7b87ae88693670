"""Distances on the WGS 84 ellipsoid, and a flat map of a small area."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Floats

WGS84_A = 6_378_137.0
WGS84_F = 1 / 298.257223563
WGS84_B = WGS84_A * (1 - WGS84_F)
E2 = WGS84_F * (2 - WGS84_F)
MEAN_RADIUS_M = 6_371_008.8
BLOCK = 8192
GEODESIC_SOURCE = "WGS 84 geodesic; Vincenty, Survey Review 1975;23:88, inverse formula"


def geodesic_m(lat1: Floats, lon1: Floats, lat2: Floats, lon2: Floats) -> Floats:
    """Length in m of the shortest line on the WGS 84 ellipsoid between points in degrees, shapes alike.

    Vincenty's inverse formula, better than 0.5 mm. For nearly opposite points of the earth, where it does not
    settle, the great circle (`haversine_m`, within 0.6 %) stands in. nan where a coordinate is nan.

    >>> one = np.array([0.0])
    >>> geodesic_m(one, one, one, one + 1.0).round(1)  # a degree along the equator
    array([111319.5])
    """
    if np.ndim(lat1) == 1 and len(lat1) > BLOCK:
        parts = [slice(i, i + BLOCK) for i in range(0, len(lat1), BLOCK)]
        return np.concatenate([geodesic_m(lat1[p], lon1[p], lat2[p], lon2[p]) for p in parts])
    u1 = np.arctan((1 - WGS84_F) * np.tan(np.radians(lat1)))
    u2 = np.arctan((1 - WGS84_F) * np.tan(np.radians(lat2)))
    across = np.radians(lon2 - lon1)
    across = (across + np.pi) % (2 * np.pi) - np.pi
    s1, c1, s2, c2 = np.sin(u1), np.cos(u1), np.sin(u2), np.cos(u2)
    lam = across
    with np.errstate(invalid="ignore", divide="ignore"):
        for _ in range(50):
            sl, cl = np.sin(lam), np.cos(lam)
            sin_sigma = np.hypot(c2 * sl, c1 * s2 - s1 * c2 * cl)
            cos_sigma = s1 * s2 + c1 * c2 * cl
            sigma = np.arctan2(sin_sigma, cos_sigma)
            sin_alpha = np.where(sin_sigma > 0, c1 * c2 * sl / sin_sigma, 0.0)
            cos2_alpha = 1 - sin_alpha**2
            cos_2m = np.where(cos2_alpha > 1e-15, cos_sigma - 2 * s1 * s2 / cos2_alpha, 0.0)
            c = WGS84_F / 16 * cos2_alpha * (4 + WGS84_F * (4 - 3 * cos2_alpha))
            new = across + (1 - c) * WGS84_F * sin_alpha * (
                sigma + c * sin_sigma * (cos_2m + c * cos_sigma * (2 * cos_2m**2 - 1))
            )
            change = np.abs(new - lam)
            lam = new
            if not np.any(change > 1e-12):
                break
    u_sq = cos2_alpha * (WGS84_A**2 - WGS84_B**2) / WGS84_B**2
    a = 1 + u_sq / 16384 * (4096 + u_sq * (-768 + u_sq * (320 - 175 * u_sq)))
    b = u_sq / 1024 * (256 + u_sq * (-128 + u_sq * (74 - 47 * u_sq)))
    delta = (
        b
        * sin_sigma
        * (
            cos_2m
            + b / 4 * (cos_sigma * (2 * cos_2m**2 - 1) - b / 6 * cos_2m * (4 * sin_sigma**2 - 3) * (4 * cos_2m**2 - 3))
        )
    )
    length: Floats = WGS84_B * a * (sigma - delta)
    unsettled = change > 1e-9
    return np.where(unsettled, haversine_m(lat1, lon1, lat2, lon2), length) if np.any(unsettled) else length


def haversine_m(lat1: Floats, lon1: Floats, lat2: Floats, lon2: Floats) -> Floats:
    """Length in m of the great circle on a sphere of 6,371,008.8 m (IUGG mean radius), points in degrees.

    >>> round(float(haversine_m(np.array(0.0), np.array(0.0), np.array(0.0), np.array(1.0))), 1)  # 6371008.8 x pi / 180
    111195.1
    """
    p1, p2 = np.radians(lat1), np.radians(lat2)
    h = np.sin((p2 - p1) / 2) ** 2 + np.cos(p1) * np.cos(p2) * np.sin(np.radians(lon2 - lon1) / 2) ** 2
    length: Floats = 2 * MEAN_RADIUS_M * np.arcsin(np.sqrt(np.clip(h, 0, 1)))
    return length


def earth_xyz(lat: Floats, lon: Floats) -> Floats:
    """Places on the WGS 84 ellipsoid in m from the earth's centre, shape (n, 3), of degrees of shape (n,).

    X = N cos lat cos lon, Y = N cos lat sin lon, Z = N (1 - e2) sin lat, N = a / sqrt(1 - e2 sin2 lat). The straight line between
    two of them is shorter than the geodesic by 1 part in 24 (s/R)2: 4 mm in 10 km. No dateline, no pole.
    Source: EPSG guidance note 7-2, geographic/geocentric conversions (method 9602).

    >>> earth_xyz(np.array([0.0]), np.array([0.0])).tolist()
    [[6378137.0, 0.0, 0.0]]
    """
    found = np.empty((len(lat), 3))
    for first in range(0, len(lat), BLOCK):
        part = slice(first, first + BLOCK)
        phi, lam = np.radians(lat[part]), np.radians(lon[part])
        normal = WGS84_A / np.sqrt(1 - E2 * np.sin(phi) ** 2)
        flat = normal * np.cos(phi)
        found[part] = np.stack((flat * np.cos(lam), flat * np.sin(lam), normal * (1 - E2) * np.sin(phi)), axis=-1)
    return found


@dataclass(frozen=True)
class Plane:
    """A flat map around a point: metres east and north of it.

    Uses the ellipsoid's radii of curvature at the origin; within 5 km of it lengths are right to 0.1 % (at
    latitudes up to 60 degrees), and lap times, which only depend on ratios along the track, far better.
    """

    lat: float
    lon: float

    @property
    def metres_per_degree(self) -> tuple[float, float]:
        """East and north: N cos(lat) pi/180 and M pi/180, N and M the radii of curvature."""
        s = np.sin(np.radians(self.lat))
        w = 1 - E2 * s * s
        east = WGS84_A / np.sqrt(w) * np.cos(np.radians(self.lat)) * np.pi / 180
        north = WGS84_A * (1 - E2) / w**1.5 * np.pi / 180
        return float(east), float(north)

    def xy(self, lat: Floats, lon: Floats) -> tuple[Floats, Floats]:
        """Metres east and north, shapes alike."""
        east, north = self.metres_per_degree
        turn = (lon - self.lon + 180.0) % 360.0 - 180.0
        return turn * east, (lat - self.lat) * north

    def lat_lon(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Degrees of points in metres east and north: the inverse of `xy`."""
        east, north = self.metres_per_degree
        return self.lat + y / north, self.lon + x / east


def plane_of(lat: Floats, lon: Floats) -> Plane:
    """A plane around the middle of positions; around 0, 0 when there is none."""
    good = np.flatnonzero(~(np.isnan(lat) | np.isnan(lon)))
    if not len(good):
        return Plane(0.0, 0.0)
    # A few thousand positions say where the middle is.
    few = good[:: max(len(good) // 4000, 1)]
    return Plane(float(np.median(lat[few])), float(np.median(lon[few])))


def usable_positions(lat: Floats, lon: Floats) -> tuple[Floats, Floats]:
    """Positions with nan where they cannot be: outside +-90 / +-180 degrees, or exactly 0, 0 (no fix)."""
    with np.errstate(invalid="ignore"):
        bad = (np.abs(lat) > 90) | (np.abs(lon) > 180) | ((lat == 0) & (lon == 0)) | np.isnan(lat) | np.isnan(lon)
    return np.where(bad, np.nan, lat), np.where(bad, np.nan, lon)
