"""Sleep and wake of a wearer: from activity counts, from the times of the setup, or as the reviewer says."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum

import numpy as np
from numpy.lib.stride_tricks import sliding_window_view
from numpy.typing import NDArray

from kumpel.core.nights import sleep_from_setup
from kumpel.core.reckoning import setup_number
from kumpel.core.recording import Flags, Floats, Recording
from kumpel.core.review import Review, Stretch
from kumpel.core.runs import bridged, runs
from kumpel.core.timebase import DAY_S, wall_clock

BLOCK = 4096
"""Rows of a moving median at a time: long recordings then need little memory beside themselves."""
AXES = ("activity.x", "activity.y", "activity.z")


class State(IntEnum):
    """What a wearer does in a minute."""

    NO_DATA = 0
    STILL = 1
    RESTING = 2
    MOVING = 3


@dataclass(frozen=True)
class SleepRule:
    """How sleep is read from counts: windows of the moving median and mean (minutes, odd), counts from which a
    minute counts as resting and as moving, and the longest interruption that is bridged (minutes)."""

    axis: str = "magnitude"
    median_min: int = 15
    mean_min: int = 11
    resting_from: float = 30.0
    moving_from: float = 200.0
    bridge_min: float = 30.0
    shortest_h: float = 2.0


def rule_of(review: Review) -> SleepRule:
    """The rule with the reviewer's options (axis, median_min, mean_min, resting_from, moving_from, bridge_min)."""
    usual = SleepRule()
    axis = str(review.options.get("axis", usual.axis))
    if axis not in ("magnitude", "x", "y", "z"):
        raise ValueError(f"option axis: x, y, z or magnitude, not “{axis}”")
    return SleepRule(
        axis,
        max(int(review.number("median_min", usual.median_min)), 1) | 1,
        max(int(review.number("mean_min", usual.mean_min)), 1) | 1,
        review.number("resting_from", usual.resting_from),
        review.number("moving_from", usual.moving_from),
        review.number("bridge_min", usual.bridge_min),
        review.number("shortest_h", usual.shortest_h),
    )


def activity(recording: Recording, axis: str = "magnitude") -> tuple[Floats, float] | None:
    """Counts a minute and the interval in s: of one axis, or the vector magnitude sqrt(x2 + y2 + z2); None without."""
    keys = AXES if axis == "magnitude" else (f"activity.{axis}",)
    found = [recording.channels[k] for k in keys if k in recording.channels]
    if not found:
        return None
    n = min(c.count for c in found)
    per_minute = 60.0 / found[0].interval_s
    total = found[0].values[:n] ** 2
    for channel in found[1:]:
        total += channel.values[:n] ** 2
    np.sqrt(total, out=total)
    total *= per_minute
    return total, found[0].interval_s


