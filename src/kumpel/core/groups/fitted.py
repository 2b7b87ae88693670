"""A normal distribution fitted to results, some of which are only known to lie below what can be measured."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy

from kumpel.core.recording import Floats

FEWEST_MEASURED = 3
"""A line through fewer points says nothing of a spread."""


@dataclass(frozen=True)
class Fitted:
    """Mean and standard deviation of `count` results on the scale they were given in, `below` of them not measurable; nan where
    too few could be measured to tell."""

    count: int
    below: int
    mean: float
    sd: float


def fitted(values: Floats, floor: float | None = None) -> Fitted:
    """Mean and standard deviation of values, shape (n,), on a scale on which they are normal.

    Values below `floor` count as that, whatever they say. Without any: the sample mean and standard deviation (n - 1). With some:
    regression on order statistics. Sorted, the i-th of n is expected at the normal quantile of (i - 3/8) / (n + 1/4); the line
    through the measured ones is a least-squares fit of value against quantile: its value at 0 is the mean, its rise the standard
    deviation. Those below stand first in the order, and lend their number only.

    Source: Blom, Statistical estimates and transformed beta-variables, 1958 (positions); Helsel and Cohn, Water Resour Res
    1988;24:1997 (regression on order statistics); the log-probit plot of EN 689:2018, annexes E and H.

    >>> found = fitted(np.array([-9.0, -1.0, 0.0, 1.0, 2.0]), floor=-2.0)
    >>> found.below, round(found.mean, 3), round(found.sd, 3)
    (1, -0.03, 1.797)
    """
    n = len(values)
    measured = np.sort(values if floor is None else values[values >= floor])
    below = n - len(measured)
    if not below:
        return Fitted(n, 0, float(values.mean()), float(values.std(ddof=1)) if n > 1 else math.nan)
    if len(measured) < FEWEST_MEASURED:
        return Fitted(n, below, math.nan, math.nan)
    places = (np.arange(below + 1, n + 1) - 0.375) / (n + 0.25)
    at = scipy.special.ndtri(places)
    rise = float(np.sum((at - at.mean()) * (measured - measured.mean())) / np.sum((at - at.mean()) ** 2))
    return Fitted(n, below, float(measured.mean()) - rise * float(at.mean()), rise)


def p_normal(values: Floats) -> float:
    """How likely results of a normal distribution look as little like one as these, shape (n,) (Shapiro and Wilk, Biometrika
    1965;52:591); nan for fewer than three, and where all are the same.

    >>> p_normal(np.array([1.0, 2.0])), p_normal(np.array([1.0, 2.0, 3.0, 2.2, 1.9, 2.5])) > 0.5
    (nan, True)
    """
    if len(values) < 3 or np.ptp(values) <= 1e-12 * max(1.0, float(np.abs(values).max())):
        return math.nan
    return float(scipy.stats.shapiro(values).pvalue)
