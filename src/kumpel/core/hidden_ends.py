"""A course without the places that it began and ended at."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from kumpel.core.geo import geodesic_m, usable_positions
from kumpel.core.recording import POINT, Channel, Flags, Floats, Recording


def without_ends(recording: Recording, within_m: float) -> Recording:
    """The recording without its positions within so many metres of where it began and of where it ended: where somebody lives need not be told.

    Everything else stays; distances are geodesic, from the first and the last position that can be.
    """
    made = recording
    lat, lon = recording.channels.get("lat"), recording.channels.get("lon")
    if lat is not None and lon is not None and lat.count == lon.count:
        near = _near_ends(lat.values, lon.values, within_m)
        hidden = {
            c.key: Channel(c.key, c.name, c.unit, c.interval_s, np.where(near, np.nan, c.values)) for c in (lat, lon)
        }
        made = replace(made, channels={**recording.channels, **hidden})
    points = recording.points
    if points is not None and {"lat", "lon"} <= set(points.columns):
        near = _near_ends(points.columns["lat"], points.columns["lon"], within_m)
        gone = set(points.at_s[near].tolist())
        kept = tuple(e for e in recording.events if not (e.code == POINT and e.at_s in gone))
        made = replace(made, events=kept)
    return made


def _near_ends(lat: Floats, lon: Floats, within_m: float) -> Flags:
    """Flags of the positions that lie within so many metres of the first or the last one."""
    lat, lon = usable_positions(lat, lon)
    known = np.flatnonzero(~np.isnan(lat))
    near: Flags = np.zeros(len(lat), dtype=bool)
    for end in (known[:1], known[-1:]):
        for i in end.tolist():
            away = geodesic_m(lat, lon, np.full(len(lat), lat[i]), np.full(len(lat), lon[i]))
            with np.errstate(invalid="ignore"):
                near |= away <= within_m
    return near
