"""How long a session was at each pace."""

from __future__ import annotations

import numpy as np

from kumpel.core.assessment import Table
from kumpel.core.reckoning import table
from kumpel.core.training.course import Course

WIDTH_S = 15.0
SLOWEST_S = 900.0
"""Slower than 15 min a kilometre is standing: one row for all of it."""
COLUMNS = (("From", "s/km", 0), ("To", "s/km", 0), ("Time", "s", 0), ("Share", "%", 1))


def pace_table(course: Course) -> Table:
    """Counted time in bands of 15 s/km from the fastest on, then everything slower than 900 s/km; together the time with a known speed."""
    known = course.counted & ~np.isnan(course.speed)
    lengths = course.lengths_s[known]
    total = float(lengths.sum())
    if total <= 0:
        return table("pace_bands", "Pace bands", COLUMNS, [])
    pace = 1000 / np.maximum(course.speed[known], 1000 / (2 * SLOWEST_S))
    slow = pace >= SLOWEST_S
    places = np.floor(pace[~slow] / WIDTH_S).astype(int)
    seconds = np.bincount(places, lengths[~slow])
    rows: list[tuple[str | float, ...]] = (
        [
            (WIDTH_S * i, WIDTH_S * (i + 1), float(seconds[i]), 100 * float(seconds[i]) / total)
            for i in range(int(places.min()), len(seconds))
        ]
        if len(places)
        else []
    )
    standing = float(lengths[slow].sum())
    if standing > 0:
        rows.append((SLOWEST_S, float("nan"), standing, 100 * standing / total))
    return table("pace_bands", "Pace bands", COLUMNS, rows)
