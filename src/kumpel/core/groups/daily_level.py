"""The daily noise level of a group, with its uncertainty, against a level."""

from __future__ import annotations

import math
from dataclasses import dataclass

from kumpel.core.groups.compliance import COMPLIES, EXCEEDS, MORE, NO_LIMIT
from kumpel.core.noise.exposure import FullDayUncertainty, full_day_uncertainty
from kumpel.core.recording import Floats

SOURCE = "ISO 9612:2009, 11 (full-day measurement), simplified: the table of small numbers is replaced by s / sqrt(n), sensitivities are 1"


@dataclass(frozen=True)
class DailyLevel:
    """The mean of full days, and whether it lies below a level with its uncertainty."""

    days: FullDayUncertainty | None
    verdict: str
    words: str


def daily_level(lex8h_db: Floats, limit_db: float) -> DailyLevel:
    """Daily levels of a group, shape (n,), against a level in dB: below it with 95 % where mean + U lies below; above where mean - U
    reaches it; else more days, or less noise, are needed. Source: SOURCE.

    >>> import numpy as np
    >>> daily_level(np.array([70.0, 71.0, 69.0]), 80.0).words
    'mean 70.1 + U 3.1 = 73.2 dB, below 80'
    """
    if math.isnan(limit_db):
        return DailyLevel(None, NO_LIMIT, "no limit to compare with")
    try:
        days = full_day_uncertainty(lex8h_db)
    except ValueError:
        return DailyLevel(None, MORE, f"{len(lex8h_db)} full days do not decide: at least 3 are needed")
    upper, lower = days.level_db + days.expanded_db, days.level_db - days.expanded_db
    told = f"mean {days.level_db:.1f} + U {days.expanded_db:.1f} = {upper:.1f} dB"
    if upper < limit_db:
        return DailyLevel(days, COMPLIES, f"{told}, below {limit_db:g}")
    if lower >= limit_db:
        return DailyLevel(
            days, EXCEEDS, f"mean {days.level_db:.1f} - U {days.expanded_db:.1f} = {lower:.1f} dB, {limit_db:g} reached"
        )
    return DailyLevel(days, MORE, f"{told}: not shown to be below {limit_db:g}")
