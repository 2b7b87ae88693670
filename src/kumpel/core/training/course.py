"""Distance, speed and ascent along a training session, and its levels: intervals, splits, strokes."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from kumpel.core.geo import GEODESIC_SOURCE, usable_positions
from kumpel.core.recording import POINT_STANDS_S, Channel, Flags, Floats, Recording, sample_times
from kumpel.core.review import Review, Stretch
from kumpel.core.timebase import grid_places
from kumpel.core.track import Mover, believable, steps_m
from kumpel.core.units import channel_in

MOVING_FROM_M_S = 0.5
MOVER = Mover(60.0, 10.0)
"""Nobody who wears these recorders is faster, or changes speed by more."""
ASCENT_WINDOW_S = 30.0
ASCENT_STEP_M = 2.0
SPEED_WINDOW_S = 5.0


@dataclass(frozen=True)
class Course:
    """Cumulated distance and counted time at the edges of the samples, shape (n + 1,), in m and s.

    Samples are those of an even channel, or rows recorded at uneven times; `edges_s`, shape (n + 1,), says when each
    begins and the last one ends. Whatever level is looked at, its distance and time are differences of these, so that
    the parts of a level always sum up to the whole. `source` says what the distance rests on; `speed` has shape (n,), in m/s.
    `measured`, shape (n,), flags the samples that the distance was measured in: not those without a speed, without a
    position or with one that is doubted (`doubted` of them), for which a straight line stands.
    """

    edges_s: Floats
    distance_m: Floats
    time_s: Floats
    speed: Floats
    counted: Flags
    source: str
    measured: Flags
    doubted: int = 0
    false_speed_s: float = 0.0

    @property
    def lengths_s(self) -> Floats:
        """How long each sample stands, shape (n,): a row at an uneven time 30 s at the most."""
        found: Floats = np.minimum(np.diff(self.edges_s), POINT_STANDS_S)
        return found

    @property
    def measured_s(self) -> float:
        """Counted time in which the distance was measured, in s."""
        return float(self.lengths_s[self.measured & self.counted].sum())

    @property
    def bridged_s(self) -> float:
        """Counted time from the first measured sample to the last in which nothing was measured, in s."""
        known = np.flatnonzero(self.measured)
        if not len(known):
            return 0.0
        span = slice(known[0], known[-1] + 1)
        counted = float(np.diff(self.edges_s)[span][self.counted[span]].sum())
        # The last sample's own length may be capped like any other: it is measured as long as it stands.
        return max(counted - self.measured_s, 0.0)

    def distance_at(self, at_s: Floats) -> Floats:
        """Cumulated distance in m at times after the start."""
        found: Floats = np.interp(at_s, self.edges_s, self.distance_m)
        return found

    def counted_at(self, at_s: Floats) -> Floats:
        """Cumulated counted time in s at times after the start."""
        found: Floats = np.interp(at_s, self.edges_s, self.time_s)
        return found

    def times_of(self, distances_m: Floats) -> Floats:
        """Times after the start at which distances are first reached, interpolated; nan beyond the end."""
        at = np.searchsorted(self.distance_m, distances_m - 1e-9, side="left")
        found = np.full(len(distances_m), np.nan)
        good = (at > 0) & (at < len(self.distance_m))
        i = at[good]
        step = self.distance_m[i] - self.distance_m[i - 1]
        part = np.clip((distances_m[good] - self.distance_m[i - 1]) / np.where(step > 0, step, 1), 0, 1)
        found[good] = self.edges_s[i - 1] + part * (self.edges_s[i] - self.edges_s[i - 1])
        return found


@dataclass(frozen=True)
class Base:
    """What a session's samples are: when each begins and the last ends, shape (n + 1,), and its columns by quantity.

    The columns have shape (n,): rows recorded at uneven times as they are, else the channels as long as the main one.
    """

    edges_s: Floats
    columns: Mapping[str, Floats]

    def __len__(self) -> int:
        return len(self.edges_s) - 1


WANTED = {
    "lat": "deg",
    "lon": "deg",
    "speed": "m/s",
    "distance": "m",
    "altitude": "m",
    "heart_rate": "bpm",
    "cadence": "/min",
}
MAIN = ("lat", "speed", "distance")


def base_of(recording: Recording) -> Base:
    """The samples of a session. Raises ValueError when there is neither position nor speed nor distance."""
    points = recording.points
    if points is not None and any(k in points.columns for k in MAIN):
        at = points.at_s
        # The last row stands as long as the closest ones, so that the same way in even rows takes as long.
        last = float(np.diff(at).min()) if len(at) > 1 else 1.0
        return Base(np.concatenate((at, [at[-1] + last])), points.columns)
    main = next((recording.channels[k] for k in MAIN if k in recording.channels), None)
    if main is None:
        raise ValueError("the session has neither positions (lat, lon) nor speed nor distance: nothing to assess")
    n, dt = main.count, main.interval_s
    columns = {}
    for key, wanted in WANTED.items():
        channel = recording.channels.get(key)
        if channel is not None:
            columns[key] = _at_middles(channel_in(channel, wanted), n, dt)
    return Base(sample_times(n + 1, dt), columns)


def _at_middles(channel: Channel, n: int, interval_s: float) -> Floats:
    """A channel's values at the middles of n samples of another interval; nan beyond its end."""
    if channel.interval_s == interval_s and channel.count == n:
        return channel.values
    if not channel.count:
        return np.full(n, np.nan)
    at, _ = grid_places(sample_times(n, interval_s) + interval_s / 2, channel.interval_s)
    return np.where(at < channel.count, channel.values[np.minimum(at, channel.count - 1)], np.nan)


