"""What each difference between two laps costs, and the driver's own spread of it.

Source: docs/methods/vehicle.md, "Time lost".
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Floats
from kumpel.core.vehicle.driving import Marks

POOLED_LAPS = 4


@dataclass(frozen=True)
class Costs:
    """What each difference to the reference costs, in s, shape (laps, stretches), nan where it was not seen; negative: gained.

    Braking d earlier, or opening the throttle d later, moves the whole line of speeds by d between the apex and the outer speed:
    d (1/v_apex - 1/v_outer). A share less at the apex costs that share of the time in the corner. A longer way costs itself at the mean speed.
    """

    brake: Floats
    throttle: Floats
    apex: Floats
    way: Floats


def costs_of(marks: Marks, took_s: Floats, reference: int) -> Costs:
    """Costs against the row `reference`; `took_s` is what each stretch took, shape (laps, stretches)."""
    slow, fast = marks.apex_m_s[reference], marks.outer_m_s[reference]
    with np.errstate(invalid="ignore", divide="ignore"):
        metre = np.maximum(1 / slow - 1 / fast, 0.0)
        share = (slow - marks.apex_m_s) / slow
        return Costs(
            (marks.brake_m[reference] - marks.brake_m) * metre,
            (marks.full_m - marks.full_m[reference]) * metre,
            share * marks.corner_s[reference],
            (marks.way_m - marks.way_m[reference]) / marks.way_m[reference] * took_s[reference],
        )


def _deviations(values: Floats, most: float) -> Floats:
    """Robust standard deviation in each stretch of differences from the median lap, shape (stretches,).

    1.4826 times the median distance; few laps lie nearer to their own median than to the true one, which sqrt(n / (n - 1)) makes good.
    A handful of laps says little of one stretch: the deviation over all stretches counts as much as four laps there. No stretch has more
    than `most` times that of all.
    """
    count = (~np.isnan(values)).sum(axis=0)
    enough = count > 2
    if not enough.any():
        return np.zeros(values.shape[1])
    away = np.full(values.shape, np.nan)
    away[:, enough] = np.abs(values[:, enough] - np.nanmedian(values[:, enough], axis=0))
    n = np.where(enough, count, 2)
    better = 1.4826 * np.sqrt(n / (n - 1))
    pooled = float(1.4826 * np.nanmedian(away)) * math.sqrt(float(np.median(n) / (np.median(n) - 1)))
    own = np.where(enough, better * np.nan_to_num(_median(away)), pooled)
    own = np.minimum(own, most * pooled)
    found: Floats = np.sqrt((POOLED_LAPS * pooled**2 + (n - 1) * own**2) / (POOLED_LAPS + n - 1))
    return found


def _median(values: Floats) -> Floats:
    """Medians of the columns; nan for a column of nothing."""
    some = ~np.isnan(values).all(axis=0)
    found = np.full(values.shape[1], np.nan)
    found[some] = np.nanmedian(values[:, some], axis=0)
    return found


def spread_of(costs: Costs, counted: Sequence[int], most: float) -> Costs:
    """What each difference costs this driver more or less from lap to lap anyway: one standard deviation, shape (stretches,) each."""
    rows = list(counted)
    return Costs(*(_deviations(getattr(costs, name)[rows], most) for name in Costs.__dataclass_fields__))


def usual_of(costs: Costs, counted: Sequence[int]) -> Costs:
    """What each difference costs in the median of the laps, shape (stretches,) each; nan where it was never seen."""
    rows = list(counted)
    return Costs(*(_median(getattr(costs, name)[rows]) for name in Costs.__dataclass_fields__))
