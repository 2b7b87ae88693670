"""Dose, time-weighted average, daily and weekly exposure level, uncertainty."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kumpel.core.noise.levels import exchange_factor
from kumpel.core.recording import Floats


@dataclass(frozen=True)
class DoseRule:
    """How a dose is counted: exchange rate Q (dB), criterion level Lc (dB) for criterion time Tc (h) makes
    100 %, samples below the threshold Lt (dB) do not count."""

    exchange_rate_db: float = 3
    criterion_db: float = 85
    criterion_h: float = 8
    threshold_db: float | None = None

    @property
    def q(self) -> float:
        return exchange_factor(self.exchange_rate_db)


def dose(levels: Floats, interval_s: float, rule: DoseRule) -> float:
    """Dose in % over the samples at or above the threshold.

    D = (100/Tc) sum dt 10^((L_i - Lc)/q). nan when nothing was measured.
    Source: 29 CFR 1910.95 App. A I (Q = 5); NIOSH 98-126, 1.1 (Q = 3).

    >>> dose(np.full(4 * 3600, 95.0), 1.0, DoseRule(5, 90, 8))  # four hours at twice the rate
    100.0
    """
    measured = levels[~np.isnan(levels)]
    if not len(measured):
        return math.nan
    if rule.threshold_db is not None:
        measured = measured[measured >= rule.threshold_db]
    hours = interval_s / 3600
    return 100 / rule.criterion_h * hours * float(np.sum(10 ** ((measured - rule.criterion_db) / rule.q)))


def time_weighted_average(dose_percent: float, rule: DoseRule) -> float:
    """TWA in dB: Lc + q log10(D/100) (29 CFR 1910.95 App. A II). -inf for a dose of 0.

    >>> round(time_weighted_average(50.0, DoseRule(5, 90, 8)), 1)
    85.0
    """
    if not dose_percent > 0:
        return math.nan if math.isnan(dose_percent) else -math.inf
    return rule.criterion_db + rule.q * math.log10(dose_percent / 100)


def projected_dose(dose_percent: float, measured_s: float, working_day_s: float) -> float:
    """Dose in % if the whole working day went on like the measured time: D x Te/T.

    >>> projected_dose(25.0, 2 * 3600, 8 * 3600)
    100.0
    """
    return dose_percent * working_day_s / measured_s if measured_s > 0 else math.nan


def daily_exposure_level(laeq_db: float, working_day_s: float) -> float:
    """LEX,8h in dB: LAeq + 10 log10(Te / 8 h) (ISO 9612:2009, 3.4, equation 3; ISO 1999:2013, 3.6).

    >>> round(daily_exposure_level(85.0, 4 * 3600), 1)
    82.0
    """
    return laeq_db + 10 * math.log10(working_day_s / 28800) if working_day_s > 0 else math.nan


def weekly_exposure_level(daily_db: Floats) -> float:
    """LEX,40h in dB from the days of one week: 10 log10( (1/5) sum 10^(LEX,8h/10) ) (2003/10/EC, art. 2 c).

    >>> round(weekly_exposure_level(np.array([90.0, np.nan])), 1)  # one day of five
    83.0
    """
    days = daily_db[~np.isnan(daily_db)]
    return 10 * math.log10(float(np.sum(10 ** (days / 10))) / 5) if len(days) else math.nan


@dataclass(frozen=True)
class FullDayUncertainty:
    """Full-day measurement over n days: energy mean of LEX (dB), its parts and expanded uncertainty (dB)."""

    sessions: int
    level_db: float
    sampling_db: float
    instrument_db: float
    position_db: float
    combined_db: float
    expanded_db: float


def full_day_uncertainty(
    lex8h_db: Floats, *, instrument_db: float = 1.5, position_db: float = 1.0
) -> FullDayUncertainty:
    """Uncertainty of the mean daily level over n >= 3 full days of one person or group.

    u1 = s / sqrt(n), s the sample standard deviation of the LEX values about their arithmetic mean;
    u = sqrt(u1^2 + instrument^2 + position^2); U = 1.65 u (one-sided, 95 %).

    Source: ISO 9612:2009, 11 and annex C, simplified: s is taken about the arithmetic mean, the table of c1u1
    for small n is replaced by u1, and the three contributions have sensitivity 1.
    Raises ValueError for fewer than three sessions.
    """
    levels = lex8h_db[~np.isnan(lex8h_db)]
    n = len(levels)
    if n < 3:
        raise ValueError(f"the uncertainty of a full day needs at least 3 sessions, not {n}")
    sampling = float(np.std(levels, ddof=1)) / math.sqrt(n)
    combined = math.sqrt(sampling**2 + instrument_db**2 + position_db**2)
    level = 10 * math.log10(float(np.mean(10 ** (levels / 10))))
    return FullDayUncertainty(n, level, sampling, instrument_db, position_db, combined, 1.65 * combined)
