"""What is said of a group: alike or not, its statistics, the verdict with the numbers that lead to it, how many more would decide."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kumpel.core.groups.alike import Alike, Split, alike, proposed_split
from kumpel.core.groups.compliance import EXCEEDS, MORE, NOT_ALIKE, P95, Group, group, u_t
from kumpel.core.groups.daily_level import DailyLevel, daily_level
from kumpel.core.noise.exposure import FullDayUncertainty
from kumpel.core.recording import Floats

MOST_MORE = 100
"""More measurements than this nobody makes."""


@dataclass(frozen=True)
class Findings:
    """A group against a limit. `split` stands where its people are not alike; `daily` where it is a group of daily noise levels;
    `more` is how many further measurements would decide if mean and spread stayed, None where none would (or none is needed)."""

    group: Group
    alike: Alike
    split: Split | None
    daily: DailyLevel | None
    verdict: str
    words: str
    more: int | None


def findings(
    by_person: Sequence[Floats],
    limit: float,
    *,
    logarithmic: bool = True,
    quantification_limit: float | None = None,
) -> Findings:
    """Results of a group by person, each of shape (n_i,), against a limit in the same unit.

    People who are not alike (analysis of variance, p < 0.05) get no verdict together; else a group of concentrations (`logarithmic`)
    is held against EN 689, one of daily levels in dB against the simplified ISO 9612. Raises ValueError for no result, and for one that
    has no logarithm.

    >>> found = findings([np.array([0.10, 0.12]), np.array([0.11, 0.09])], 2.0)
    >>> found.verdict, found.words
    ('complies', 'all 4 results below 0.15 of the limit')
    """
    clean = [values[~np.isnan(values)].astype(np.float64) for values in by_person]
    every = np.concatenate(clean) if clean else np.empty(0)
    found = group(every, limit, logarithmic=logarithmic, quantification_limit=quantification_limit)
    floor = -math.inf if quantification_limit is None else quantification_limit
    seen = [np.maximum(values, floor) for values in clean]
    people = [np.log(values) if logarithmic else values for values in seen]
    apart = alike(people)
    daily = None if logarithmic else daily_level(every, limit)
    verdict, words = (daily.verdict, daily.words) if daily is not None else (found.verdict, found.words)
    if not apart.holds:
        chance = "less than 0.1 %" if apart.p < 0.001 else f"{100 * apart.p:.1f} %"
        return Findings(
            found,
            apart,
            proposed_split(people),
            daily,
            NOT_ALIKE,
            f"people who are alike differ so much in {chance} of cases",
            None,
        )
    more = _more(found, daily, limit) if verdict in (MORE, EXCEEDS) else None
    return Findings(found, apart, None, daily, verdict, words, more)


def _more(found: Group, daily: DailyLevel | None, limit: float) -> int | None:
    """How many further measurements decide if mean and spread stay as they are; None where none within reason would."""
    for more in range(1, MOST_MORE + 1):
        n = found.count + more
        if daily is not None:
            if daily.days is not None and _upper(daily.days, found.spread, n) < limit:
                return more
        elif n >= 6 and found.u_r > P95 and found.u_r >= u_t(n) and found.highest <= limit:
            return more
    return None


def _upper(days: FullDayUncertainty, spread: float, count: int) -> float:
    """The level that a group of `count` days would not pass with 95 %, with the same mean and spread."""
    return days.level_db + 1.65 * math.sqrt(spread**2 / count + days.instrument_db**2 + days.position_db**2)
