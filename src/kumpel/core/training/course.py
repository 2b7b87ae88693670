"""Distance, speed and ascent along a training session, and its levels: intervals, splits, strokes."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kumpel.core.geo import GEODESIC_SOURCE, geodesic_m, usable_positions
from kumpel.core.recording import Flags, Floats, Recording
from kumpel.core.review import Review, samples_inside
from kumpel.core.units import values_in

MOVING_FROM_M_S = 0.5
ASCENT_WINDOW_S = 30.0
ASCENT_STEP_M = 2.0
FASTEST_M_S = 60.0


@dataclass(frozen=True)
class Course:
    """Cumulated distance and counted time at the edges of the samples, shape (n + 1,), in m and s.

    Whatever level is looked at, its distance and time are differences of these, so that the parts of a level
    always sum up to the whole. `source` says what the distance rests on; `bridged_s` is the time without a
    position that a straight line stands for; `speed` has shape (n,), in m/s.
    """

    interval_s: float
    distance_m: Floats
    time_s: Floats
    speed: Floats
    counted: Flags
    source: str
    bridged_s: float

    def distance_at(self, at_s: Floats) -> Floats:
        """Cumulated distance in m at times after the start."""
        found: Floats = np.interp(at_s, np.arange(len(self.distance_m)) * self.interval_s, self.distance_m)
        return found

    def counted_at(self, at_s: Floats) -> Floats:
        """Cumulated counted time in s at times after the start."""
        found: Floats = np.interp(at_s, np.arange(len(self.time_s)) * self.interval_s, self.time_s)
        return found

    def times_of(self, distances_m: Floats) -> Floats:
        """Times after the start at which distances are first reached, interpolated; nan beyond the end."""
        at = np.searchsorted(self.distance_m, distances_m - 1e-9, side="left")
        found = np.full(len(distances_m), np.nan)
        good = (at > 0) & (at < len(self.distance_m))
        i = at[good]
        step = self.distance_m[i] - self.distance_m[i - 1]
        part = (distances_m[good] - self.distance_m[i - 1]) / np.where(step > 0, step, 1)
        found[good] = (i - 1 + np.clip(part, 0, 1)) * self.interval_s
        return found


def course_of(recording: Recording, review: Review) -> Course:
    """The course of a session. Raises ValueError when there is neither position nor speed nor distance."""
    keys = ("lat", "speed", "distance")
    main = next((recording.channels[k] for k in keys if k in recording.channels), None)
    if main is None:
        raise ValueError("the session has neither positions (lat, lon) nor speed nor distance: nothing to assess")
    n, dt = len(main.values), main.interval_s
    counted = ~samples_inside(review.left_out, n, dt)
    pod = str(recording.setup.get("speed_source", "satellite")) != "satellite"
    speed = values_in(recording, "speed", "m/s")
    distance = values_in(recording, "distance", "m")
    bridged = 0.0
    if distance is not None and len(distance) == n and (pod or "lat" not in recording.channels):
        steps, source = _steps_of_distance(distance), str(recording.setup.get("speed_source", "recorder's distance"))
    elif speed is not None and len(speed) == n and (pod or "lat" not in recording.channels):
        steps, source = (
            np.nan_to_num(speed) * dt,
            f"{recording.setup.get('speed_source', 'recorded speed')}, speed x time",
        )
    else:
        steps, bridged = _steps_of_positions(recording, n, dt)
        source = GEODESIC_SOURCE
    steps = np.where(counted, steps, 0.0)
    shown = speed if speed is not None and len(speed) == n else _speed_of(steps, dt)
    edges = np.concatenate(([0.0], np.cumsum(steps)))
    times = np.concatenate(([0.0], np.cumsum(np.where(counted, dt, 0.0))))
    return Course(dt, edges, times, np.where(counted, shown, np.nan), counted, source, bridged)


def _steps_of_distance(distance: Floats) -> Floats:
    """Steps of a recorder's own cumulated distance; a step back (a reset) adds nothing."""
    known = np.flatnonzero(~np.isnan(distance))
    steps = np.zeros(len(distance))
    if len(known) > 1:
        steps[known[1:] - 1] = np.maximum(np.diff(distance[known]), 0.0)
    return steps


def _steps_of_positions(recording: Recording, n: int, dt: float) -> tuple[Floats, float]:
    """Geodesic length from each sample to the next, shape (n,), and the time bridged in a straight line, s.

    A jump faster than 60 m/s is a false position: the later point is passed over.
    """
    lat, lon = values_in(recording, "lat", "deg"), values_in(recording, "lon", "deg")
    assert lat is not None
    if lon is None or len(lon) != n:
        raise ValueError("the session has a latitude (lat) without a longitude (lon) beside it")
    lat, lon = usable_positions(lat, lon)
    known = np.flatnonzero(~np.isnan(lat))
    steps = np.zeros(n)
    for _ in range(5):
        if len(known) < 2:
            return steps, 0.0
        a, b = known[:-1], known[1:]
        lengths = geodesic_m(lat[a], lon[a], lat[b], lon[b])
        fast = lengths > FASTEST_M_S * (b - a) * dt
        if not fast.any():
            break
        # Of a jump away and back only the landing point is false.
        drop = np.concatenate(([False], fast & ~np.concatenate(([False], fast[:-1]))))
        known = known[~drop]
    a, b = known[:-1], known[1:]
    lengths = geodesic_m(lat[a], lon[a], lat[b], lon[b])
    each = lengths / (b - a)
    steps[known[0] : known[-1]] = np.repeat(each, b - a)
    return steps, float(np.sum((b - a - 1)[b - a > 1])) * dt


def _speed_of(steps: Floats, dt: float) -> Floats:
    """Speed in m/s from steps, as the mean of 5 s around each sample."""
    width = max(round(5 / dt), 1) | 1
    if len(steps) < width:
        return steps / dt
    return np.convolve(steps, np.ones(width) / width, "same") / dt


def moving_s(course: Course, threshold_m_s: float) -> float:
    """Counted time with a speed of at least the threshold, in s."""
    with np.errstate(invalid="ignore"):
        return float(np.count_nonzero(course.speed >= threshold_m_s)) * course.interval_s


def ascent_descent(altitude_m: Floats, interval_s: float) -> tuple[float, float]:
    """Metres climbed and descended: altitude smoothed (mean of 30 s), turns of less than 2 m ignored.

    nan with fewer than two measured altitudes. Gaps are bridged: the height on both sides counts, as on the ground.
    """
    known = ~np.isnan(altitude_m)
    if np.count_nonzero(known) < 2:
        return math.nan, math.nan
    values = altitude_m[known]
    width = min(max(round(ASCENT_WINDOW_S / interval_s), 1), len(values))
    sums = np.concatenate(([0.0], np.cumsum(values)))
    half = width // 2
    first = np.maximum(np.arange(len(values)) - half, 0)
    end = np.minimum(np.arange(len(values)) + half + 1, len(values))
    smooth = (sums[end] - sums[first]) / (end - first)
    up = down = 0.0
    low = high = turn = float(smooth[0])
    rising: bool | None = None
    for value in smooth.tolist():
        low, high = min(low, value), max(high, value)
        if rising is not True and value - low >= ASCENT_STEP_M:
            down += 0.0 if rising is None else turn - low
            rising, turn, high = True, low, value
        elif rising is not False and high - value >= ASCENT_STEP_M:
            up += 0.0 if rising is None else high - turn
            rising, turn, low = False, high, value
    if rising is True:
        up += high - turn
    elif rising is False:
        down += turn - low
    return up, down
