"""A night by the hour and by the position of the body: falls over the valid time that they stand in."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from kumpel.core.assessment import Table
from kumpel.core.oximetry.desaturations import Desaturation
from kumpel.core.reckoning import table
from kumpel.core.recording import Floats, Recording, sample_times
from kumpel.core.timebase import wall_clock

HOUR_S = 3600.0
POSITIONS = {1: "on the back", 2: "on the left side", 3: "on the right side", 4: "on the front", 5: "upright"}
"""States of the channel `position`; 0 and anything else: not known."""
COLUMNS = (
    ("Valid", "min", 0),
    ("Falls of 4", "", 0),
    ("ODI4", "/h", 1),
    ("Falls of 3", "", 0),
    ("ODI3", "/h", 1),
    ("Mean", "%", 1),
    ("Lowest", "%", 0),
    ("Below 90 %", "min", 1),
)
Groups = NDArray[np.int64]


def by_hour(recording: Recording, spo2: Floats, interval_s: float, falls: Sequence[Sequence[Desaturation]]) -> Table:
    """A row an hour on the wall. `spo2` in %, shape (n,), nan where it does not count; `falls` are those of 4 and of 3 points that count: each
    belongs to the hour that it begins in, and its index is over the valid time of that hour, not over sixty minutes."""
    at = sample_times(len(spo2), interval_s)
    wall = wall_clock(recording, at)
    hour = np.floor(wall / HOUR_S).astype(np.int64)
    rows = []
    for which in np.unique(hour).tolist():
        mine = hour == which
        begins = float(at[np.flatnonzero(mine)[0]])
        rows.append((begins, *_row(spo2, interval_s, mine, falls)))
    return table("hours", "Hour by hour", (("Hour from", "clock", 0), *COLUMNS), rows)


def by_position(
    recording: Recording, spo2: Floats, interval_s: float, falls: Sequence[Sequence[Desaturation]]
) -> Table | None:
    """A row a position of the body, as `by_hour`; None where no position was recorded."""
    channel = recording.channels.get("position")
    if channel is None or not channel.count or not len(spo2):
        return None
    place = ((sample_times(len(spo2), interval_s) + interval_s / 2) / channel.interval_s).astype(np.int64)
    values = channel.values
    position = np.where(place < channel.count, values[np.minimum(place, channel.count - 1)], np.nan)
    state = np.where(np.isnan(position), 0, np.rint(np.nan_to_num(position))).astype(np.int64)
    rows: list[tuple[str | float, ...]] = [
        (POSITIONS.get(which, "not known"), *_row(spo2, interval_s, state == which, falls))
        for which in np.unique(state).tolist()
    ]
    return table("positions", "By the position of the body", (("Position", "", None), *COLUMNS), rows)


def _row(
    spo2: Floats, interval_s: float, mine: NDArray[np.bool_], falls: Sequence[Sequence[Desaturation]]
) -> tuple[float, ...]:
    known = spo2[mine & ~np.isnan(spo2)]
    valid_s = len(known) * interval_s
    found: list[float] = []
    for each in falls:
        begun = sum(bool(mine[min(int(fall.start_s / interval_s), len(mine) - 1)]) for fall in each)
        found += [float(begun), begun / (valid_s / HOUR_S) if valid_s else math.nan]
    there = len(known) > 0
    return (
        valid_s / 60,
        *found,
        float(known.mean()) if there else math.nan,
        float(known.min()) if there else math.nan,
        float(np.count_nonzero(known < 90)) * interval_s / 60 if there else math.nan,
    )
