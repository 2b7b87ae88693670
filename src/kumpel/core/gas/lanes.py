"""What one sensor of a gas monitor recorded, as its figures are computed from it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kumpel.core.gas.sensors import Sensor
from kumpel.core.recording import Flags, Floats, Recording
from kumpel.core.review import Review, samples_inside
from kumpel.core.runs import runs_over_gaps
from kumpel.core.units import channel_in


@dataclass(frozen=True)
class Lane:
    """One sensor's samples in the gas's unit, nan where left out or not logged."""

    sensor: Sensor
    interval_s: float
    average: Floats
    lowest: Floats
    highest: Floats
    over: Flags

    @property
    def key(self) -> str:
        return self.sensor.gas.key

    @property
    def measured_s(self) -> float:
        return float(np.count_nonzero(~np.isnan(self.average))) * self.interval_s

    @property
    def known(self) -> Flags:
        """Log intervals that were measured and not left out."""
        found: Flags = ~np.isnan(self.average)
        return found

    @property
    def alarms(self) -> tuple[Flags, Flags]:
        """Intervals in which the low and the high alarm is reached. Oxygen alarms low below, high above."""
        if self.key == "o2":
            return self.lowest <= self.sensor.low, self.highest >= self.sensor.high
        return self.highest >= self.sensor.low, self.highest >= self.sensor.high


AGAIN_S = 300.0
"""An alarm that begins again within so many seconds is the same one: a reading that flutters about its level is one alarm."""


def alarm_spans(lane: Lane, flags: Flags) -> NDArray[np.intp]:
    """First and end interval of each alarm, shape (k, 2); one that begins again within five measured minutes goes on."""
    missing = ~lane.known
    spans = runs_over_gaps(flags, missing)
    if len(spans) < 2:
        return spans
    unknown = np.concatenate(([0], np.cumsum(missing)))
    gaps = (spans[1:, 0] - spans[:-1, 1]) * lane.interval_s
    apart = np.flatnonzero((gaps > AGAIN_S) | (unknown[spans[1:, 0]] > unknown[spans[:-1, 1]]))
    starts = spans[np.concatenate(([0], apart + 1)), 0]
    ends = spans[np.concatenate((apart, [len(spans) - 1])), 1]
    return np.column_stack((starts, ends))


def lane_of(recording: Recording, review: Review, each: Sensor) -> Lane | None:
    """The lane of a sensor; None when the recording has no channel of its gas."""
    key = each.gas.key
    main = recording.channels.get(f"{key}.avg")
    if main is None:
        return None
    average = channel_in(main, each.gas.unit).values
    out = samples_inside(review.left_out, len(average), main.interval_s)

    def other(name: str) -> Floats:
        channel = recording.channels.get(f"{key}.{name}")
        if channel is None or channel.count != len(average):
            return average
        return channel_in(channel, each.gas.unit).values

    lowest, highest = other("min"), other("max")
    over = (highest >= each.top) & ~out
    if out.any():
        average, lowest, highest = (np.where(out, np.nan, v) for v in (average, lowest, highest))
    if each.factor != 1:
        average, lowest, highest = (v * each.factor for v in (average, lowest, highest))
    return Lane(each, main.interval_s, average, lowest, highest, over)