def _moving_median(values: Floats, width: int) -> Floats:
    """Median of what was measured in each centred window, nan where nothing was."""
    half = width // 2
    windows = sliding_window_view(np.pad(values, half, constant_values=np.nan), width)
    result = np.empty(len(values))
    for first in range(0, len(values), BLOCK):
        rows = np.sort(windows[first : first + BLOCK], axis=1)
        used = np.sum(~np.isnan(rows), axis=1)  # sorting puts nan last
        at = np.arange(len(rows))
        low, high = rows[at, np.maximum(used - 1, 0) // 2], rows[at, np.minimum(used // 2, width - 1)]
        result[first : first + BLOCK] = (low + high) / 2
    return result


def smoothed(counts: Floats, median: int, average: int) -> Floats:
    """Moving median, then moving mean, over odd numbers of samples, centred, shape (n,); nan only where all is nan."""
    if not len(counts):
        return counts
    missing = np.isnan(counts)
    middle = _moving_median(counts, median)
    known = ~np.isnan(middle)
    half = average // 2
    ones = np.ones(average)
    sums = np.convolve(np.pad(np.where(known, middle, 0.0), half), ones, "valid")
    used = np.convolve(np.pad(known.astype(np.float64), half), ones, "valid")
    with np.errstate(invalid="ignore", divide="ignore"):
        result: Floats = np.where(used > 0, sums / used, np.nan)
    # A long stretch without data stays one: the windows must not reach into it.
    for first, end in runs(missing).tolist():
        if end - first > median:
            result[first:end] = np.nan
    return result


def states(counts: Floats, rule: SleepRule, interval_s: float = 60.0) -> NDArray[np.int8]:
    """State of each sample (see `State`), shape (n,), from smoothed counts a minute."""
    per = 60.0 / interval_s
    smooth = smoothed(counts, max(round(rule.median_min * per), 1) | 1, max(round(rule.mean_min * per), 1) | 1)
    found = np.full(len(counts), State.NO_DATA, dtype=np.int8)
    with np.errstate(invalid="ignore"):
        found[smooth < rule.resting_from] = State.STILL
        found[(smooth >= rule.resting_from) & (smooth < rule.moving_from)] = State.RESTING
        found[smooth >= rule.moving_from] = State.MOVING
    return found


def sleep_from_activity(recording: Recording, rule: SleepRule) -> tuple[Stretch, ...]:
    """The longest still period of each 24 h of the recording, interruptions up to `bridge_min` bridged.

    Empty when there is no activity, or when no still period lasts `shortest_h` hours.
    """
    found = activity(recording, rule.axis)
    if found is None:
        return ()
    counts, interval = found
    still: Flags = states(counts, rule, interval) == State.STILL
    joined = bridged(still, int(rule.bridge_min * 60 / interval))
    spans = [
        (a * interval, b * interval) for a, b in runs(joined).tolist() if (b - a) * interval >= rule.shortest_h * 3600
    ]
    nights: dict[int, tuple[float, float]] = {}
    for a, b in spans:
        # A night belongs to the noon before its middle, so that midnight does not divide it.
        middle = float(wall_clock(recording, np.array([(a + b) / 2]))[0])
        night = int((middle - DAY_S / 2) // DAY_S)
        if night not in nights or b - a > nights[night][1] - nights[night][0]:
            nights[night] = (a, b)
    return tuple(Stretch(a, b, "asleep") for a, b in sorted(nights.values()))


def activity_spans(recording: Recording, rule: SleepRule) -> list[tuple[float, float, State]]:
    """What the wearer did, from when to when (s after the start), by the rule; empty without activity."""
    found = activity(recording, rule.axis)
    if found is None:
        return []
    counts, interval = found
    what = states(counts, rule, interval)
    edges = np.flatnonzero(np.diff(what)) + 1
    starts = [0, *edges.tolist()]
    ends = [*edges.tolist(), len(what)]
    return [(a * interval, b * interval, State(int(what[a]))) for a, b in zip(starts, ends, strict=True) if b > a]


@dataclass(frozen=True)
class Sleep:
    """Asleep stretches and where they come from: "reviewer", "activity", "setup" or "unknown"."""

    stretches: tuple[Stretch, ...]
    source: str

    def at(self, at_s: Floats) -> Flags:
        """Flags of times that lie in sleep: from its start (inclusive) to its end (exclusive)."""
        flags = np.zeros(len(at_s), dtype=bool)
        for each in self.stretches:
            flags |= (at_s >= each.start_s) & (at_s < each.end_s)
        return flags


def sleep_of(recording: Recording, review: Review) -> Sleep:
    """The reviewer's sleep, else that of the activity, else that of the setup's times.

    The option `sleep` = "setup" passes over the activity.
    """
    if review.asleep is not None:
        return Sleep(review.asleep, "reviewer")
    if review.options.get("sleep") != "setup":
        found = sleep_from_activity(recording, rule_of(review))
        if found:
            return Sleep(found, "activity")
    planned = sleep_from_setup(recording)
    return Sleep(planned, "setup" if planned else "unknown")


def planned_readings(recording: Recording, sleep: Sleep) -> float:
    """Readings that the setup's intervals ask for over the recording: `interval_awake_min`, `interval_asleep_min`."""
    awake = setup_number(recording.setup, "interval_awake_min", 30.0)
    asleep = setup_number(recording.setup, "interval_asleep_min", 60.0)
    if awake <= 0 or asleep <= 0:
        raise ValueError("the interval between readings must be above 0 min")
    slept = sum(min(s.end_s, recording.length_s) - s.start_s for s in sleep.stretches if s.start_s < recording.length_s)
    return (recording.length_s - slept) / 60 / awake + slept / 60 / asleep
