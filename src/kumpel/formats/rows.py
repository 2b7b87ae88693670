"""Rows with time stamps brought onto a recording's even time base."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Event, Floats
from kumpel.core.timebase import even, in_order, usual_interval

LONGEST_S = 400 * 86_400.0
MOST_SAMPLES = 400_000_000


@dataclass(frozen=True)
class Evened:
    """Columns on an even base, the interval in s, the first time in s, and what was done to get there (in words)."""

    columns: dict[str, Floats]
    interval_s: float
    start_s: float
    events: tuple[Event, ...]
    notes: tuple[str, ...]


def summer_time_end(times_s: Floats) -> int | None:
    """Row at which the wall clock went back by an hour, or None: one step back of about an hour, all others forward."""
    steps = np.diff(times_s)
    back = np.flatnonzero(steps < 0)
    if len(back) != 1 or len(steps) < 3:
        return None
    usual = float(np.median(steps))
    return int(back[0]) + 1 if abs(float(steps[back[0]]) + 3600 - usual) <= max(usual, 1.0) else None


def evened(
    times_s: Floats, columns: dict[str, Floats], interval_s: float | None = None, wall_clock: bool = True
) -> Evened:
    """Bring rows at `times_s`, shape (n,), onto an even base; rows without a time are passed over.

    Rows out of order are sorted, of two rows with the same time the first counts. Rows on a grid (within a tenth of
    the interval) keep their values; others are interpolated between neighbours at most 1.5 intervals apart. Where
    no row is, nothing was measured. With `wall_clock`, one step back of an hour is the end of summer time.
    Raises ValueError when the interval cannot be told or the rows span more than 400 days.
    """
    notes: list[str] = []
    events: list[Event] = []
    if wall_clock:
        row = summer_time_end(times_s)
        if row is not None:
            times_s = times_s.copy()
            times_s[row:] += 3600
            known = times_s[~np.isnan(times_s)]
            events.append(
                Event(float(times_s[row] - known[0]), "utc-offset", "the clock went back one hour", {"change_min": -60})
            )
            notes.append(f"row {row + 1}: the clock went back by an hour (end of summer time)")
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
    if span > LONGEST_S or span / step > MOST_SAMPLES:
        raise ValueError(f"the rows span {span / 86_400:.0f} days: is a time stamp wrong?")
    count = round(span / step) + 1
    slots = np.rint(at / step).astype(np.intp)
    on_grid = bool(np.all(np.abs(at - slots * step) <= 0.1 * step)) and bool(np.all(np.diff(slots) > 0))
    found: dict[str, Floats] = {}
    for key, values in columns.items():
        picked = values[order.index]
        if on_grid:
            line = np.full(count, np.nan)
            line[slots] = picked
            found[key] = line
        else:
            found[key] = even(at, picked, step, count)
    if not on_grid:
        notes.append(f"rows at uneven times were brought to every {step:g} s")
    return Evened(found, step, start, tuple(events), tuple(notes))
