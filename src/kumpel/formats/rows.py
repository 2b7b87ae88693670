"""Rows with time stamps brought onto a recording's even time base."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kumpel.core.bounds import ANY, Bounds
from kumpel.core.recording import POINT_STANDS_S, Floats, Points
from kumpel.core.timebase import even, in_order, usual_interval

FINEST_S = 0.01
MOST_LEFT_AWAY = 0.05


FEWEST_SLOWER = 3
SHARE_SLOWER = 0.5


def slower(values: Floats, interval_s: float) -> tuple[Floats, float]:
    """A column that has values on every k-th row alone, from the first on, at its own interval of k rows; else as it is.

    A table has the rows of its fastest column: what is blank between the values of a slower one was not missed. At least
    three values and half of the rows in question must be there, or it is taken for a column with gaps.
    """
    there = np.flatnonzero(~np.isnan(values))
    per = int(np.gcd.reduce(there)) if len(there) >= FEWEST_SLOWER else 1
    if per < 2 or len(there) < SHARE_SLOWER * len(values) / per:
        return values, interval_s
    own = values[::per]
    # The last one, for which the rows end too soon, may never have come.
    if len(values) % per and math.isnan(own[-1]):
        own = own[:-1]
    return own.copy(), interval_s * per


@dataclass(frozen=True)
class Evened:
    """Columns on an even base, the interval in s, the first time in s, and what was done to get there (in words)."""

    columns: dict[str, Floats]
    interval_s: float
    start_s: float
    notes: tuple[str, ...]
    points: Points | None = None


def evened(
    times_s: Floats,
    columns: dict[str, Floats],
    interval_s: float | None = None,
    keep_points: bool = False,
    bounds: Bounds = ANY,
) -> Evened:
    """Bring rows at `times_s`, shape (n,), onto an even base; rows without a time are passed over.

    Rows out of order are sorted, of two rows with the same time the first counts. Rows on a grid (within a tenth of
    the interval) keep their values; others are interpolated between neighbours at most 1.5 intervals apart. Where
    no row is, nothing was measured. With `keep_points` (positions), rows at uneven times are kept as they are beside the
    even columns, which are then as fine as the closest rows and bridge 30 s.
    Raises ValueError when the interval cannot be told, BoundsError when the rows hold more than `bounds` allow.
    """
    notes: list[str] = []
    order = in_order(times_s)
    if order.unsorted:
        notes.append(f"{order.unsorted} rows were out of order and were sorted")
    if order.doubled:
        notes.append(f"{order.doubled} rows share their time with an earlier one and were not counted")
    at = times_s[order.index]
    if not len(at):
        raise ValueError("no row has a time")
    if len(at) == 1 and interval_s is None:
        raise ValueError("a single row: the interval between rows is not known")
    # Unix seconds carry 0.24 us; a step of 0.1 s must come out as 0.1 s.
    step = interval_s or round(usual_interval(at), 6)
    start = float(at[0])
    at = at - start
    span = float(at[-1])
    bounds.check_span(span)
    bounds.check_rate(step, "the rows")
    count = round(span / step) + 1
    bounds.check_samples(count * max(len(columns), 1))
    slots = np.rint(at / step).astype(np.intp)
    slack = 1e-3 if keep_points else 0.1 * step
    on_grid = bool(np.all(np.abs(at - slots * step) <= slack)) and bool(np.all(np.diff(slots) > 0))
    if keep_points and len(at) > 2:
        # Many rows left away (a recorder that writes only where something changes) are no gaps.
        on_grid = on_grid and float(np.mean(np.diff(at) > 1.5 * step)) <= MOST_LEFT_AWAY
    points = None
    if keep_points and not on_grid and len(at) > 1:
        points = Points(at, {k: v[order.index] for k, v in columns.items()})
        bounds.check_events(len(at))
        # No finer than the bounds allow: the points themselves keep their times.
        finest = max(FINEST_S, 1 / bounds.rate_hz, span * len(columns) / bounds.samples)
        step = interval_s or max(round(float(np.percentile(np.diff(at), 5)), 3), finest)
        count = round(span / step) + 1
    found: dict[str, Floats] = {}
    for key, values in columns.items():
        picked = values[order.index]
        if on_grid:
            line = np.full(count, np.nan)
            line[slots] = picked
            found[key] = line
        else:
            found[key] = even(at, picked, step, count, POINT_STANDS_S / step if points else 1.5)
    if points is not None:
        notes.append(f"{len(at)} rows at uneven times are kept as they are; drawn every {step:g} s")
    elif not on_grid:
        notes.append(f"rows at uneven times were brought to every {step:g} s")
    return Evened(found, step, start, tuple(notes), points)
