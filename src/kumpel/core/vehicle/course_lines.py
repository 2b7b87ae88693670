"""The lines of a course as places along it: where they lie, and the same course with its lines elsewhere."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from kumpel.core.geo import plane_of
from kumpel.core.recording import Floats
from kumpel.core.vehicle.courses import LONGEST_M, OUTLINE_STEP_M, Course, gate_at, resampled

STEP_M = 1.0
LEAST_APART_M = 10.0
NARROWEST_M, WIDEST_M = 2.0, 100.0


@dataclass(frozen=True)
class Drawn:
    """A course as it is drawn: m east and north, a point every `STEP_M`, shape (n,) each; of a loop the start line comes first.

    `at_m` are the places of start, lines between and, when open, finish, in m along these points.
    """

    x: Floats
    y: Floats
    closed: bool
    at_m: tuple[float, ...]

    @property
    def length_m(self) -> float:
        return len(self.x) * STEP_M


def drawn(course: Course) -> Drawn | None:
    """The course with the places of its lines; None when it has no points to lay them on, or is longer than 200 km."""
    if len(course.lat) < 3 or not course.length_m <= LONGEST_M:
        return None
    plane = plane_of(course.lat, course.lon)
    x, y = resampled(*plane.xy(course.lat, course.lon), STEP_M, course.closed)
    if len(x) < 3 * LEAST_APART_M:
        return None
    at = [int(np.argmin(np.hypot(*gate.along_across(plane, x, y)))) for gate in course.gates]
    if course.closed:
        x, y = np.roll(x, -at[0]), np.roll(y, -at[0])
        at = [(each - at[0]) % len(x) for each in at]
    return Drawn(x, y, course.closed, tuple(each * STEP_M for each in at))


def moved(course: Course, at_m: Sequence[float], half_width_m: float) -> Course:
    """The course with its lines at other places (start, lines between in driving order and, when open, finish), each across the way.

    Of a loop the start may move either way, also past its first point. Raises ValueError when a place is no place on the course, or
    two lines lie closer than 10 m or in another order.
    """
    found = drawn(course)
    if found is None:
        raise ValueError("the course has no points: its lines cannot be laid along it")
    if not NARROWEST_M <= half_width_m <= WIDEST_M:
        raise ValueError(f"a line reaches {NARROWEST_M:g} to {WIDEST_M:g} m to each side")
    if len(at_m) < (1 if found.closed else 2) or not all(math.isfinite(m) for m in at_m):
        raise ValueError("a course has a start line, and an open one a finish line")
    length = found.length_m
    places = [m % length for m in at_m] if found.closed else list(at_m)
    if not found.closed and not all(0 <= m <= length for m in places):
        raise ValueError(f"the lines lie on the course, from 0 to {length:.0f} m")
    # From the start on, once round.
    order = [(m - places[0]) % length for m in places] if found.closed else places
    ends = [*order, length] if found.closed else order
    if any(b - a < LEAST_APART_M for a, b in pairwise(ends)):
        raise ValueError(
            f"the lines have to follow each other in driving order, {LEAST_APART_M:.0f} m apart at the least"
        )
    plane = plane_of(course.lat, course.lon)
    index = [min(round(m / STEP_M), len(found.x) - 1) for m in places]
    reach = round(3 * OUTLINE_STEP_M / STEP_M)
    gates = [gate_at(plane, found.x, found.y, i, half_width_m, found.closed, reach) for i in index]
    every = round(OUTLINE_STEP_M / STEP_M)
    first = index[0] if found.closed else 0
    lat, lon = plane.lat_lon(np.roll(found.x, -first)[::every], np.roll(found.y, -first)[::every])
    between = gates[1:] if found.closed else gates[1:-1]
    finish = None if found.closed else gates[-1]
    return replace(course, start=gates[0], sectors=tuple(between), finish=finish, lat=lat, lon=lon)
