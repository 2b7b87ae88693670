"""Metres on the ground into degrees, as a satellite receiver would give them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
EQUATOR_M, POLE_M = 6_378_137.0, 6_356_752.314245
"""Half axes of the WGS 84 ellipsoid (NIMA TR 8350.2, table 3.1)."""


@dataclass(frozen=True)
class Ground:
    """A small flat piece of ground around a point in degrees; x to the east, y to the north."""

    lat: float
    lon: float

    def lat_lon(self, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Degrees of points in metres, shapes alike.

        A degree is as long as the ellipse through the point curves: along the meridian a2 b2 / p3, across it a2 / p, with
        p2 = a2 cos2 + b2 sin2 of the latitude.
        """
        north = math.radians(self.lat)
        p = math.hypot(EQUATOR_M * math.cos(north), POLE_M * math.sin(north))
        along, across = (EQUATOR_M * POLE_M) ** 2 / p**3, EQUATOR_M**2 / p
        lat = self.lat + np.degrees(y / along)
        lon = self.lon + np.degrees(x / (across * math.cos(north)))
        return lat, lon
