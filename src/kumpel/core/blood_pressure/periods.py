"""What figures are computed over: 24 h, awake, asleep, and each night of a recording of several; and the limits that hold in them."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kumpel.core.assessment import LimitSet
from kumpel.core.blood_pressure.readings import Readings
from kumpel.core.blood_pressure.sleep import Sleep
from kumpel.core.nights import sleep_from_setup
from kumpel.core.recording import Flags, Floats, Recording
from kumpel.core.review import Stretch
from kumpel.core.timebase import DAY_S

ONE_DAY_S = 27 * 3600.0
"""Up to here a recording is one day, and all of it counts for its 24 h figures."""
NEARLY_S = 3600.0
"""A last day that lacks no more than this is whole."""
PRESSURES = ("systolic", "diastolic")


@dataclass(frozen=True)
class Period:
    """Readings that figures are computed over: `inside` flags them, shape (n,)."""

    key: str
    name: str
    inside: Flags


@dataclass(frozen=True)
class Periods:
    """The periods of a recording. `day` are the readings of its whole days, `nights` each sleep with the waking times around it."""

    day: Period
    awake: Period
    asleep: Period
    nights: tuple[tuple[Period, Flags], ...]

    @property
    def three(self) -> tuple[Period, Period, Period]:
        return self.day, self.awake, self.asleep


def whole_days_s(length_s: float) -> float:
    """Up to when (s after the start) the figures of 24 h rest on a recording: on all of it up to 27 h, else on whole days.

    A last day that lacks an hour at the most is whole: 47.5 h are two days, 46 h one.

    >>> whole_days_s(86_400.0 + 3000), whole_days_s(2 * 86_400.0 - 1800) / 3600, whole_days_s(46 * 3600.0) / 3600
    (89400.0, 47.5, 24.0)
    """
    if length_s <= ONE_DAY_S:
        return length_s
    return min((length_s + NEARLY_S) // DAY_S * DAY_S, length_s)


def periods_of(found: Readings, sleep: Sleep, length_s: float) -> Periods:
    """The periods of tries: every one is awake or asleep, unless sleep is not known.

    A night's waking times are those from the sleep before it (or the start) to its own begin, and from its end to the next
    sleep (or the end of the recording).
    """
    at = found.at_s
    asleep = sleep.at(at)
    awake = ~asleep if sleep.source != "unknown" else np.zeros(len(at), bool)
    limit = whole_days_s(length_s)
    day = at < limit if limit < length_s else np.ones(len(at), bool)
    stretches = sorted(sleep.stretches, key=lambda s: s.start_s)
    nights = []
    for i, night in enumerate(stretches if len(stretches) > 1 else ()):
        before = stretches[i - 1].end_s if i else -math.inf
        after = stretches[i + 1].start_s if i + 1 < len(stretches) else math.inf
        inside = (at >= night.start_s) & (at < night.end_s)
        around = awake & (at >= before) & (at < after)
        nights.append((Period(f"night{i + 1}", f"Night {i + 1}", inside), around))
    return Periods(
        Period("all", "24 h", day), Period("awake", "Awake", awake), Period("asleep", "Asleep", asleep), tuple(nights)
    )


def limit_of(limits: LimitSet, period: str, quantity: str) -> float:
    """The limit set's value for the mean of a quantity in a period, in mmHg; nan when it has none."""
    wanted = f"{period}.{quantity}.mean"
    return next((rule.steps[-1].value for rule in limits.rules if rule.figure == wanted), math.nan)


def own_limits(limits: LimitSet, periods: Periods, quantity: str) -> Floats:
    """The limit that each reading is held against, in mmHg, shape (n,): that of waking or sleep, of 24 h where there is none; nan where a
    set says nothing."""
    usual = limit_of(limits, "all", quantity)
    found = np.full(len(periods.day.inside), usual)
    for period in (periods.awake, periods.asleep):
        own = limit_of(limits, period.key, quantity)
        if not math.isnan(own):
            found[period.inside] = own
    return found


def missing_nights(recording: Recording, sleep: Sleep) -> list[Stretch]:
    """Nights that the setup tells of and that were recorded for the most part, without a sleep within 12 h of them."""
    middles = [(s.start_s + s.end_s) / 2 for s in sleep.stretches]
    found = []
    for night in sleep_from_setup(recording):
        covered = min(night.end_s, recording.length_s) - max(night.start_s, 0.0)
        middle = (night.start_s + night.end_s) / 2
        if covered > 0.5 * (night.end_s - night.start_s) and not any(abs(m - middle) < DAY_S / 2 for m in middles):
            found.append(night)
    return found
