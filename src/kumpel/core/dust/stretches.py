"""Stretches above a guideline: how many, how long, the most of them within 24 h."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kumpel.core.recording import Flags, Floats
from kumpel.core.runs import runs_over_gaps
from kumpel.core.timebase import DAY_S

Spans = NDArray[np.intp]


@dataclass(frozen=True)
class Line:
    """What is counted: stretches above `guideline`, in mg/m3, of at least `shortest_s`."""

    guideline: float
    shortest_s: float = 0.0

    @property
    def in_words(self) -> str:
        long = f" for at least {self.shortest_s / 60:g} min" if self.shortest_s else ""
        return f"above {self.guideline:g} mg/m3{long}"


def stretches_above(values: Floats, interval_s: float, line: Line) -> Spans:
    """First and end index of each stretch above a line, shape (k, 2); `values` in mg/m3, nan where not measured, shape (n,).

    A single missing sample does not part a stretch (the rule of the 15-min window); one shorter than the line's shortest is none.

    >>> stretches_above(np.array([1.0, 3.0, np.nan, 3.0, 1.0, 3.0]), 60.0, Line(2.0, 120.0)).tolist()
    [[1, 4]]
    """
    spans = runs_over_gaps(_above(values, line), np.isnan(values))
    return _long(spans, interval_s, line.shortest_s)


def stretches_proven(values: Floats, interval_s: float, line: Line) -> Spans:
    """The stretches that there are whatever was not measured: between two of them a measured sample does not exceed the line, and each
    has a stretch as `stretches_above` counts it in it. Shape (k, 2)."""
    above, missing = _above(values, line), np.isnan(values)
    wide = runs_over_gaps(above, missing, None)
    counted = _long(runs_over_gaps(above, missing), interval_s, line.shortest_s)
    if not len(wide):
        return wide
    within = np.searchsorted(counted[:, 0], wide, side="left")
    return wide[within[:, 1] > within[:, 0]]


def most_in_a_day(spans: Spans, interval_s: float) -> int:
    """The most stretches that begin within 24 h of one's beginning."""
    per = round(DAY_S / interval_s)
    firsts = spans[:, 0]
    return int((np.searchsorted(firsts, firsts + per) - np.arange(len(firsts))).max()) if len(firsts) else 0


def _above(values: Floats, line: Line) -> Flags:
    with np.errstate(invalid="ignore"):
        return np.asarray(values > line.guideline)


def _long(spans: Spans, interval_s: float, shortest_s: float) -> Spans:
    return spans[(spans[:, 1] - spans[:, 0]) * interval_s >= shortest_s - 1e-9]
