"""Load of days: what a body is used to, what it had lately, and how alike the days of a week were.

Source and limits: docs/methods/over_time.md, "Load".
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Floats

SOURCE = "Williams et al., Br J Sports Med 2017;51:209 (exponentially weighted); Foster, Med Sci Sports Exerc 1998;30:1164 (monotony, strain)"
LATELY_D, USUALLY_D = 7, 42
MOST_UNKNOWN = 0.3
"""A mean of which more than this share would be days that nobody knows is not known either."""


@dataclass(frozen=True)
class Week:
    """Seven days that end on a day: their load in all, how alike they were, and both together; nan where a day is not known."""

    load: float
    monotony: float
    strain: float


def weighted(daily: Floats, days: int) -> Floats:
    """The exponentially weighted mean of the daily load on each day, shape (n,) as `daily`, in its unit.

    With lambda = 2 / (days + 1) a day counts lambda, the one before (1 - lambda) of that, and so on. A day of rest is 0; a day of which
    the load is not known is nan and has no weight, and neither has anything before the first day: the rest is weighted up to 1. Where
    that would be more than MOST_UNKNOWN of the whole, the mean is nan.

    >>> weighted(np.full(60, 50.0), 7)[[0, 3, 4, 59]].round(1).tolist()
    [nan, nan, 50.0, 50.0]
    """
    share = 2.0 / (days + 1)
    found = np.empty(len(daily))
    total = known = 0.0
    for i, load in enumerate(daily.tolist()):
        total, known = total * (1 - share), known * (1 - share)
        if not math.isnan(load):
            total, known = total + share * load, known + share
        found[i] = total / known if known >= 1 - MOST_UNKNOWN else math.nan
    return found


def week(daily: Floats) -> Week:
    """The week of seven days, shape (7,): monotony is the mean over the standard deviation (n - 1), strain the load times monotony.

    A day that is not known (nan) makes all of it unknown. Days that are all alike have no spread: monotony and strain are not defined.
    Raises ValueError for other than seven days.

    >>> found = week(np.array([100.0, 0, 100, 0, 100, 0, 100]))   # 400; mean 57.14, s 53.45
    >>> found.load, round(found.monotony, 3), round(found.strain, 1)
    (400.0, 1.069, 427.6)
    """
    if daily.shape != (7,):
        raise ValueError(f"a week has seven days, not {daily.shape}")
    load = float(daily.sum())
    spread = float(daily.std(ddof=1))
    monotony = load / 7 / spread if spread > 1e-9 * max(abs(load), 1.0) else math.nan
    return Week(load, monotony, load * monotony)


def by_day(days: Sequence[int], loads: Sequence[float], today: int) -> Floats:
    """The load of each day from the first session to today, shape (n,): sums of the sessions of a day, 0 without one; a day with a session
    whose load is not known (nan) is not known. `days` and `today` are numbers of days, any day being 0. Empty without a session.

    >>> by_day([3, 3, 5], [10.0, 20.0, math.nan], 6).tolist()
    [30.0, 0.0, nan, 0.0]
    """
    if not days:
        return np.empty(0)
    first = min(days)
    found = np.zeros(max(today - first + 1, 1))
    for day, load in zip(days, loads, strict=True):
        if day <= today:
            found[day - first] += load
    return found


def load_words(daily: Floats) -> str:
    """The load a day of the last week against the usual one, and how alike the days of the week were; what is not known is said.

    >>> load_words(np.array([50.0] * 60 + [100.0] * 7))
    '93 a day lately (7 days) against 65 usually (42 days): 1.4 times; the days of the week were all alike'
    >>> load_words(np.array([50.0] * 3))
    'not known yet: the last 7 days hold too few known ones'
    """
    if not len(daily):
        return "nothing recorded"
    lately, usually = float(weighted(daily, LATELY_D)[-1]), float(weighted(daily, USUALLY_D)[-1])
    if math.isnan(lately):
        return "not known yet: the last 7 days hold too few known ones"
    words = f"{lately:.0f} a day lately (7 days)"
    if math.isnan(usually) or usually <= 0:
        words += "; the usual load is not known yet"
    else:
        words += f" against {usually:.0f} usually (42 days): {lately / usually:.1f} times"
    last = week(daily[-7:]) if len(daily) >= 7 else Week(math.nan, math.nan, math.nan)
    if math.isnan(last.load):
        return words
    if math.isnan(last.monotony):
        return words + "; the days of the week were all alike"
    return words + f"; monotony {last.monotony:.1f}, strain {last.strain:.0f}"
