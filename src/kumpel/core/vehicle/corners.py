"""The corners of a course, from its points alone: found once, numbered from the start line, the same for every lap and driver."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy

from kumpel.core.geo import plane_of
from kumpel.core.recording import Floats
from kumpel.core.vehicle.courses import LONGEST_M, Course, resampled

STEP_M = 1.0
SMOOTH_M = 7.0
WIDEST_M = 250.0
"""Wider than this is no corner on any course."""
SHARE_OF_TIGHT = 0.25
"""On a course with tight corners, a bend with less than this share of their curvature is none."""
LEAST_TURN_RAD = math.radians(15)


@dataclass(frozen=True)
class Corner:
    """A corner: its number from 1, where it begins, is tightest and ends (m from the start line), and whether it turns right."""

    number: int
    begin_m: float
    apex_m: float
    end_m: float
    right: bool


@dataclass(frozen=True)
class Line:
    """The middle line of a course, a point every metre from the start line on, on a flat map: m east and north, curvature in 1/m
    (positive: to the left), shape (n,) each; where its lines lie, in m from the start."""

    x: Floats
    y: Floats
    curvature: Floats
    gates_m: tuple[float, ...]
    closed: bool

    @property
    def length_m(self) -> float:
        return len(self.x) * STEP_M


def line_of(course: Course) -> Line | None:
    """The middle line of a course; None when it has fewer than three points, or is longer than 200 km."""
    if len(course.lat) < 3 or not course.length_m <= LONGEST_M:
        return None
    plane = plane_of(course.lat, course.lon)
    x, y = resampled(*plane.xy(course.lat, course.lon), STEP_M, course.closed)
    if len(x) < 20:
        return None
    at = [int(np.argmin(np.hypot(*gate.along_across(plane, x, y)))) for gate in course.gates]
    if course.closed:
        x, y = np.roll(x, -at[0]), np.roll(y, -at[0])
        gates = [(each - at[0]) % len(x) for each in at[1:]]
    else:
        x, y = x[at[0] : at[-1] + 1], y[at[0] : at[-1] + 1]
        gates = [each - at[0] for each in at[1:-1]]
    mode = "wrap" if course.closed else "nearest"
    dx, dy = (scipy.ndimage.gaussian_filter1d(v, SMOOTH_M, order=1, mode=mode) for v in (x, y))
    heading = np.unwrap(np.arctan2(dy, dx))
    turned = np.diff(heading, append=heading[-1] + (_wrapped(heading[0] - heading[-1]) if course.closed else 0.0))
    return Line(x, y, turned / STEP_M, tuple(float(g) * STEP_M for g in gates), course.closed)


def _wrapped(angle: float) -> float:
    return math.remainder(angle, 2 * math.pi)


def corners_of(line: Line) -> list[Corner]:
    """The corners: parts that turn to one side, by 15 degrees or more, tighter than 250 m and than a quarter of the tightest.

    The apex is the middle of what it turns: half of the corner's direction is behind, half ahead. That place hardly moves with the
    noise of the points, other than the tightest one.
    """
    size = np.abs(line.curvature)
    least = max(1 / WIDEST_M, SHARE_OF_TIGHT * float(np.percentile(size, 95)))
    side = np.where(size >= least, np.sign(line.curvature), 0.0)
    edges = np.flatnonzero(np.diff(np.concatenate(([0.0], side, [0.0]))))
    found: list[Corner] = []
    for a, b in zip(edges[:-1].tolist(), edges[1:].tolist(), strict=True):
        turn = np.cumsum(size[a:b]) * STEP_M
        if not side[a] or turn[-1] < LEAST_TURN_RAD:
            continue
        apex = a + int(np.searchsorted(turn, turn[-1] / 2))
        found.append(Corner(len(found) + 1, a * STEP_M, apex * STEP_M, b * STEP_M, bool(side[a] < 0)))
    return found
