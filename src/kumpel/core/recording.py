"""What a recorder recorded, as arrays with units and a time base."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Hashable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, Literal, TypeVar

import numpy as np
from numpy.typing import NDArray

from kumpel.core.samples import MOST_WHOLE_BYTES, ArraySamples, Floats, PartOf, Samples, TooLongError

__all__ = [
    "Channel",
    "ChannelWord",
    "Event",
    "Flags",
    "Floats",
    "Points",
    "Recording",
    "Reduce",
    "recorded_s",
    "sample_times",
]
Flags = NDArray[np.bool_]
T = TypeVar("T")


def sample_times(count: int, interval_s: float) -> Floats:
    """Start of each sample in s after the start of the recording, shape (count,).

    >>> sample_times(3, 0.5)
    array([0. , 0.5, 1. ])
    """
    return np.arange(count, dtype=np.float64) * interval_s


@dataclass(frozen=True, init=False)
class Channel:
    """One evenly sampled quantity of a recording.

    `samples` are in `unit`; `nan` means "not measured". Sample i covers the time from `i * interval_s` to
    `(i + 1) * interval_s` after the start of the recording. Made from samples, or from an array of shape (n,).
    """

    key: str
    name: str
    unit: str
    interval_s: float
    samples: Samples

    def __init__(self, key: str, name: str, unit: str, interval_s: float, samples: Samples | Floats) -> None:
        if interval_s <= 0:
            raise ValueError(f"channel {key}: the interval must be above 0 s, not {interval_s}")
        if not isinstance(samples, Samples) and samples.ndim != 1:
            raise ValueError(f"channel {key}: values must be one-dimensional")
        made = samples if isinstance(samples, Samples) else ArraySamples(samples)
        for name_of, value in zip(self.__dataclass_fields__, (key, name, unit, interval_s, made), strict=True):
            object.__setattr__(self, name_of, value)

    @property
    def count(self) -> int:
        return self.samples.count

    @property
    def values(self) -> Floats:
        """All samples, shape (n,). Raises TooLongError beyond 32 MB: what may be longer is read in blocks."""
        if 8 * self.samples.count > MOST_WHOLE_BYTES:
            raise TooLongError(f"channel “{self.name}”", self.samples.count)
        return self.samples.read(0, self.samples.count)

    @property
    def length_s(self) -> float:
        return self.samples.count * self.interval_s


Reduce = Literal["mean", "energy", "angle", "state", "any"]
"""How samples become one value of a picture: their mean, the mean of their energy (decibels); the value that stands (a state);
whether it was ever so (a flag); not at all (an angle or a place, which has no picture over time)."""


@dataclass(frozen=True)
class ChannelWord:
    """A channel of a kind: its key, name and unit, and how a picture sums it up.

    `usual` says whether it is shown without being picked.
    """

    key: str
    name: str
    unit: str
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


BY_EVENT = (POINT, "reading", "compression", "stroke")
"""Codes of events that are what was recorded, one by one, as samples are; others are marks on it."""


def recorded_s(channels_s: Iterable[float], events: Iterable[Event]) -> float:
    """Length in s of everything that was recorded: to the end of the longest channel or the last reading, whichever is later;
    of marks alone, to the last of them.

    >>> recorded_s([60.0, 59.5], [])
    60.0
    """
    longest = max(channels_s, default=0.0)
    listed = [(e.at_s, e.code in BY_EVENT) for e in events]
    read = max((at for at, counts in listed if counts), default=0.0)
    return max(longest, read) or max((at for at, _ in listed), default=0.0)


class NotThereError(LookupError):
    """A channel or a lap that a recording does not have; its words say which."""


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
    derived: dict[str, Any] = field(default_factory=dict, init=False, repr=False, compare=False)
    """What was worked out from the recording alone and depends on no decision and no limit; see `once`."""

    def once(self, key: str, make: Callable[[], T]) -> T:
        """Something derived from the recording, worked out when it is first asked for."""
        if key not in self.derived:
            self.derived[key] = make()
        made: T = self.derived[key]
        return made

    def lately(self, what: str, key: Hashable, make: Callable[[], T], most: int = 3) -> T:
        """As `once`, of something that depends on decisions, too: kept for the `most` of them (`key`) that were asked for last."""
        kept: dict[Hashable, T] = self.derived.setdefault(what, {})
        made = kept.pop(key) if key in kept else make()
        kept[key] = made
        while len(kept) > most:
            with contextlib.suppress(KeyError, StopIteration):  # another thread was first
                del kept[next(iter(kept))]
        return made

    def moved_to(self, start: float) -> Recording:
        """The recording as if it had begun at another time (Unix s); what was worked out from it stays: nothing of that depends on the
        clock."""
        made = replace(self, start=start)
        object.__setattr__(made, "derived", self.derived)
        return made

    def and_channels(self, more: Mapping[str, Channel]) -> Recording:
        """The recording with further channels, under keys that it does not have; what was worked out from it stays."""
        made = replace(self, channels={**self.channels, **more})
        object.__setattr__(made, "derived", self.derived)
        return made

    def between(self, start_s: float, end_s: float) -> Recording:
        """What was recorded from `start_s` to `end_s` (s after the start), as a recording of its own: every sample that the span touches,
        and the events in it. It begins with a sample of the coarsest channel."""
        coarsest = max((channel.interval_s for channel in self.channels.values()), default=0.0)
        begin = math.floor(max(start_s, 0.0) / coarsest + 1e-9) * coarsest if coarsest else max(start_s, 0.0)
        channels = {}
        for key, channel in self.channels.items():
            first, end = round(begin / channel.interval_s), math.ceil(end_s / channel.interval_s - 1e-9)
            part = PartOf(channel.samples, first, max(min(end, channel.count), first))
            channels[key] = Channel(key, channel.name, channel.unit, channel.interval_s, part)
        events = tuple(replace(e, at_s=e.at_s - begin) for e in self.events if begin <= e.at_s < end_s)
        return replace(self, start=self.start + begin, channels=channels, events=events)

    @property
    def length_s(self) -> float:
        """How long it was recorded, see `recorded_s`."""
        return recorded_s((c.length_s for c in self.channels.values()), self.events)

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
