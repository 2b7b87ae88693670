"""The share of a group's results that lies above a limit, and how large it may be."""

from __future__ import annotations

import math

import scipy


def share_above(distance: float) -> float:
    """The share of a normal distribution above a limit that lies `distance` standard deviations over its mean; nan for nan.

    >>> round(share_above(1.6448536), 3)
    0.05
    """
    return math.nan if math.isnan(distance) else float(scipy.special.ndtr(-distance))


def upper_share(distance: float, count: int, confidence: float) -> float:
    """The share above the limit that is not passed with `confidence`, from `count` results with mean m and standard deviation s.

    `distance` is (limit - m) / s. sqrt(n) times it follows a non-central t distribution with n - 1 degrees of freedom around
    sqrt(n) times the true distance; the bound is the share at the least true distance with which so large a value still comes up
    in 1 - confidence of cases. With 70 % it is at most 5 % just where U_R reaches U_T. nan for fewer than two results.

    Source: Johnson and Welch, Biometrika 1940;31:362; EN 689:2018, annex F, turned around.

    >>> from kumpel.core.groups.compliance import u_t
    >>> round(upper_share(u_t(6), 6, 0.70), 4)
    0.05
    """
    if count < 2 or math.isnan(distance):
        return math.nan
    if math.isinf(distance):
        return 0.0 if distance > 0 else 1.0
    root = math.sqrt(count)
    around = float(scipy.special.nctdtrinc(count - 1, confidence, root * distance))
    return math.nan if math.isnan(around) else float(scipy.special.ndtr(-around / root))
