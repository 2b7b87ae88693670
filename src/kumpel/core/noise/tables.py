"""Tables of a noise session: tasks, hours, the stretch that makes half of the dose, the spread of levels."""

from __future__ import annotations

import itertools
import math

import numpy as np

from kumpel.core.assessment import Table, TableColumn
from kumpel.core.noise import exposure, levels
from kumpel.core.noise.basis import Basis
from kumpel.core.recording import Flags, Floats
from kumpel.core.review import Review, samples_inside
from kumpel.core.timebase import wall_clock


def task_table(basis: Basis, review: Review) -> Table:
    """Time, level and share of the dose of each task, and of the rest of the day."""
    found, *_ = basis.equal_energy_levels
    rows: list[tuple[str | float, ...]] = []
    if found is not None:
        names = list(dict.fromkeys(task.label for task in review.tasks))
        total = float(np.nansum(10 ** (found / 10)))
        free = np.ones(len(found), dtype=bool)
        for name in names:
            inside = samples_inside(tuple(t for t in review.tasks if t.label == name), len(found), basis.interval_s)
            rows.append(_task_row(name, found, inside & free, basis.interval_s, total))
            free &= ~inside
        if names and np.any(free & basis.counted[: len(found)]):
            rows.append(_task_row("rest of the day", found, free, basis.interval_s, total))
    columns = (
        TableColumn("Task", "", None),
        TableColumn("Time", "s", 0),
        TableColumn("LAeq,m", "dB(A)", 1),
        TableColumn("LEX,8h,m", "dB(A)", 1),
        TableColumn("Share of dose", "%", 0),
    )
    return Table("tasks", "Tasks", columns, tuple(rows))


def _task_row(name: str, found: Floats, inside: Flags, interval_s: float, total: float) -> tuple[str | float, ...]:
    part = found[inside]
    seconds = float(np.sum(~np.isnan(part))) * interval_s
    laeq = levels.mean_level(part)
    share = 100 * float(np.nansum(10 ** (part / 10))) / total if total > 0 else math.nan
    return name, seconds, laeq, exposure.daily_exposure_level(laeq, seconds), share


def hour_table(basis: Basis) -> Table:
    """Share of the dose by hour on the wall, met in order: an hour that summer time's end repeats is there twice.

    Samples belong to the hour of the nearest second, as starts lie on fractions of one.
    """
    found, *_ = basis.equal_energy_levels
    columns = (
        TableColumn("Hour from", "s", 0),
        TableColumn("LAeq", "dB(A)", 1),
        TableColumn("Share of dose", "%", 1),
    )
    if found is None or not len(found):
        return Table("hours", "Where the dose comes from", columns, ())
    at = np.arange(len(found), dtype=np.float64) * basis.interval_s
    wall = wall_clock(basis.recording, at)
    new_hour = np.diff(np.round(wall) // 3600) != 0
    new_offset = np.abs(np.diff(wall - at)) > 1
    energy = np.nan_to_num(10 ** (found / 10))
    total = float(energy.sum())
    rows = []
    edges = [0, *(np.flatnonzero(new_hour | new_offset) + 1).tolist(), len(found)]
    for first, end in itertools.pairwise(edges):
        share = 100 * float(energy[first:end].sum()) / total if total > 0 else math.nan
        rows.append((float(at[first]), levels.mean_level(found[first:end]), share))
    return Table("hours", "Where the dose comes from", columns, tuple(rows))


def half_table(basis: Basis) -> Table:
    """The shortest stretch of the day that makes half of the dose: start and end in s, LAeq in it."""
    columns = (TableColumn("From", "s", 0), TableColumn("To", "s", 0), TableColumn("LAeq", "dB(A)", 1))
    found, *_ = basis.equal_energy_levels
    stretch = levels.highest_share(found, 0.5) if found is not None else None
    if found is None or stretch is None:
        return Table("half", "Half of the dose", columns, ())
    first, end = stretch
    row = (first * basis.interval_s, end * basis.interval_s, levels.mean_level(found[first:end]))
    return Table("half", "Half of the dose", columns, (row,))


def spread_table(basis: Basis) -> Table:
    """Seconds in each decibel of level."""
    found, *_ = basis.equal_energy_levels
    columns = (TableColumn("Level from", "dB(A)", 0), TableColumn("Time", "s", 0))
    if found is None:
        return Table("spread", "Spread of levels", columns, ())
    edges, seconds = levels.histogram(found, basis.interval_s)
    used = np.flatnonzero(seconds)
    if not len(used):
        return Table("spread", "Spread of levels", columns, ())
    span = slice(int(used[0]), int(used[-1]) + 1)
    return Table(
        "spread",
        "Spread of levels",
        columns,
        tuple((float(a), float(b)) for a, b in zip(edges[span], seconds[span], strict=True)),
    )
