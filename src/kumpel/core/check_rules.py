"""Whether a sensor measures right: what was applied against what was read, with the deviation that its source allows."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from kumpel.core.rounding import shown, stated


@dataclass(frozen=True)
class Allowed:
    """How far a reading may lie from what was applied: a share of it, or an amount in its unit, whichever is more; and who says so."""

    source: str
    share: float = 0.0
    amount: float = 0.0

    def most(self, applied: float) -> float:
        """The most that a reading may be apart, in the unit of what was applied.

        >>> Allowed("", share=0.1, amount=0.2).most(25.0), Allowed("", share=0.1, amount=0.2).most(1.0)
        (2.5, 0.2)
        """
        return max(abs(applied) * self.share, self.amount)

    @property
    def in_words(self) -> str:
        parts = [f"{100 * self.share:g} %" if self.share else "", f"{self.amount:g}" if self.amount else ""]
        return "± " + " or ".join(part for part in parts if part)


@dataclass(frozen=True)
class Judged:
    """Whether a sensor passed, and in words why, or why not."""

    passed: bool
    words: str


def judge(allowed: Allowed, applied: float, read: float, decimals: int = 1) -> Judged:
    """A reading against what was applied; what was not read has failed. Both in the same unit.

    >>> judge(Allowed("", share=0.1), 25.0, 22.4).words
    '22.4 is not within ± 10 % of 25.0'
    """
    if not math.isfinite(read):
        return Judged(False, "nothing was read")
    if not math.isfinite(applied):
        return Judged(False, "it is not known what was applied")
    # To the stated digit: what the paper shows never contradicts its verdict.
    apart = abs(float(shown(read, decimals)) - applied)
    if apart <= allowed.most(applied) + 1e-9:
        return Judged(True, f"within {allowed.in_words}")
    return Judged(False, f"{shown(read, decimals)} is not within {allowed.in_words} of {shown(applied, decimals)}")


@dataclass(frozen=True)
class Steady:
    """When a live value counts as steady: all of it lies within `band` (in its unit) of one another for so long (s)."""

    band: float
    for_s: float

    def mean(self, at_s: Sequence[float], values: Sequence[float]) -> float | None:
        """The mean of the last so many seconds where these were steady, None where they were not, or are not yet so many.

        `at_s` rises, of the same length as `values`; a value that is missing (nan) is not steady.

        >>> Steady(1.0, 2.0).mean([0, 1, 2, 3], [9.0, 5.0, 5.5, 6.0]), Steady(1.0, 2.0).mean([0, 1], [5.0, 5.0])
        (5.5, None)
        """
        if not at_s or at_s[-1] - at_s[0] < self.for_s:
            return None
        last = [value for at, value in zip(at_s, values, strict=True) if at >= at_s[-1] - self.for_s]
        if not all(map(math.isfinite, last)) or max(last) - min(last) > self.band:
            return None
        return sum(last) / len(last)


DRIFT_DECIMALS = 2


@dataclass(frozen=True)
class DriftAllowed:
    """By how much a reading of the same reference may have moved from one check to the next, in its unit; and who says so."""

    most: float
    source: str

    def too_far(self, left: float, found: float) -> float | None:
        """By how much a sensor moved, where that is too much: from what it was off when it was left to what it is off now.

        Each is a reading minus what was applied. None where it did not, or one of them is not known.

        >>> DriftAllowed(0.5, "").too_far(-0.4, 0.4), DriftAllowed(0.5, "").too_far(0.0, 0.5)
        (0.8, None)
        """
        moved = found - left
        if not math.isfinite(moved):
            return None
        moved = stated(moved, DRIFT_DECIMALS)
        return moved if abs(moved) > self.most else None


REPLACE_AT = (0.7, 1.3)
"""Beyond these a sensor has lost, or gained, so much that it is replaced."""


def judge_factor(factor: float) -> Judged:
    """Whether a sensor that was set to what was applied may go on: not by a factor at which it is to be replaced, though it reads right.

    >>> judge_factor(1.6).words
    'set by a factor of 1.60, which is beyond 0.7 to 1.3: replace it'
    """
    low, high = REPLACE_AT
    if not math.isfinite(factor):
        return Judged(False, "it is not known by what it was set")
    if low <= float(shown(factor, 2)) <= high:
        return Judged(True, f"set by a factor of {shown(factor, 2)}")
    return Judged(False, f"set by a factor of {shown(factor, 2)}, which is beyond {low:g} to {high:g}: replace it")


@dataclass(frozen=True)
class FactorTrend:
    """Where the span factor of a sensor goes: change a year, and in how many days it reaches the end of what can be adjusted; None where it
    does not, or too few calibrations say."""

    per_year: float
    days_left: float | None


LEAST_CALIBRATIONS = 3


def factor_trend(days: list[float], factors: list[float]) -> FactorTrend | None:
    """The line through the span factors of a sensor by least squares; `days` in rising order, of the same length. None of fewer than three.

    >>> factor_trend([0.0, 180.0, 360.0], [1.0, 1.1, 1.2]).days_left
    180.0
    """
    if len(days) < LEAST_CALIBRATIONS or days[-1] <= days[0]:
        return None
    middle, mean = sum(days) / len(days), sum(factors) / len(factors)
    spread = sum((d - middle) ** 2 for d in days)
    slope = sum((d - middle) * (f - mean) for d, f in zip(days, factors, strict=True)) / spread
    end = REPLACE_AT[1] if slope > 0 else REPLACE_AT[0]
    left = (end - factors[-1]) / slope if abs(slope) > 1e-9 else math.inf
    return FactorTrend(slope * 365.25, round(max(left, 0.0), 6) if math.isfinite(left) else None)
