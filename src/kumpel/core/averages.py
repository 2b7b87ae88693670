"""Averages over time of samples with gaps: time-weighted, moving, by calendar day. nan means "not measured"."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from kumpel.core.recording import Flags, Floats
from kumpel.core.runs import runs

EIGHT_HOURS_S = 28_800.0
FIFTEEN_MIN_S = 900.0


def mean(values: Floats) -> float:
    """Mean of what was measured; nan when nothing was.

    >>> mean(np.array([1.0, np.nan, 3.0]))
    2.0
    """
    known = values[~np.isnan(values)]
    return float(known.mean()) if len(known) else math.nan


def time_weighted_average(values: Floats, interval_s: float, over_s: float = EIGHT_HOURS_S) -> float:
    """sum(C_i dt) / T in the unit of the values, T = 8 h by default (EN 689:2018, annex A; 98/24/EC).

    Only measured samples add; nan when nothing was measured. 100 ppm for 2 h make 25 ppm over 8 h.

    >>> time_weighted_average(np.full(240, 10.0), 60.0)  # four of eight hours
    5.0
    """
    known = values[~np.isnan(values)]
    return float(known.sum()) * interval_s / over_s if len(known) else math.nan


@dataclass(frozen=True)
class Window:
    """The highest moving average: its value, the start of its window in s, and how many windows could be formed."""

    value: float
    start_s: float
    formed: int


def long_gaps(values: Floats, allowed: int = 1) -> Flags:
    """Flags of missing samples that belong to a run of more than `allowed`, shape (n,).

    >>> long_gaps(np.array([1.0, np.nan, 1.0, np.nan, np.nan])).tolist()
    [False, False, False, True, True]
    """
    missing = np.isnan(values)
    flags = missing.copy()
    if allowed and missing.any():
        spans = runs(missing)
        for first, end in spans[spans[:, 1] - spans[:, 0] <= allowed].tolist():
            flags[first:end] = False
    return flags


def highest_window(values: Floats, interval_s: float, window_s: float = FIFTEEN_MIN_S, allowed: int = 1) -> Window:
    """The highest moving average over `window_s` (15 min: the short-term exposure, 2000/39/EC art. 2).

    A window is formed only where no run of more than `allowed` samples is missing; it averages the time measured
    in it. Between samples the concentration is taken as constant over each interval, so that windows that are no
    multiple of the interval begin or end inside one. value is nan and formed 0 when there is no such window.

    >>> float(highest_window(np.array([0.0] * 15 + [30.0] * 15 + [0.0] * 15), 60.0).value)
    30.0
    """
    n = len(values)
    known = ~np.isnan(values)
    none = Window(math.nan, math.nan, 0)
    if n * interval_s < window_s * (1 - 1e-9) or not known.any():
        return none
    gaps = long_gaps(values, allowed)
    area = np.zeros(n + 1)
    np.cumsum(np.where(known, values, 0.0) if not known.all() else values, out=area[1:])
    area *= interval_s
    # Counts of 32 bits: half the memory of a long recording.
    time, broken = np.zeros(n + 1, np.int32), np.zeros(n + 1, np.int32)
    np.cumsum(known, out=time[1:])
    np.cumsum(gaps, out=broken[1:])
    per = window_s / interval_s
    whole = round(per)
    even = abs(per - whole) < 1e-9
    if even:
        sums, times = area[whole:] - area[:-whole], time[whole:] - time[:-whole]
        good = (broken[whole:] == broken[:-whole]) & (times > 0)
    else:
        # The average over a piecewise constant signal is highest where the window begins or ends on an edge.
        edges = np.arange(n + 1) * interval_s
        starts = np.unique(np.concatenate((edges, edges - window_s)))
        starts = starts[(starts >= 0) & (starts + window_s <= n * interval_s + 1e-9)]
        sums = np.interp(starts + window_s, edges, area) - np.interp(starts, edges, area)
        times = np.interp(starts + window_s, edges, time) - np.interp(starts, edges, time)
        first = np.floor(starts / interval_s + 1e-9).astype(int)
        end = np.minimum(np.ceil((starts + window_s) / interval_s - 1e-9).astype(int), n)
        good = (broken[end] == broken[first]) & (times > 0)
    if not good.any():
        return none
    with np.errstate(divide="ignore", invalid="ignore"):
        sums /= times
    sums[~good] = -np.inf
    best = int(np.argmax(sums))
    start = best * interval_s if even else float(starts[best])
    return Window(float(sums[best]) / interval_s, start, int(good.sum()))


def moving_means(values: Floats, interval_s: float, window_s: float = FIFTEEN_MIN_S, allowed: int = 1) -> Floats:
    """The mean over the `window_s` that end with each sample, shape (n,), in the unit of the values; nan where no such window is formed.

    Windows are those of `highest_window`: none across a run of more than `allowed` missing samples, each the mean of the time measured in
    it. nan everywhere where the window is no multiple of the interval, or shorter than one.

    >>> moving_means(np.array([0.0, 30.0, 60.0]), 450.0).tolist()
    [nan, 15.0, 45.0]
    """
    n, whole = len(values), round(window_s / interval_s)
    found = np.full(n, np.nan)
    if abs(window_s / interval_s - whole) >= 1e-9 or not 1 <= whole <= n:
        return found
    known = ~np.isnan(values)
    area, time, broken = np.zeros(n + 1), np.zeros(n + 1, np.int32), np.zeros(n + 1, np.int32)
    np.cumsum(np.where(known, values, 0.0), out=area[1:])
    np.cumsum(known, out=time[1:])
    np.cumsum(long_gaps(values, allowed), out=broken[1:])
    times = time[whole:] - time[:-whole]
    good = (broken[whole:] == broken[:-whole]) & (times > 0)
    sums = area[whole:] - area[:-whole]
    found[whole - 1 :][good] = sums[good] / times[good]
    return found


def by_day(days: NDArray[np.int32]) -> list[tuple[int, int, int]]:
    """Calendar days of samples, shape (n,), see `timebase.wall_days`: (day number since 1970, first, end) each.

    A day of a clock change is one day, with 23 or 25 hours of samples.

    >>> by_day(np.array([20, 20, 21], dtype=np.int32))
    [(20, 0, 2), (21, 2, 3)]
    """
    if not len(days):
        return []
    edges = [0, *(np.flatnonzero(np.diff(days)) + 1).tolist(), len(days)]
    found: dict[int, tuple[int, int]] = {}
    for first, end in pairwise(edges):
        # A clock set back over midnight comes to a day again: it is one day from its first to its last sample.
        day = int(days[first])
        found[day] = (found[day][0] if day in found else first, end)
    return [(day, first, end) for day, (first, end) in sorted(found.items())]
