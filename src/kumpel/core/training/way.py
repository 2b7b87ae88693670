"""The way of a session as channels for pictures: metres east, north and along it. Figures never come from these."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from kumpel.core.geo import plane_of, usable_positions
from kumpel.core.recording import Channel, Floats, Recording
from kumpel.core.review import Review
from kumpel.core.track import believable
from kumpel.core.training.course import MOVER, base_of, course_of

EVEN_S = 1.0
"""Rows recorded at uneven times are drawn each second."""
BRIDGED_S = 30.0
"""Over a longer time without a position no line is drawn."""


def way_channels(recording: Recording) -> Mapping[str, Channel]:
    """The channels "way.m" (m along the way, nothing left out), "way.east" and "way.north" (m from the middle of the course, on a plane); the latter
    two nan where no position is known or it is doubted, and missing where none was recorded. Empty where there is nothing to make them of."""
    try:
        base = base_of(recording)
        course = course_of(recording, Review(), base)
    except ValueError:
        return {}
    uneven = recording.points is not None
    step = EVEN_S if uneven else float(base.edges_s[1] - base.edges_s[0]) if len(base) else EVEN_S
    count = max(round(float(base.edges_s[-1] - base.edges_s[0]) / step), 1)
    at: Floats = base.edges_s[0] + (np.arange(count) + 0.5) * step
    made = {"way.m": Channel("way.m", "Along the way", "m", step, course.distance_at(at))}
    lat, lon = base.columns.get("lat"), base.columns.get("lon")
    if lat is None or lon is None:
        return made
    lat, lon = usable_positions(lat, lon)
    known = believable(base.edges_s[:-1], lat, lon, MOVER)
    middles = ((base.edges_s[1:] + base.edges_s[:-1]) / 2)[known]
    east, north = plane_of(lat[known], lon[known]).xy(lat[known], lon[known])
    for key, name, values in (("way.east", "East", east), ("way.north", "North", north)):
        made[key] = Channel(key, name, "m", step, _bridged(at, middles, values))
    return made


def _bridged(at: Floats, known_at: Floats, values: Floats) -> Floats:
    """Values at other times, straight between known ones that lie at most `BRIDGED_S` apart; nan elsewhere."""
    if len(known_at) < 2:
        return np.full(len(at), np.nan)
    found: Floats = np.interp(at, known_at, values, left=np.nan, right=np.nan)
    after = np.clip(np.searchsorted(known_at, at), 1, len(known_at) - 1)
    found[known_at[after] - known_at[after - 1] > BRIDGED_S] = np.nan
    return found
