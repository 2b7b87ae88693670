"""What a recorder recorded, as arrays with units and a time base."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

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


@dataclass(frozen=True)
class ChannelWord:
    """A channel as files may call it: its key here, its unit, and other names (lower case) for the same quantity."""

    key: str
    name: str
    unit: str
    also: tuple[str, ...] = ()


@dataclass(frozen=True)
class Event:
    """Something that happened at `at_s` seconds after the start of the recording."""

    at_s: float
    code: str
    text: str = ""
    data: Mapping[str, object] = field(default_factory=dict)


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
