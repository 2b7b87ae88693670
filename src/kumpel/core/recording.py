"""What a recorder recorded, as arrays with units and a time base."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]


def sample_times(count: int, interval_s: float) -> Floats:
    """Start of each sample in s after the start of the recording, shape (count,)."""
    return np.arange(count, dtype=np.float64) * interval_s


@dataclass(frozen=True)
class Channel:
    """One evenly sampled quantity of a recording.

    `values` has shape (n,), in `unit`; `nan` means "not measured". Sample i covers the time from
    `i * interval_s` to `(i + 1) * interval_s` after the start of the recording.
    """

    key: str
    name: str
    unit: str
    interval_s: float
    values: Floats

    def __post_init__(self) -> None:
        if self.interval_s <= 0:
            raise ValueError(f"channel {self.key}: the interval must be above 0 s, not {self.interval_s}")
        if self.values.ndim != 1:
            raise ValueError(f"channel {self.key}: values must be one-dimensional")

    @property
    def length_s(self) -> float:
        return len(self.values) * self.interval_s


Reduce = Literal["mean", "energy", "angle", "state", "any"]
"""How samples become one value of a picture: their mean, the mean of their energy (decibels); the value that stands (a state);
whether it was ever so (a flag); not at all (an angle or a place, which has no picture over time)."""


@dataclass(frozen=True)
class ChannelWord:
    """A channel as files may call it: its key here, its unit, and other names (lower case) for the same quantity.

    `usual` says whether it is shown without being picked.
    """

    key: str
    name: str
    unit: str
    also: tuple[str, ...] = ()
    reduce: Reduce = "mean"
    usual: bool = True


@dataclass(frozen=True)
class Event:
    """Something that happened at `at_s` seconds after the start of the recording."""

    at_s: float
    code: str
    text: str = ""
    data: Mapping[str, object] = field(default_factory=dict)


PLAUSIBLE_BPM = (25.0, 240.0)
"""Heart rates in 1/min that are believed; others are faults of a belt or a clip."""
POINT = "point"
"""Code of an event that is one row recorded at its own time: its numbers are quantities by channel key."""
POINT_STANDS_S = 30.0
"""A row at an uneven time stands until the next one, this long at the most; what lies beyond is a gap."""


@dataclass(frozen=True)
class Points:
    """Rows recorded at uneven times: `at_s` rising, shape (n,), and a column a quantity, nan where not measured.

    Units are those of the kind's channels of the same keys.
    """

    at_s: Floats
    columns: Mapping[str, Floats]

    def events(self) -> tuple[Event, ...]:
        """The rows as events, as a recording carries them."""
        keys = list(self.columns)
        rows = zip(self.at_s.tolist(), *(self.columns[k].tolist() for k in keys), strict=True)
        return tuple(
            Event(at, POINT, "", {k: v for k, v in zip(keys, row, strict=True) if v == v}) for at, *row in rows
        )


@dataclass(frozen=True)
class Recording:
    """One session as it was recorded.

    `start` is Unix time in seconds (UTC) by the recorder's clock, `utc_offset_min` the recorder's offset from
    UTC in minutes, `setup` the settings that were on the recorder.
    """

    kind: str
    start: float
    utc_offset_min: int
    channels: Mapping[str, Channel]
    events: tuple[Event, ...] = ()
    setup: Mapping[str, object] = field(default_factory=dict)
    recorder: Mapping[str, object] = field(default_factory=dict)

    @property
    def length_s(self) -> float:
        """The longest channel's length; without channels, the time of the last event."""
        if self.channels:
            return max(c.length_s for c in self.channels.values())
        return max((e.at_s for e in self.events), default=0.0)

    def values(self, key: str) -> Floats | None:
        """Samples of a channel, or None when the recorder has no such channel."""
        channel = self.channels.get(key)
        return None if channel is None else channel.values

    @cached_property
    def points(self) -> Points | None:
        """The rows that were recorded at uneven times (events "point"), in order of time; None when there are none.

        Where there are any, figures rest on them, and the even channels beside them are for drawing.
        """
        rows = sorted((e for e in self.events if e.code == POINT), key=lambda e: e.at_s)
        rows = [e for i, e in enumerate(rows) if i == 0 or e.at_s > rows[i - 1].at_s]
        if not rows:
            return None
        keys = dict.fromkeys(k for e in rows for k in e.data)
        columns = {k: np.array([_finite(e.data.get(k)) for e in rows], dtype=np.float64) for k in keys}
        return Points(np.array([e.at_s for e in rows], dtype=np.float64), columns)


def _finite(value: object) -> float:
    return float(value) if isinstance(value, int | float) and math.isfinite(value) else math.nan
