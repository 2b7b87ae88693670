"""Channels of different rates brought together at common times."""

from __future__ import annotations

import numpy as np

from kumpel.core.recording import Channel, Floats, Recording
from kumpel.core.timebase import grid_places
from kumpel.core.units import channel_in

WANTED = {
    "lat": "deg",
    "lon": "deg",
    "speed": "m/s",
    "lateral_g": "g",
    "forward_g": "g",
    "vertical_g": "g",
    "steering": "deg",
    "throttle": "%",
    "brake": "%",
    "rpm": "rpm",
    "water_temp": "°C",
    "oil_temp": "°C",
    "exhaust_temp": "°C",
    "heart_rate": "bpm",
}
"""Units that the figures use; channels with other names keep their own."""
STEPPED = ("gear", "flag", "beacon")
"""Channels that jump from value to value: between two samples the earlier one holds."""


def in_units(recording: Recording, key: str) -> Channel | None:
    """A channel in the unit the figures use, or None. Raises UnitError naming the channel."""
    channel = recording.channels.get(key)
    if channel is None:
        return None
    wanted = WANTED.get(key)
    return channel if wanted is None else channel_in(channel, wanted)


def at_times(channel: Channel, times_s: Floats) -> Floats:
    """A channel's values at times after the start, shape of `times_s`: linear between samples, nan beside missing ones.

    A channel that steps (a gear) keeps the earlier sample. Outside the channel's length nothing was measured.
    """
    values, n = channel.values, channel.count
    if not n:
        return np.full(np.shape(times_s), np.nan)
    known = ~np.isnan(times_s)
    first, part = grid_places(np.where(known, times_s, 0.0), channel.interval_s)
    inside = known & (first >= 0) & (first < n)
    first = np.clip(first, 0, n - 1)
    if channel.key.startswith(STEPPED):
        return np.where(inside, values[first], np.nan)
    second = np.minimum(first + 1, n - 1)
    low = values[first]
    found: Floats = np.where(part > 0, low + part * (values[second] - low), low)
    return np.where(inside, found, np.nan)
