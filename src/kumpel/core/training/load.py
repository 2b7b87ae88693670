"""Load of days: what a body is used to, what it had lately, and how alike the days of a week were.

Source and limits: docs/methods/over_time.md, "Load".
"""

from __future__ import annotations

import math
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
