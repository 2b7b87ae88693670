"""Figures over months: which way they go, and whether they differ before and after something, each with its uncertainty.

Both are rank methods: a single wild session moves them little, nothing has to be normal, and the confidence of the interval is exact for
few sessions. Source and limits: docs/methods/over_time.md.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from kumpel.core.recording import Floats

SOURCE = (
    "Theil 1950; Sen, J Am Stat Assoc 1968;63:1379; Hodges and Lehmann, Ann Math Stat 1963;34:598; Hollander and Wolfe, "
    "Nonparametric Statistical Methods, 2nd ed., 4.2, 4.3, 9.2, 9.3"
)
CONFIDENCE = 0.95
EXACT_TO = 50
"""Up to so many sessions the distribution of ranks is counted out; beyond it the normal one is as good."""


MANY = 500


@dataclass(frozen=True)
class Interval:
    """A value with the interval that holds the true one in `CONFIDENCE` of cases; nan where too few sessions were there to say.

    `count` is what it rests on; of a difference, the smaller side.
    """

    value: float
    low: float
    high: float
    count: int

    @property
    def is_known(self) -> bool:
        return math.isfinite(self.low) and math.isfinite(self.high)

    @property
    def shows(self) -> bool:
        """Whether a change is shown: nothing in the interval says that there is none."""
        return self.is_known and not self.low <= 0.0 <= self.high


def slope(days: Floats, values: Floats, confidence: float = CONFIDENCE) -> Interval:
    """The median of the slopes of all pairs of sessions, per day (Theil), with its interval (Sen).

    `days` and `values` have shape (n,), in days and the figure's unit; sessions that are nan in either do not count, and a pair at
    the same moment has no slope. With ranks of inversions I of n sessions, M is the largest for which P(I <= M - 1) stays within half of
    what is left of the confidence; the interval goes from the M-th slope to the M-th from the end.

    >>> found = slope(np.array([1.0, 2, 3, 4, 5]), np.array([1.26, 1.27, 1.12, 1.16, 1.03]))
    >>> round(found.value, 5), round(found.low, 2), round(found.high, 2)
    (-0.05625, -0.15, 0.04)
    """
    known = np.isfinite(days) & np.isfinite(values)
    x, y = days[known].astype(np.float64), values[known].astype(np.float64)
    n = len(x)
    if n < 2:
        return Interval(math.nan, math.nan, math.nan, n)
    slopes = _pair_slopes(x, y)
    if not len(slopes):
        return Interval(math.nan, math.nan, math.nan, n)
    rank = _rank(inversions(n), confidence) if n <= EXACT_TO else _normal_rank(len(slopes), _kendall_sd(n), confidence)
    return _between(slopes, rank, n)


def _pair_slopes(x: Floats, y: Floats) -> NDArray[np.floating[Any]]:
    """The slopes of all pairs that lie apart, in no order. One row of pairs after the other: of 2,500 sessions there are three million, for
    which seven digits do and take half the time."""
    n = len(x)
    found: NDArray[np.floating[Any]] = np.empty(n * (n - 1) // 2, dtype=np.float32 if n > MANY else np.float64)
    end = 0
    with np.errstate(divide="ignore", invalid="ignore"):
        for i in range(n - 1):
            begin, end = end, end + n - 1 - i
            np.divide(y[i + 1 :] - y[i], x[i + 1 :] - x[i], out=found[begin:end], casting="same_kind")
    some: NDArray[np.floating[Any]] = found[np.isfinite(found)]
    return some


def difference(before: Floats, after: Floats, confidence: float = CONFIDENCE) -> Interval:
    """By how much sessions after something lie above those before it: the median of all differences (Hodges and Lehmann), and its interval.

    Shapes (m,) and (n,), in the figure's unit; nan do not count. The interval goes from the C-th smallest difference to the C-th from the
    end, where C is the largest for which the rank sum statistic U has P(U <= C - 1) within half of what is left of the confidence.

    >>> term = np.array([0.80, 0.83, 1.89, 1.04, 1.45, 1.38, 1.91, 1.64, 0.73, 1.46])
    >>> found = difference(term, np.array([1.15, 0.88, 0.90, 0.74, 1.21]))
    >>> round(found.value, 3), round(found.low, 2), round(found.high, 2)
    (-0.305, -0.76, 0.15)
    """
    a, b = (each[np.isfinite(each)].astype(np.float64) for each in (before, after))
    fewer = min(len(a), len(b))
    if not fewer:
        return Interval(math.nan, math.nan, math.nan, 0)
    pairs = (b[:, None] - a[None, :]).ravel()
    m, n = len(a), len(b)
    if m + n <= EXACT_TO:
        rank = _rank(rank_sums(m, n), confidence)
    else:
        rank = _normal_rank(len(pairs), math.sqrt(m * n * (m + n + 1) / 12) * 2, confidence)
    return _between(pairs, rank, fewer)


YEAR_D = 365.25
FEWEST_DAYS = 1.0


def trend_words(found: Interval, span_days: float, unit: str, decimals: int) -> str:
    """What a slope says, never without its interval: over a year, or over the whole span where that is shorter.

    >>> trend_words(Interval(-0.01, -0.015, -0.004, 9), 100.0, "dB", 1)
    'falls by 1.0 dB in 100 days (0.4 to 1.5; 9 sessions)'
    >>> trend_words(Interval(-0.01, -0.015, 0.004, 9), 800.0, "dB", 1)
    'no change shown: between -5.5 and +1.5 dB a year (9 sessions)'
    """
    if not found.is_known or span_days < FEWEST_DAYS:
        return f"too few to say which way it goes ({found.count})"
    days, over = (YEAR_D, "a year") if span_days >= YEAR_D else (span_days, f"in {span_days:.0f} days")
    value, low, high = (round(each * days, decimals) + 0.0 for each in (found.value, found.low, found.high))
    if not found.shows:
        return f"no change shown: between {low:+.{decimals}f} and {high:+.{decimals}f} {unit} {over} ({found.count} sessions)"
    less, more = sorted((abs(low), abs(high)))
    way = "rises" if found.value > 0 else "falls"
    return f"{way} by {abs(value):.{decimals}f} {unit} {over} ({less:.{decimals}f} to {more:.{decimals}f}; {found.count} sessions)"


def difference_words(found: Interval, before: int, after: int, unit: str, decimals: int) -> str:
    """What a difference says: by how much later sessions lie above or below earlier ones, with its interval.

    >>> difference_words(Interval(-2.41, -3.9, -0.8, 6), 8, 6, "dB", 1)
    'lower by 2.4 dB after it (0.8 to 3.9; 8 before, 6 after)'
    """
    counted = f"{before} before, {after} after"
    if not found.is_known:
        return f"too few to compare ({counted})"
    if not found.shows:
        return f"no change shown: between {found.low:+.{decimals}f} and {found.high:+.{decimals}f} {unit} ({counted})"
    less, more = sorted((abs(found.low), abs(found.high)))
    way = "higher" if found.value > 0 else "lower"
    return f"{way} by {abs(found.value):.{decimals}f} {unit} after it ({less:.{decimals}f} to {more:.{decimals}f}; {counted})"


@cache
def inversions(n: int) -> NDArray[np.float64]:
    """How likely 0, 1, .. n (n - 1) / 2 pairs of n values in random order fall: the distribution behind Kendall's K.

    >>> (inversions(3) * 6).tolist()
    [1.0, 2.0, 2.0, 1.0]
    """
    found = np.ones(1)
    for size in range(2, n + 1):
        found = np.convolve(found, np.full(size, 1 / size))
    return found


@cache
def rank_sums(m: int, n: int) -> NDArray[np.float64]:
    """How likely U = 0, 1, .. m n is: so many of the pairs of m and n values in random order are the wrong way round (Mann and Whitney).

    >>> (rank_sums(2, 2) * 6).round().tolist()
    [1.0, 1.0, 2.0, 1.0, 1.0]
    """
    # Counts of the Gaussian binomial coefficient: product over i of (1 - q^(n + i)) / (1 - q^i).
    counts = [0] * (m * n + 1)
    counts[0] = 1
    for i in range(1, m + 1):
        for u in range(m * n, n + i - 1, -1):
            counts[u] -= counts[u - n - i]
        for u in range(i, m * n + 1):
            counts[u] += counts[u - i]
    return np.array(counts, dtype=np.float64) / math.comb(m + n, m)


def _rank(likely: Floats, confidence: float) -> int:
    """The largest place whose tail below it stays within half of what is left; 0 where there is none: too few for an interval."""
    return int(np.searchsorted(np.cumsum(likely), (1 - confidence) / 2 + 1e-12, side="right"))


def _kendall_sd(n: int) -> float:
    return math.sqrt(n * (n - 1) * (2 * n + 5) / 18)


def _normal_rank(pairs: int, sd: float, confidence: float) -> int:
    """The same from the normal distribution; `sd` is that of how many pairs rise less how many fall."""
    z = float(scipy.special.ndtri((1 + confidence) / 2))
    return max(math.floor((pairs - z * sd) / 2), 0)


def _between(values: NDArray[np.floating[Any]], rank: int, count: int) -> Interval:
    """The median of values, and the one of a rank from either end; only what is asked for is put in its place."""
    last = len(values) - 1
    middle, ends = [last // 2, (last + 1) // 2], [rank - 1, last + 1 - rank] if rank >= 1 else []
    placed = np.partition(values, sorted({*middle, *ends}))
    value = float(placed[middle].mean())
    if not ends:
        return Interval(value, math.nan, math.nan, count)
    return Interval(value, float(placed[ends[0]]), float(placed[ends[1]]), count)
