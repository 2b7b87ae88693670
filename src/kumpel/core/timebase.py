"""Time stamps put in order: evenly spaced samples from uneven ones, and the wall clock of a recording."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kumpel.core.recording import Floats, Recording

DAY_S = 86_400.0
_MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def on_grid(seconds: Floats) -> Floats:
    """Times or lengths in s to the microsecond, shape alike, before they are compared with a limit.

    16.1 - 6.1 is 10.000000000000002 in binary; a pause of exactly 10 s must not be longer than 10 s.
    """
    return np.round(seconds, 6)


ON_A_SAMPLE = 1e-6
"""A time that lies no further than this share of an interval from a sample lies on it."""


def grid_places(times_s: Floats, interval_s: float) -> tuple[NDArray[np.intp], Floats]:
    """The sample at or before each time, and the share of the way to the next one (0 to below 1), shapes alike.

    Times are taken on the grid of the samples: 0.28 / 0.04 is 7.000000000000001 in binary, and sample 7 is what was meant, not a
    mixture of it with its neighbour, which may not have been measured. Times must be numbers.
    """
    position = np.asarray(times_s, dtype=np.float64) / interval_s
    first = np.floor(position + ON_A_SAMPLE)
    part = position - first
    return first.astype(np.intp), np.where(np.abs(part) <= ON_A_SAMPLE, 0.0, part)


@dataclass(frozen=True)
class Order:
    """How rows with time stamps were put in order: `index` takes them out of the file's order.

    `unsorted` counts rows that came before an earlier row's time, `doubled` rows dropped because another row
    has the same time (the first one counts).
    """

    index: NDArray[np.intp]
    unsorted: int
    doubled: int


def in_order(times_s: Floats) -> Order:
    """Rows with a time in rising order, each time once. Rows without a time (nan) are not among them."""
    index = np.flatnonzero(~np.isnan(times_s))
    known = times_s[index]
    back = int(np.sum(np.diff(known) < 0))
    if back:
        index = index[np.argsort(known, kind="stable")]
    first = np.concatenate(([True], np.diff(times_s[index]) > 0)) if len(index) else np.zeros(0, bool)
    return Order(index[first], back, int(np.sum(~first)))


def usual_interval(times_s: Floats) -> float:
    """The commonest distance of neighbouring times (the median), in s. Raises ValueError for fewer than two.

    >>> usual_interval(np.array([0.0, 1.0, 2.0, 9.0]))
    1.0
    """
    steps = np.diff(times_s)
    steps = steps[steps > 0]
    if not len(steps):
        raise ValueError("fewer than two different times: the interval between samples cannot be told")
    return float(np.median(steps))


def even(times_s: Floats, values: Floats, interval_s: float, count: int, gap: float = 1.5) -> Floats:
    """Values at 0, interval, 2 x interval .. of uneven samples, shape (count,).

    A point between two samples that are at most `gap` intervals apart is interpolated linearly; a point on a sample takes it;
    elsewhere nothing was measured (nan). Times must rise strictly.
    """
    grid = np.arange(count) * interval_s
    good = ~np.isnan(values)
    at, known = times_s[good], values[good]
    if not len(at):
        return np.full(count, np.nan)
    slack = 1e-6 * interval_s
    after = np.clip(np.searchsorted(at, grid - slack), 0, len(at) - 1)
    before = np.clip(after - 1, 0, len(at) - 1)
    hit = np.abs(at[after] - grid) <= slack
    inside = (at[before] < grid) & (grid < at[after]) & (at[after] - at[before] <= gap * interval_s)
    return np.where(hit, known[after], np.where(inside, np.interp(grid, at, known), np.nan))


def wall_clock(recording: Recording, at_s: Floats) -> Floats:
    """Seconds of the wall clock, as if it were UTC, at times after the start of the recording.

    The recorder's offset holds from the start; an event "utc-offset" with `utc_offset_min` changes it (the
    change to or from summer time), so that after the change the clock on the wall is met again.
    """
    offset: Floats = np.full(np.shape(at_s), recording.utc_offset_min * 60.0)
    changes = [event for event in recording.events if event.code == "utc-offset"]
    for event in sorted(changes, key=lambda e: e.at_s):
        minutes = event.data.get("utc_offset_min")
        if isinstance(minutes, int | float):
            offset[at_s >= event.at_s] = minutes * 60.0
    return recording.start + at_s + offset


def wall_days(recording: Recording, count: int, interval_s: float) -> NDArray[np.int32]:
    """Day on the wall, counted from 1970-01-01, of each of `count` samples. Made in blocks: half the samples' memory."""
    days = np.empty(count, np.int32)
    for first in range(0, count, 65_536):
        at = np.arange(first, min(first + 65_536, count), dtype=np.float64) * interval_s
        days[first : first + len(at)] = np.floor(wall_clock(recording, at) / DAY_S)
    return days


