"""Averages over time of samples with gaps: time-weighted, moving, by calendar day. nan means "not measured"."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Flags, Floats
from kumpel.core.runs import runs

EIGHT_HOURS_S = 28_800.0
FIFTEEN_MIN_S = 900.0


def mean(values: Floats) -> float:
    """Mean of what was measured; nan when nothing was."""
    known = values[~np.isnan(values)]
    return float(known.mean()) if len(known) else math.nan


def time_weighted_average(values: Floats, interval_s: float, over_s: float = EIGHT_HOURS_S) -> float:
    """sum(C_i dt) / T in the unit of the values, T = 8 h by default (EN 689:2018, annex A; 98/24/EC).

    Only measured samples add; nan when nothing was measured. 100 ppm for 2 h make 25 ppm over 8 h.
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
    """Flags of missing samples that belong to a run of more than `allowed`, shape (n,)."""
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
    """
    n = len(values)
    known = ~np.isnan(values)
    none = Window(math.nan, math.nan, 0)
    if n * interval_s < window_s * (1 - 1e-9) or not known.any():
        return none
    gaps = long_gaps(values, allowed)
    area = np.concatenate(([0.0], np.cumsum(np.where(known, values, 0.0)))) * interval_s
    time = np.concatenate(([0.0], np.cumsum(known))) * interval_s
    broken = np.concatenate(([0], np.cumsum(gaps)))
    per = window_s / interval_s
    whole = round(per)
    if abs(per - whole) < 1e-9:
        sums, times = area[whole:] - area[:-whole], time[whole:] - time[:-whole]
        good = (broken[whole:] == broken[:-whole]) & (times > 0)
        starts = np.arange(len(sums)) * interval_s
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
        averages = np.where(good, sums / times, -np.inf)
    best = int(np.argmax(averages))
    return Window(float(averages[best]), float(starts[best]), int(good.sum()))


def by_day(wall_s: Floats) -> list[tuple[int, int, int]]:
    """Calendar days of samples at wall-clock seconds, shape (n,): (day number since 1970, first, end) each.

    A day of a clock change is one day, with 23 or 25 hours of samples.
    """
    days = np.floor(wall_s / 86_400).astype(np.int64)
    if not len(days):
        return []
    return [
        (int(day), int(np.argmax(days == day)), int(len(days) - np.argmax(days[::-1] == day)))
        for day in np.unique(days)
    ]
