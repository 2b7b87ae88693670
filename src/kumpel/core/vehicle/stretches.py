"""The parts of a course between which time is told apart: entry and exit of each corner.

Source: docs/methods/vehicle.md, "Time lost".
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from kumpel.core.recording import Floats
from kumpel.core.vehicle.alignment import STEP_M, Grid
from kumpel.core.vehicle.corners import Corner

BEFORE_TOP_M = 3.0
"""A stretch between two corners is split so far before the first place where any counted lap is fastest: an early braker stays in the
entry of the next corner."""


@dataclass(frozen=True)
class CourseStretch:
    """A part of the course: the entry to a corner (from the split of the straight before to the apex) or the exit (to the next split)."""

    corner: int
    part: str
    from_m: float
    to_m: float


def stretches_of(corners: Sequence[Corner], speed: Floats, metres: Floats) -> list[CourseStretch]:
    """Entry and exit of each corner, without gaps from the start line to the end. `speed` are the counted laps, shape (laps, n)."""
    if not corners or not len(speed):
        return []
    last = float(metres[-1])
    splits: list[float] = []
    for a, b in pairwise(corners):
        first, end = (int(np.searchsorted(metres, c.apex_m)) for c in (a, b))
        tops = first + np.argmax(speed[:, first : max(end, first + 1)], axis=1)
        splits.append(min(max(float(metres[tops.min()]) - BEFORE_TOP_M, a.apex_m + 1), b.apex_m - 1))
    found = []
    for corner, begin, over in zip(corners, [0.0, *splits], [*splits, last], strict=True):
        found.append(CourseStretch(corner.number, "entry", begin, corner.apex_m))
        found.append(CourseStretch(corner.number, "exit", corner.apex_m, over))
    return found


def took(grid: Grid, stretches: Sequence[CourseStretch]) -> Floats:
    """Seconds that each lap takes for each stretch, shape (laps, stretches)."""
    edges = np.array([[s.from_m, s.to_m] for s in stretches])
    at = np.clip(np.rint(edges / STEP_M).astype(np.intp), 0, len(grid.metres) - 1)
    found: Floats = grid.time_s[:, at[:, 1]] - grid.time_s[:, at[:, 0]]
    return found


def losses(grid: Grid, stretches: Sequence[CourseStretch], reference: int) -> Floats:
    """Seconds that each lap loses in each stretch against the row `reference` of the grid, shape (laps, stretches)."""
    taken = took(grid, stretches)
    found: Floats = taken - taken[reference]
    return found