def course_of(recording: Recording, review: Review, base: Base) -> Course:
    """The course of a session on its base."""
    lengths = np.diff(base.edges_s)
    counted = ~_inside(review.left_out, base.edges_s)
    lat, lon, speed, distance = (base.columns.get(k) for k in ("lat", "lon", "speed", "distance"))
    false_s = 0.0
    if speed is not None:
        with np.errstate(invalid="ignore"):
            wrong = (speed < 0) | (speed > MOVER.speed_m_s)
        if wrong.any():
            speed, false_s = np.where(wrong, np.nan, speed), float(lengths[wrong].sum())
    pod = str(recording.setup.get("speed_source", "satellite")) != "satellite"
    doubted = 0
    if distance is not None and (pod or lat is None):
        steps, source = _steps_of_distance(distance), str(recording.setup.get("speed_source", "recorder's distance"))
        measured = ~np.isnan(distance)
    elif speed is not None and (pod or lat is None):
        steps, source = (
            np.nan_to_num(speed) * lengths,
            f"{recording.setup.get('speed_source', 'recorded speed')}, speed x time",
        )
        measured = ~np.isnan(speed)
    else:
        if lat is None or lon is None:
            raise ValueError("the session has a latitude (lat) without a longitude (lon) beside it")
        steps, measured, doubted = _along_positions(base.edges_s, lat, lon)
        source = GEODESIC_SOURCE
    steps = np.where(counted, steps, 0.0)
    shown = speed
    if shown is None or (measured.any() and np.isnan(shown).any()):
        # Where the recorder states no speed, the way that is counted has one all the same.
        along = _speed_of(base.edges_s, steps) if measured.any() else np.full(len(base), np.nan)
        shown = along if shown is None else np.where(np.isnan(shown), along, shown)
    way = np.concatenate(([0.0], np.cumsum(steps)))
    times = np.concatenate(([0.0], np.cumsum(np.where(counted, lengths, 0.0))))
    return Course(
        base.edges_s, way, times, np.where(counted, shown, np.nan), counted, source, measured, doubted, false_s
    )


def _inside(stretches: tuple[Stretch, ...], edges_s: Floats) -> Flags:
    """Flags of the samples whose middle lies in a stretch, shape (n,)."""
    middles = (edges_s[1:] + edges_s[:-1]) / 2
    flags = np.zeros(len(middles), dtype=bool)
    for stretch in stretches:
        flags |= (middles >= stretch.start_s - 1e-9) & (middles < stretch.end_s - 1e-9)
    return flags


def _steps_of_distance(distance: Floats) -> Floats:
    """Steps of a recorder's own cumulated distance; a step back (a reset) adds nothing."""
    known = np.flatnonzero(~np.isnan(distance))
    steps = np.zeros(len(distance))
    if len(known) > 1:
        steps[known[1:] - 1] = np.maximum(np.diff(distance[known]), 0.0)
    return steps


def _along_positions(edges_s: Floats, lat: Floats, lon: Floats) -> tuple[Floats, Flags, int]:
    """Way from each sample to the next, shape (n,), a straight line where positions are missing or doubted; where it was
    measured; how many positions are doubted."""
    lat, lon = usable_positions(lat, lon)
    believed = believable(edges_s[:-1], lat, lon, MOVER)
    doubted = int(np.count_nonzero(~np.isnan(lat)) - np.count_nonzero(believed))
    known = np.flatnonzero(believed)
    steps = np.zeros(len(lat))
    if len(known) > 1:
        lat, lon = lat[known], lon[known]
        apart = np.diff(known)
        steps[known[0] : known[-1]] = np.repeat(steps_m(lat, lon) / apart, apart)
    return steps, believed, doubted


def _speed_of(edges_s: Floats, steps: Floats) -> Floats:
    """Speed in m/s from steps, as the mean of 5 s around the middle of each sample (less at both ends)."""
    if not len(steps):
        return np.zeros(0)
    way = np.concatenate(([0.0], np.cumsum(steps)))
    middles = (edges_s[1:] + edges_s[:-1]) / 2
    from_s = np.maximum(middles - SPEED_WINDOW_S / 2, edges_s[0])
    to_s = np.minimum(middles + SPEED_WINDOW_S / 2, edges_s[-1])
    found: Floats = (np.interp(to_s, edges_s, way) - np.interp(from_s, edges_s, way)) / (to_s - from_s)
    return found


def moving_s(course: Course, threshold_m_s: float) -> float:
    """Counted time with a speed of at least the threshold, in s."""
    with np.errstate(invalid="ignore"):
        return float(np.diff(course.edges_s)[course.speed >= threshold_m_s].sum())


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