def clock_words(recording: Recording, at_s: float, seconds: bool = False) -> str:
    """The time on the wall, "06:30", with seconds "06:30:07"."""
    return _clock(wall_second(recording, at_s), seconds)


def clocks_words(recording: Recording, at_s: Floats) -> list[str]:
    """`clock_words` at many times at once, each "06:30"."""
    return [_clock(second, False) for second in np.round(wall_clock(recording, at_s)).astype(np.int64).tolist()]


def _clock(wall_second: int, seconds: bool) -> str:
    second = wall_second % round(DAY_S)
    words = f"{second // 3600:02d}:{second // 60 % 60:02d}"
    return f"{words}:{second % 60:02d}" if seconds else words


def moment_words(recording: Recording, at_s: float, seconds: bool = False) -> str:
    """The time on the wall where a recording may be longer than a day, "06:30".

    From 24 h after the start on, and before it, the day is said, "14 Nov 06:30"; in another year than the start's that too.
    """
    if 0 <= at_s < DAY_S:
        return clock_words(recording, at_s, seconds)
    is_this_year = _wall_date(recording, at_s)[0] == _wall_date(recording, 0.0)[0]
    return day_and_clock(recording, at_s, seconds, year=not is_this_year)


def day_and_clock(recording: Recording, at_s: float, seconds: bool = False, *, year: bool = True) -> str:
    """The day and the time on the wall, "14 Nov 2026 06:30"."""
    that_year, month, day = _wall_date(recording, at_s)
    words = [
        str(int(day)),
        _MONTHS[int(month) - 1],
        *([that_year] if year else []),
        clock_words(recording, at_s, seconds),
    ]
    return " ".join(words)


def _wall_date(recording: Recording, at_s: float) -> list[str]:
    """Year, month and day on the wall."""
    return str(np.datetime64(wall_second(recording, at_s), "s"))[:10].split("-")


def wall_second(recording: Recording, at_s: float) -> int:
    """`wall_clock` at one time, to the nearest second: starts lie on fractions of one, and 06:59:59.7 is 07:00."""
    return round(float(wall_clock(recording, np.array([at_s]))[0]))


def next_at(recording: Recording, clock: str, after_s: float) -> float:
    """Seconds after the start at which the wall clock next shows `clock` ("22:30"), at or after `after_s`.

    Raises ValueError when `clock` is no time of day. Exact across a change of the offset.
    """
    hours, _, minutes = clock.partition(":")
    if not (hours.isdigit() and minutes.isdigit() and int(hours) < 24 and int(minutes) < 60):
        raise ValueError(f"“{clock}” is no time of day; write it like 22:30")
    wanted = int(hours) * 3600 + int(minutes) * 60
    changes = [e.at_s for e in recording.events if e.code == "utc-offset"]
    begin = after_s
    for end in [*sorted(c for c in changes if c > after_s), float("inf")]:
        wall = float(wall_clock(recording, np.array([begin]))[0])
        found = round(begin + (wanted - wall) % DAY_S, 6)
        if found < end:
            return found
        begin = end
    raise AssertionError("unreachable: the last stretch has no end")
