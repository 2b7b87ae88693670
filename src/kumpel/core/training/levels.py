"""The levels of a session as a tree: session, intervals, the splits of each; every level sums up to the one above, to the last digit."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from kumpel.core.assessment import Table
from kumpel.core.reckoning import table
from kumpel.core.recording import Floats
from kumpel.core.training.course import Base, Course

STEP_M, STEP_S = 10.0, 1.0
"""To what distances and times are rounded at the edges of parts: differences of rounded edges sum up exactly."""
MOST_ROWS = 5000
SESSION, INTERVAL, SPLIT = 0, 1, 2
COLUMNS = (
    ("Part", "", None),
    ("Level", "", 0),
    ("From", "clock", 1),
    ("To", "clock", 1),
    ("Distance", "km", 2),
    ("Time", "s", 0),
    ("Pace", "s/km", 0),
    ("Heart rate", "bpm", 0),
    ("Known", "%", 0),
    ("Highest", "bpm", 0),
    ("Strokes", "", 0),
    ("Per stroke", "m", 2),
)


@dataclass(frozen=True)
class Splits:
    """How intervals are divided: by distance (m) or by counted time (s); the other is 0."""

    every_m: float = 0.0
    every_s: float = 0.0


def levels(bounds_s: Floats, splits: Splits, base: Base, course: Course, rate: Floats, strokes_s: Floats) -> Table:
    """A row a part, each before its own parts. `bounds_s` are the edges of the intervals, shape (n + 1,), rising; `rate` is the heart rate of
    each sample, nan where it is not known; `strokes_s` when strokes begin, rising.

    Times and distances are those between edges rounded to 1 s and 10 m; pace and means are of what was measured, not of the rounded.
    """
    whole = np.array([bounds_s[0], bounds_s[-1]])
    parts = _Parts(base, course, rate, strokes_s)
    rows = [parts.row("Session", SESSION, *whole)]
    many = len(bounds_s) > 2
    for number, (a, b) in enumerate(pairwise(bounds_s.tolist()), 1):
        if many:
            rows.append(parts.row(f"Interval {number}", INTERVAL, a, b))
        edges = _edges(a, b, splits, course)
        if len(edges) > 2:
            rows += [parts.row("", SPLIT, x, y) for x, y in pairwise(edges)]
        if len(rows) > MOST_ROWS:
            break
    return table("levels", "Session, intervals, splits", COLUMNS, rows[:MOST_ROWS])


def _edges(a: float, b: float, splits: Splits, course: Course) -> list[float]:
    """The edges of the splits of an interval, counted from its own start."""
    if splits.every_s > 0:
        begin, end = (float(course.counted_at(np.array([at]))[0]) for at in (a, b))
        inner = np.interp(
            np.arange(begin + splits.every_s, end - 1e-6, splits.every_s)[:MOST_ROWS], course.time_s, course.edges_s
        )
    elif splits.every_m > 0:
        begin, end = (float(course.distance_at(np.array([at]))[0]) for at in (a, b))
        inner = course.times_of(np.arange(begin + splits.every_m, end - 1e-6, splits.every_m)[:MOST_ROWS])
    else:
        inner = np.empty(0)
    return [a, *(float(at) for at in inner if a < at < b), b]


class _Parts:
    """Figures of any part of a session, from sums over its samples made once."""

    def __init__(self, base: Base, course: Course, rate: Floats, strokes_s: Floats) -> None:
        self._course, self._strokes = course, strokes_s
        self._middles = (base.edges_s[1:] + base.edges_s[:-1]) / 2
        self._rate, self._lengths = rate, course.lengths_s

    def row(self, name: str, level: int, a: float, b: float) -> tuple[str | float, ...]:
        edges = np.array([a, b])
        (from_m, to_m), (from_s, to_s) = self._course.distance_at(edges), self._course.counted_at(edges)
        rounded = [STEP_M * round(m / STEP_M) for m in (from_m, to_m)]
        metres, seconds = float(to_m - from_m), float(to_s - from_s)
        mean, known, top = self._heart(a, b, seconds)
        count = int(np.searchsorted(self._strokes, b, "left") - np.searchsorted(self._strokes, a, "left"))
        has_strokes = len(self._strokes) > 0
        return (
            name or f"{rounded[0] / 1000:.2f} to {rounded[1] / 1000:.2f} km",
            float(level),
            a,
            b,
            (rounded[1] - rounded[0]) / 1000,
            STEP_S * round(to_s / STEP_S) - STEP_S * round(from_s / STEP_S),
            1000 * seconds / metres if metres > 0 else math.nan,
            mean,
            known,
            top,
            float(count) if has_strokes else math.nan,
            metres / count if count else math.nan,
        )

    def _heart(self, a: float, b: float, seconds: float) -> tuple[float, float, float]:
        """Mean and highest heart rate, and for how much of the time it is known (%)."""
        first, end = np.searchsorted(self._middles, (a, b), "left")
        rate, lengths = self._rate[first:end], self._lengths[first:end]
        good = ~np.isnan(rate)
        if not good.any():
            return math.nan, 0.0, math.nan
        share = 100 * min(float(lengths[good].sum()) / seconds, 1.0) if seconds > 0 else math.nan
        return float(np.average(rate[good], weights=lengths[good])), share, float(rate[good].max())
