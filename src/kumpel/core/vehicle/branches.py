"""Which branch of a course a vehicle is on where the course passes a line more than once in the same direction."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kumpel.core.geo import Plane
from kumpel.core.recording import Floats
from kumpel.core.vehicle.courses import OUTLINE_STEP_M, Course, Gate, resampled

LONGEST_LOOK_M = 800.0
BESIDE_M = 10.0
CLEAR_M = 2.0
FAR_M = 50.0
SAME_PLACE_M = 3.0
PATH_STEP_M = 10.0


@dataclass(frozen=True)
class Outline:
    """A course's points every 5 m on a flat map, in driving order."""

    x: Floats
    y: Floats
    closed: bool

    @property
    def length_m(self) -> float:
        return len(self.x) * OUTLINE_STEP_M

    def passes(self, plane: Plane, gate: Gate) -> list[tuple[float, float]]:
        """Where the course passes a line in its direction, no more than 10 m beyond its ends: (way from the start, m to
        the right of the line's middle) each."""
        along, across = gate.along_across(plane, self.x, self.y)
        after = np.roll(along, -1) if self.closed else np.append(along[1:], -np.inf)
        hits = np.flatnonzero((along < 0) & (after >= 0) & (after - along < 3 * OUTLINE_STEP_M))
        found = []
        for i in hits.tolist():
            part = -along[i] / (after[i] - along[i])
            side = across[i] + part * (across[(i + 1) % len(across)] - across[i])
            if abs(side) <= gate.half_width_m + BESIDE_M:
                found.append(((i + part) * OUTLINE_STEP_M, float(side)))
        return found

    def away(self, at_m: float, offsets_m: Floats, x: Floats, y: Floats) -> float:
        """Mean distance in m of places, shape (n,), from where the course is `offsets_m` before or after `at_m`.

        Each may lie 15 m and 5 % of the offset further on or back; 50 m count at the most.
        """
        reach = int((15.0 + 0.05 * float(np.abs(offsets_m).max(initial=0.0))) / OUTLINE_STEP_M)
        index = np.rint((at_m + offsets_m) / OUTLINE_STEP_M).astype(np.intp)[:, None] + np.arange(-reach, reach + 1)
        index = index % len(self.x) if self.closed else np.clip(index, 0, len(self.x) - 1)
        distance = np.hypot(self.x[index] - x[:, None], self.y[index] - y[:, None]).min(axis=1)
        return float(np.minimum(distance, FAR_M).mean())


def outline_of(course: Course, plane: Plane) -> Outline | None:
    """The outline of a course; None when it has no points (then its lines alone decide)."""
    if len(course.lat) < 2:
        return None
    x, y = plane.xy(course.lat, course.lon)
    ox, oy = resampled(x, y, OUTLINE_STEP_M, course.closed)
    return Outline(ox, oy, course.closed) if len(ox) > 2 else None


@dataclass(frozen=True)
class Branches:
    """The passes of a course over one line: the line's own, and the others."""

    outline: Outline
    own_m: float
    others_m: tuple[float, ...]

    def is_own(self, way: Floats, x: Floats, y: Floats, at: int) -> tuple[bool, bool]:
        """Whether a vehicle that crosses the line at sample `at` is on the line's own branch; and whether that is sure.

        Compared is the way before and after, up to half a round (800 m at the most), with the course before and after
        each of its passes. `way` (m driven), `x`, `y` have shape (n,), without nan.
        """
        look = min(self.outline.length_m / 2, LONGEST_LOOK_M)
        wanted = way[at] + np.arange(-look, look + 1, PATH_STEP_M)
        wanted = wanted[(wanted >= way[0]) & (wanted <= way[-1])]
        index: NDArray[np.intp] = np.minimum(np.searchsorted(way, wanted), len(way) - 1)
        offsets = way[index] - way[at]
        own = self.outline.away(self.own_m, offsets, x[index], y[index])
        other = min(self.outline.away(o, offsets, x[index], y[index]) for o in self.others_m)
        return own <= other, abs(own - other) >= CLEAR_M


def branches_at(outline: Outline, plane: Plane, gate: Gate, after_m: float) -> Branches | None:
    """The branches at a line; None when the course passes it once. `after_m`: the way at which the line before lies.

    The line's own pass is the one nearest to its middle; of passes over the same place the first after the line before.
    """
    found = outline.passes(plane, gate)
    if len(found) < 2:
        return None
    nearest = min(abs(side) for _, side in found)
    same = [at for at, side in found if abs(side) <= nearest + SAME_PLACE_M]
    length = outline.length_m
    # A line on the first point of the course lies at the end of its last step.
    own = min(same, key=lambda at: (at - after_m + 2 * OUTLINE_STEP_M) % length)
    return Branches(outline, own, tuple(at for at, _ in found if at != own))
