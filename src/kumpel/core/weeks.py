"""Weeks of daily figures: a week has a figure of its own only where every working day of it was measured."""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Floats

WORKING_DAYS = 5
"""Monday to Friday (2003/10/EC, art. 2 c: a nominal week of five eight-hour days)."""


@dataclass(frozen=True)
class WeekOfDays:
    """A week from its `monday` on (a number of days): on how many of its `working` days something was `measured`, and the figure of the
    week, nan unless it was all of them."""

    monday: int
    measured: int
    value: float
    working: int = WORKING_DAYS


def weeks(
    days: Sequence[int], values: Sequence[float], of: Callable[[Floats], float], free: Collection[int] = ()
) -> list[WeekOfDays]:
    """The weeks with at least one measured day, oldest first. `days` are numbers of days as `datetime.date.toordinal` counts them;
    of several values of a day the highest counts; what is nan does not. Work on a weekend counts towards the week, and takes the place
    of no working day. A day of `free` (a holiday, leave) is no working day: its week is whole without it, and without exposure on it;
    who works on it all the same works as on a weekend.

    >>> found = weeks([736_331, 736_332, 736_333, 736_334, 736_335, 736_338], [85.0] * 6, lambda daily: float(daily.mean()))
    >>> [(week.measured, week.value) for week in found]   # Monday 2 January 2017 to Friday, and the Monday after
    [(5, 85.0), (1, nan)]
    """
    by_week: dict[int, dict[int, float]] = {}
    for day, value in zip(days, values, strict=True):
        if math.isnan(value):
            continue
        monday = day - (day - 1) % 7
        mine = by_week.setdefault(monday, {})
        mine[day - monday] = max(value, mine.get(day - monday, -math.inf))
    found = []
    for monday, mine in sorted(by_week.items()):
        working = {weekday for weekday in range(WORKING_DAYS) if monday + weekday not in free}
        measured = len(working & mine.keys())
        whole = bool(working) and measured == len(working)
        value = of(np.array([*mine.values()])) if whole else math.nan
        found.append(WeekOfDays(monday, measured, value, len(working)))
    return found
