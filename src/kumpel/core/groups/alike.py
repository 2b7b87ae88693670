"""Whether the people of a group are exposed alike, and how to split it when they are not."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from kumpel.core.recording import Floats

SOURCE = "One-way analysis of variance, random effects: Rappaport, Ann Occup Hyg 1991;35:61; Searle, Variance Components, 3.6"
NOT_BY_CHANCE = 0.05
"""Below this the people differ by more than their own days do."""


@dataclass(frozen=True)
class Alike:
    """Spread of one person from day to day (`within`) and of people's usual level (`between`), as standard deviations on the scale
    given; how likely people who are alike differ so much. nan where nothing says: one person, or none with two results."""

    people: int
    within: float
    between: float
    f: float
    p: float

    @property
    def is_known(self) -> bool:
        return math.isfinite(self.p)

    @property
    def holds(self) -> bool:
        """Whether nothing says that they differ."""
        return not self.is_known or self.p >= NOT_BY_CHANCE


@dataclass(frozen=True)
class Split:
    """The people, by their place in what was given, of the lower and the upper part."""

    lower: tuple[int, ...]
    upper: tuple[int, ...]


def alike(by_person: Sequence[Floats]) -> Alike:
    """One-way analysis of variance over results by person, each of shape (n_i,), on a scale on which they are normal.

    MSB = sum n_i (m_i - m)^2 / (k - 1), MSW = sum (x_ij - m_i)^2 / (N - k), F = MSB / MSW with k - 1 and N - k degrees of freedom;
    between = sqrt(max(MSB - MSW, 0) / n0), n0 = (N - sum n_i^2 / N) / (k - 1).

    >>> found = alike([np.array([1.0, 2.0]), np.array([5.0, 6.0])])
    >>> round(found.f, 1), round(found.within, 3), round(found.between, 3)
    (32.0, 0.707, 2.784)
    """
    known = [values for values in by_person if len(values)]
    k, counts = len(known), np.array([len(values) for values in known], dtype=np.float64)
    total = float(counts.sum())
    if k < 2 or total - k < 1:
        return Alike(k, math.nan, math.nan, math.nan, math.nan)
    means = np.array([values.mean() for values in known])
    mean = float(np.sum(counts * means) / total)
    between = float(np.sum(counts * (means - mean) ** 2)) / (k - 1)
    within = sum(float(np.sum((values - m) ** 2)) for values, m in zip(known, means, strict=True)) / (total - k)
    usual = (total - float(np.sum(counts**2)) / total) / (k - 1)
    of_people = math.sqrt(max(between - within, 0.0) / usual)
    f, p = _tested(between, within, k - 1, total - k, mean)
    return Alike(k, math.sqrt(within), of_people, f, p)


def _tested(between: float, within: float, of_people: int, of_days: float, mean: float) -> tuple[float, float]:
    """F and how likely it is by chance; where nobody's days differ at all, any difference of people is none of chance."""
    if within > 1e-18 * max(mean**2, 1.0):
        f = between / within
        return f, float(scipy.special.fdtrc(of_people, of_days, f))
    return (math.inf, 0.0) if between > within else (math.nan, math.nan)


def proposed_split(by_person: Sequence[Floats]) -> Split | None:
    """The people in two, so that the parts differ most: in the order of their means, where the sum of squares between both parts is
    largest (Scott and Knott, Biometrics 1974;30:507). People without a result are in neither; None with fewer than two.

    >>> proposed_split([np.array([81.0, 82.0]), np.array([72.0]), np.array([83.0])])
    Split(lower=(1,), upper=(0, 2))
    """
    with_some = [index for index, values in enumerate(by_person) if len(values)]
    if len(with_some) < 2:
        return None
    order = sorted(with_some, key=lambda index: float(by_person[index].mean()))

    def apart(cut: int) -> float:
        low, high = (np.concatenate([by_person[i] for i in part]) for part in (order[:cut], order[cut:]))
        return float(len(low) * len(high) / (len(low) + len(high)) * (high.mean() - low.mean()) ** 2)

    cut = max(range(1, len(order)), key=apart)
    return Split(tuple(sorted(order[:cut])), tuple(sorted(order[cut:])))
