"""The readings that a cuff recorder will try: by the clock, awake and asleep at their own intervals, none in a quiet window."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

DAY_MIN = 1440.0
Span = tuple[float, float]


@dataclass(frozen=True)
class DayPlan:
    """A day as it is set. Times in minutes after midnight; `quiet` are windows without a reading, `awake_from` and `asleep_from` when
    the interval changes."""

    starts_min: float
    length_min: float
    awake_from: float
    asleep_from: float
    every_awake_min: float
    every_asleep_min: float
    quiet: tuple[Span, ...] = ()


def is_within(at_min: float, span: Span) -> bool:
    """Whether a wall time lies in a window that may cross midnight; one of no length holds nothing.

    >>> is_within(30, (1380, 60)), is_within(90, (1380, 60))
    (True, False)
    """
    start, end = span
    return (at_min - start) % DAY_MIN < (end - start) % DAY_MIN


def planned_readings(day: DayPlan) -> list[tuple[float, bool]]:
    """The readings of a day: minutes after its start, and whether in the night.

    The first is at the start; each next one follows at the interval of the stretch in which the last one was due. One that is due in a
    quiet window is left out, and the count of time goes on: 07:00 to 09:00 every 30 min without 07:45 to 08:15 is 07:00, 07:30, 08:30.
    """
    found = []
    at = 0.0
    while at < day.length_min:
        wall = (day.starts_min + at) % DAY_MIN
        asleep = is_within(wall, (day.asleep_from, day.awake_from))
        if not any(is_within(wall, window) for window in day.quiet):
            found.append((at, asleep))
        at += day.every_asleep_min if asleep else day.every_awake_min
    return found


def counts(readings: Sequence[tuple[float, bool]]) -> tuple[int, int]:
    """How many by day and by night."""
    asleep = sum(in_night for _, in_night in readings)
    return len(readings) - asleep, asleep
