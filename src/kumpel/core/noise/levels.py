"""Means and percentiles of sound levels.

Every function takes levels in dB, shape (n,), where nan means "not measured" and is left out of the mean.
"""

from __future__ import annotations

import math

import numpy as np

from kumpel.core.recording import Flags, Floats

REFERENCE_PRESSURE_SQUARED = 4e-10
"""(20 uPa)^2 in Pa^2 (IEC 61252:1993, 3.2)."""


def exchange_factor(exchange_rate_db: float) -> float:
    """q of the averaging formulas, in dB.

    q = Q / log10(2); by convention Q = 3 dB means the equal-energy rule, q = 10 (29 CFR 1910.95 App. A
    gives 16.61 for Q = 5).

    Raises ValueError for an exchange rate that is not above 0.

    >>> exchange_factor(3), round(exchange_factor(5), 2)
    (10.0, 16.61)
    """
    if not exchange_rate_db > 0:
        raise ValueError(f"the exchange rate must be above 0 dB, not {exchange_rate_db}")
    return 10.0 if exchange_rate_db == 3 else exchange_rate_db / math.log10(2)


def mean_level(levels: Floats, exchange_rate_db: float = 3, threshold_db: float | None = None) -> float:
    """Mean level in dB: LAeq for Q = 3 without a threshold, Lavg otherwise.

    Lavg = q log10( (1/N) sum 10^(L_i/q) ); a sample below the threshold counts as no energy but as time.
    Returns nan when nothing was measured, -inf when every sample lies below the threshold.
    Source: IEC 61252:1993, 3.4 (LAeq); 29 CFR 1910.95 App. A (Q = 5).

    >>> round(mean_level(np.array([80.0, 90.0, np.nan])), 2)  # 10 log10((10^8 + 10^9) / 2)
    87.4
    """
    measured = levels[~np.isnan(levels)]
    if not len(measured):
        return math.nan
    q = exchange_factor(exchange_rate_db)
    top = float(measured.max())
    if not math.isfinite(top):
        return top
    energy = np.exp2((measured - top) * (math.log2(10) / q))
    if threshold_db is not None:
        energy = energy[measured >= threshold_db]
    total = float(energy.sum())
    return top + q * math.log10(total / len(measured)) if total > 0 else -math.inf


def exceeded_level(levels: Floats, percent: float) -> float:
    """L_percent: the level exceeded for that percentage of the measured time, dB (ISO 1996-1, 3.1.3).

    L10 is the 90th percentile of the samples, interpolated linearly. nan when nothing was measured.

    >>> exceeded_level(np.arange(101.0), 10)
    90.0
    """
    measured = levels[~np.isnan(levels)]
    return float(np.percentile(measured, 100 - percent)) if len(measured) else math.nan


def sound_exposure(levels: Floats, interval_s: float) -> float:
    """Sound exposure E in Pa2h: 4e-10 Pa2 x sum (dt/3600) 10^(L_i/10) (IEC 61252:1993, 3.3).

    nan when nothing was measured.

    >>> round(sound_exposure(np.full(8 * 3600, 85.0), 1.0), 3)
    1.012
    """
    measured = levels[~np.isnan(levels)]
    if not len(measured):
        return math.nan
    return REFERENCE_PRESSURE_SQUARED * interval_s / 3600 * float(np.sum(10 ** (measured / 10)))


def mean_by_bin(levels: Floats, per_bin: int) -> Floats:
    """Equal-energy mean of each run of `per_bin` samples, shape (ceil(n / per_bin),); nan for empty runs.

    >>> mean_by_bin(np.array([80.0, 80.0, np.nan, np.nan, 70.0]), 2)
    array([80., nan, 70.])
    """
    bins = -(-len(levels) // per_bin)
    padded = np.full(bins * per_bin, np.nan)
    padded[: len(levels)] = levels
    rows = padded.reshape(bins, per_bin)
    counts = np.sum(~np.isnan(rows), axis=1)
    sums = np.nansum(10 ** (rows / 10), axis=1)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(counts > 0, 10 * np.log10(sums / counts), np.nan)


def histogram(levels: Floats, interval_s: float, low: int = 40, high: int = 120) -> tuple[Floats, Floats]:
    """Seconds spent in each 1 dB bin: lower edges in dB, shape (high - low,), and seconds, same shape.

    Samples outside the range are counted in the first or last bin.
    """
    edges = np.arange(low, high + 1, dtype=float)
    measured = np.clip(levels[~np.isnan(levels)], low, high - 1e-9)
    return edges[:-1], np.histogram(measured, edges)[0] * interval_s


def highest_share(levels: Floats, share: float = 0.5) -> tuple[int, int] | None:
    """First and end index of the shortest run of samples that holds `share` of the energy, or None.

    Answers "which stretch of the day makes half of the dose?" under the equal-energy rule.

    >>> highest_share(np.array([60.0, 90.0, 60.0]))
    (1, 2)
    """
    energy = np.nan_to_num(10 ** (levels / 10))
    total = float(energy.sum())
    if not total > 0:
        return None
    running = np.concatenate(([0.0], np.cumsum(energy)))
    ends = np.searchsorted(running, running[:-1] + share * total * (1 - 1e-12))
    valid = ends < len(running)
    starts = np.flatnonzero(valid)
    best = int(starts[np.argmin((ends - np.arange(len(ends)))[valid])])
    return best, int(ends[best])


def measured_flags(levels: Floats, left_out: Flags) -> Flags:
    """Samples that count: measured and not left out.

    >>> measured_flags(np.array([60.0, np.nan, 70.0]), np.array([False, False, True])).tolist()
    [True, False, False]
    """
    return ~np.isnan(levels) & ~left_out
