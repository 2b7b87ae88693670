"""A course as it is drawn from above, and where on it time is lost in the mean.

Source: docs/methods/vehicle.md, "Time lost".
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy

from kumpel.core.recording import Floats, Recording
from kumpel.core.review import Review
from kumpel.core.vehicle.alignment import STEP_M
from kumpel.core.vehicle.compared import Compared, Outing, compared_of, timed_laps, usual_rows
from kumpel.core.vehicle.corners import Corner, corners_of, line_of
from kumpel.core.vehicle.drive import Drive, drive_of
from kumpel.core.vehicle.laps import bests

MOST_POINTS = 1500


@dataclass(frozen=True)
class Place:
    """A line of the course: m from the start, and what it is called ("start", "S2", "finish")."""

    at_m: float
    name: str


@dataclass(frozen=True)
class CoursePicture:
    """The course as drawn: its middle line (m east and north, one point every `step_m` from the start line on), lines, corners."""

    name: str
    origin: str
    backwards: bool
    closed: bool
    length_m: float
    step_m: float
    x: tuple[float, ...]
    y: tuple[float, ...]
    lines: tuple[Place, ...]
    corners: tuple[Corner, ...]


@dataclass(frozen=True)
class CourseLoss:
    """The course with, at each of its points, how much slower the laps that count are in the mean than the best of them (s a m; None
    when there are no two to compare). `x`, `y` and `rate` have one value every `course.step_m`."""

    course: CoursePicture
    x: Floats
    y: Floats
    rate: Floats | None


SMOOTH_M = 15
"""Over so many metres the time lost is levelled before it is drawn."""


def course_loss(recording: Recording, review: Review) -> CourseLoss | None:
    """Where on the course time is lost in the mean; None without a course."""
    drive = drive_of(recording, review)
    compared = compared_of(Outing(recording, drive)) if timed_laps(drive) else None
    picture = picture_of(drive, compared)
    if picture is None:
        return None
    x, y = np.array(picture.x), np.array(picture.y)
    best = bests(list(drive.laps)).best
    counted = usual_rows(compared.grid) if compared else []
    if compared is None or best is None or len(counted) < 2:
        return CourseLoss(picture, x, y, None)
    reference = [each.number for each in compared.grid.laps].index(best.number)
    behind = compared.grid.time_s[counted].mean(axis=0) - compared.grid.time_s[reference]
    rate = scipy.ndimage.uniform_filter1d(np.gradient(behind, STEP_M), SMOOTH_M, mode="nearest")
    there = np.arange(len(x)) * picture.step_m
    return CourseLoss(picture, x, y, np.interp(there, compared.grid.metres, rate))


def picture_of(drive: Drive, compared: Compared | None) -> CoursePicture | None:
    """The course of a drive, in the metres that its laps are laid over where they are; None without a course."""
    course = drive.course
    if course is None:
        return None
    line = compared.line if compared else line_of(course)
    if line is None:
        return None
    step = max(math.ceil(len(line.x) / MOST_POINTS), 1)
    scale = float(compared.grid.metres[-1]) / line.length_m if compared else 1.0
    lines = [Place(0.0, "start"), *(Place(m * scale, f"S{i}") for i, m in enumerate(line.gates_m, 2))]
    if not course.closed:
        lines.append(Place(line.length_m * scale, "finish"))
    corners = compared.corners if compared else tuple(corners_of(line))
    return CoursePicture(
        course.name,
        drive.origin,
        drive.backwards,
        course.closed,
        line.length_m * scale,
        step * STEP_M * scale,
        tuple(line.x[::step].tolist()),
        tuple(line.y[::step].tolist()),
        tuple(lines),
        corners,
    )
