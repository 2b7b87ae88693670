"""Where something met the people of a crew, and how its front passed over their places."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kumpel.core.geo import plane_of, usable_positions
from kumpel.core.recording import Floats, Recording

KNOWN_FOR_S = 60.0
"""A position holds for somebody on foot for so long before and after it was taken."""
FEWEST = 3
NARROWEST_M = 10.0
"""Places that lie within so many metres of one line say nothing of what came from the side: about what a receiver is wrong by."""
TOGETHER_S = 30.0
LEAST_EXPLAINED = 0.7
SOURCE = "t = a + b x + c y by least squares; the front moves along (b, c) at 1 / |(b, c)|"


@dataclass(frozen=True)
class Front:
    """A front that passes over a plain: metres a minute, the bearing that it moves in (degrees from north, clockwise), by how many seconds the
    times lie from it (root mean square)."""

    speed_m_min: float
    bearing_deg: float
    apart_s: float


@dataclass(frozen=True)
class Places:
    """Metres east and north of the middle of all, shape (n,); the front that passed over them, or why none is told."""

    east_m: Floats
    north_m: Floats
    front: Front | None
    why_not: str


def position_at(recording: Recording, at_s: float) -> tuple[float, float] | None:
    """Latitude and longitude (degrees) nearest to a time, None where none was taken within a minute of it."""
    lat, lon = (recording.channels.get(key) for key in ("lat", "lon"))
    if lat is None or lon is None or lat.interval_s != lon.interval_s or lat.count != lon.count:
        return None
    first = max(math.ceil((at_s - KNOWN_FOR_S) / lat.interval_s), 0)
    end = min(math.floor((at_s + KNOWN_FOR_S) / lat.interval_s) + 1, lat.count)
    if end <= first:
        return None
    one, other = usable_positions(lat.samples.read(first, end), lon.samples.read(first, end))
    known = np.flatnonzero(~np.isnan(one))
    if not len(known):
        return None
    nearest = known[np.argmin(np.abs((first + known) * lat.interval_s - at_s))]
    return float(one[nearest]), float(other[nearest])


def places_of(at_s: Sequence[float], lat: Sequence[float], lon: Sequence[float]) -> Places:
    """Where something was met and when (s on one clock), shapes (n,), and the plane front that explains the times.

    Times are explained by a front that moves straight on at one speed (formula: `SOURCE`). None is told of fewer than three places, of places in
    a line, of one that came everywhere at once, and where it explains less than 70 % of how the times vary (of four or more).

    >>> found = places_of([0.0, 60.0, 0.0], [0.0, 0.0, 0.001], [0.0, 0.001, 0.0])  # 111 m east a minute later, north of it at once
    >>> round(found.front.speed_m_min), round(found.front.bearing_deg)
    (111, 90)
    """
    where = np.array(lat, float), np.array(lon, float)
    east, north = plane_of(*where).xy(*where)
    at = np.array(at_s, float)
    front = _front(at, east, north)
    return Places(east, north, *((front, "") if isinstance(front, Front) else (None, front)))


def _front(at: Floats, east: Floats, north: Floats) -> Front | str:
    if len(at) < FEWEST:
        return f"{FEWEST} places are needed to say how it moved"
    centred = np.stack((east - east.mean(), north - north.mean()), axis=1)
    across = float(np.linalg.svd(centred, compute_uv=False)[-1]) / math.sqrt(len(at))
    if across < NARROWEST_M:
        return "the places lie in a line: from which side it came is not known"
    late = at - at.mean()
    if float(np.ptp(at)) < TOGETHER_S:
        return f"it was everywhere within {TOGETHER_S:.0f} s"
    slowness, *_ = np.linalg.lstsq(centred, late, rcond=None)
    rest = late - centred @ slowness
    if len(at) > FEWEST and 1 - float(rest @ rest) / float(late @ late) < LEAST_EXPLAINED:
        return "it did not come as one front: the times do not follow from the places"
    b, c = slowness.tolist()
    return Front(60 / math.hypot(b, c), math.degrees(math.atan2(b, c)) % 360, float(np.sqrt(np.mean(rest**2))))
