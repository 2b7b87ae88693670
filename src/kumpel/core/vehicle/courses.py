"""Courses: directed lines across the track, recognising a course by position, learning one from a driven lap."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

from kumpel.core.geo import Plane, plane_of
from kumpel.core.recording import Floats

OUTLINE_STEP_M = 5.0
LONGEST_M = 200_000.0
"""A course has points every few metres in memory: a longer one is refused."""
NEAR_M = 30.0
LEAST_SHARE = 0.6
DIRECTION_M = 20.0
"""What a direction counts in m: driving across costs 28 m, driving against 40 m, more than NEAR_M."""
DIRECTION_REACH_M = 10.0
LONGEST_PERIOD = 4
SAME_ROUND_M = 20.0


@dataclass(frozen=True)
class Gate:
    """A directed line across the track: its middle in degrees, the driving direction in degrees from north,
    half its width in m. It is crossed only in the driving direction."""

    lat: float
    lon: float
    bearing_deg: float
    half_width_m: float = 15.0

    def along_across(self, plane: Plane, x: Floats, y: Floats) -> tuple[Floats, Floats]:
        """Metres past the line (in driving direction) and to the right of its middle."""
        gx, gy = (float(v[0]) for v in plane.xy(np.array([self.lat]), np.array([self.lon])))
        ahead_x, ahead_y = math.sin(math.radians(self.bearing_deg)), math.cos(math.radians(self.bearing_deg))
        return (x - gx) * ahead_x + (y - gy) * ahead_y, (x - gx) * ahead_y - (y - gy) * ahead_x

    def reversed(self) -> Gate:
        """The same line for the other driving direction."""
        return Gate(self.lat, self.lon, (self.bearing_deg + 180) % 360, self.half_width_m)


@dataclass(frozen=True)
class Course:
    """A course. Closed: laps run from `start` to `start`. Open: runs go from `start` to `finish`.

    `sectors` are the lines between, in driving order. `lat` and `lon` are points along the course in driving
    order, in degrees, shape (n,).
    """

    name: str
    start: Gate
    finish: Gate | None = None
    sectors: tuple[Gate, ...] = ()
    lat: Floats = field(default_factory=lambda: np.empty(0))
    lon: Floats = field(default_factory=lambda: np.empty(0))

    @property
    def closed(self) -> bool:
        return self.finish is None

    @property
    def gates(self) -> tuple[Gate, ...]:
        """Start, sectors and, when open, finish."""
        return (self.start, *self.sectors, *(() if self.finish is None else (self.finish,)))

    @property
    def length_m(self) -> float:
        """Length along the points; closed courses include the way back to the first."""
        if len(self.lat) < 2:
            return 0.0
        x, y = plane_of(self.lat, self.lon).xy(self.lat, self.lon)
        if self.closed:
            x, y = np.append(x, x[0]), np.append(y, y[0])
        return float(np.hypot(np.diff(x), np.diff(y)).sum())


def _gate(data: Mapping[str, Any], where: str) -> Gate:
    try:
        gate = Gate(
            float(data["lat"]), float(data["lon"]), float(data["bearing_deg"]), float(data.get("half_width_m", 15.0))
        )
    except (KeyError, TypeError, ValueError) as error:
        raise ValueError(f"{where}: a line needs lat, lon and bearing_deg as numbers ({error})") from None
    if not (
        abs(gate.lat) <= 90
        and abs(gate.lon) <= 180
        and 0 < gate.half_width_m <= 500
        and math.isfinite(gate.bearing_deg)
    ):
        raise ValueError(f"{where}: the line lies outside the earth or is not between 0 and 500 m half-width")
    return gate


def course_from(data: Mapping[str, Any]) -> Course:
    """A course from its plain form (JSON). Raises ValueError saying what is wrong in which course."""
    if not isinstance(data, Mapping):
        raise ValueError(f"a course is a map with a name and a start line, not {type(data).__name__}")
    name = str(data.get("name", ""))
    if not name:
        raise ValueError("a course needs a name")
    where = f"course “{name}”"
    points = data.get("points", [])
    try:
        outline = np.array([[float(a), float(b)] for a, b in points], dtype=np.float64).reshape(-1, 2)
    except (TypeError, ValueError):
        raise ValueError(f"{where}: points must be pairs of latitude and longitude") from None
    if not np.all((np.abs(outline) <= (90.0, 180.0)) & np.isfinite(outline)):
        raise ValueError(f"{where}: a point lies outside the earth")
    if not isinstance(data.get("start"), Mapping):
        raise ValueError(f"{where}: the start line is missing")
    finish = data.get("finish")
    course = Course(
        name,
        _gate(data["start"], f"{where}, start"),
        _gate(finish, f"{where}, finish") if isinstance(finish, Mapping) else None,
        tuple(_gate(g, f"{where}, sector line {i}") for i, g in enumerate(data.get("sectors", []), 1)),
        outline[:, 0],
        outline[:, 1],
    )
    if course.length_m > LONGEST_M:
        raise ValueError(f"{where}: {course.length_m / 1000:,.0f} km are too long for a course; 200 km are the most")
    return course


def course_data(course: Course) -> dict[str, Any]:
    """The plain form of a course."""

    def gate(g: Gate) -> dict[str, float]:
        return {"lat": g.lat, "lon": g.lon, "bearing_deg": g.bearing_deg, "half_width_m": g.half_width_m}

    return {
        "name": course.name,
        "start": gate(course.start),
        "finish": None if course.finish is None else gate(course.finish),
        "sectors": [gate(g) for g in course.sectors],
        "points": [[float(a), float(b)] for a, b in zip(course.lat, course.lon, strict=True)],
    }


@dataclass(frozen=True)
class Match:
    """How well a session fits a course: share of positions within 30 m of it in either direction, share of the course
    visited in the direction that visited more of it, whether that was against the course's, and the share of positions that went the other way."""

    course: Course
    share: float
    visited: float
    backwards: bool
    other_way: float = 0.0

    @property
    def score(self) -> float:
        return self.share * self.visited


def recognise(lat: Floats, lon: Floats, courses: Sequence[Course]) -> list[Match]:
    """The courses that a session's positions fit, best first; those below 60 % of positions are not among them.

    Positions in degrees, shape (n,), nan where there is none. Courses far away cost next to nothing. Of two
    courses that share a part of the track, the one whose whole length was driven comes first.
    """
    good = np.flatnonzero(~(np.isnan(lat) | np.isnan(lon)))
    if len(good) < 2:
        return []
    thin = good[:: max(len(good) // 4000, 1)]
    plane = plane_of(lat, lon)
    x, y = plane.xy(lat[thin], lon[thin])
    reach = float(max(np.abs(x).max(), np.abs(y).max())) + NEAR_M
    found = []
    for course in courses:
        match = _match(course, plane, x, y, reach)
        if match is not None:
            found.append(match)
    return sorted(found, key=lambda m: m.score, reverse=True)


def _match(course: Course, plane: Plane, x: Floats, y: Floats, reach: float) -> Match | None:
    if len(course.lat) < 2:
        return None
    cx, cy = plane.xy(course.lat, course.lon)
    if np.abs(cx).min() > reach or np.abs(cy).min() > reach:
        return None
    ox, oy = resampled(cx, cy, OUTLINE_STEP_M, course.closed)
    ahead = _directions(ox, oy, course.closed)
    going = _directions(x, y, False)
    # A place on the course is near only when it is driven in the course's direction there: direction counts as distance.
    tree = scipy.spatial.cKDTree(np.column_stack((ox, oy, DIRECTION_M * ahead[0], DIRECTION_M * ahead[1])))
    near: list[NDArray[np.bool_]] = []
    visited: list[float] = []
    for sign in (1, -1):
        here = np.column_stack((x, y, sign * DIRECTION_M * going[0], sign * DIRECTION_M * going[1]))
        distance, nearest = tree.query(here, distance_upper_bound=NEAR_M)
        near.append(np.isfinite(distance))
        visited.append(len(np.unique(nearest[near[-1]] // 4)) / len(np.unique(np.arange(len(ox)) // 4)))
    share = float((near[0] | near[1]).mean())
    shares = [float(each.mean()) for each in near]
    backwards = shares[1] * visited[1] > shares[0] * visited[0]
    other = shares[0 if backwards else 1]
    return Match(course, share, visited[backwards], backwards, other) if share >= LEAST_SHARE else None


def _directions(x: Floats, y: Floats, closed: bool) -> tuple[Floats, Floats]:
    """Unit vectors along a line of points, over 20 m and more around each; 0 where nothing moves that far."""
    count = len(x)
    along = np.concatenate(([0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))))
    before = np.searchsorted(along, along - DIRECTION_REACH_M)
    after = np.minimum(np.searchsorted(along, along + DIRECTION_REACH_M), count - 1)
    if closed:
        reach = max(round(DIRECTION_REACH_M / OUTLINE_STEP_M), 1)
        before, after = (np.arange(count) - reach) % count, (np.arange(count) + reach) % count
    dx, dy = x[after] - x[before], y[after] - y[before]
    length = np.hypot(dx, dy)
    far = length > 1.0
    return np.where(far, dx / np.where(far, length, 1), 0.0), np.where(far, dy / np.where(far, length, 1), 0.0)


def alike(matches: Sequence[Match]) -> list[Match]:
    """The matches that fit as well as the best one (within 2 %): more than one means that position cannot tell."""
    return [m for m in matches if m.score >= matches[0].score - 0.02] if matches else []


def resampled(x: Floats, y: Floats, step_m: float, closed: bool) -> tuple[Floats, Floats]:
    """Points every `step_m` along a line of points in m."""
    if closed:
        x, y = np.append(x, x[0]), np.append(y, y[0])
    along = np.concatenate(([0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))))
    keep = np.concatenate(([True], np.diff(along) > 0))
    at = np.arange(0.0, along[-1], step_m)
    return np.interp(at, along[keep], x[keep]), np.interp(at, along[keep], y[keep])


def turned(course: Course) -> Course:
    """The course driven against its direction: every line turned round, sectors in the other order."""
    finish = course.finish
    start = course.start if finish is None else finish
    return Course(
        f"{course.name}, backwards",
        start.reversed(),
        None if finish is None else course.start.reversed(),
        tuple(g.reversed() for g in reversed(course.sectors)),
        course.lat[::-1],
        course.lon[::-1],
    )


def learn_course(name: str, lat: Floats, lon: Floats, sectors: int = 3, half_width_m: float = 15.0) -> Course:
    """A closed course from one driven lap: positions in degrees in driving order, shape (n,).

    The start line lies across the first position; `sectors` - 1 lines divide the length evenly. Raises ValueError
    when the positions do not make a lap: fewer than 10, shorter than 100 m, or not back at the start.
    """
    good = ~(np.isnan(lat) | np.isnan(lon))
    lat, lon = lat[good], lon[good]
    if len(lat) < 10:
        raise ValueError(f"a lap of {len(lat)} positions is too little to learn a course from")
    plane = plane_of(lat, lon)
    x, y = plane.xy(lat, lon)
    length = float(np.hypot(np.diff(x), np.diff(y)).sum())
    open_end = float(np.hypot(x[-1] - x[0], y[-1] - y[0]))
    if length < 100:
        raise ValueError(f"a lap of {length:.0f} m is too short to learn a course from")
    if open_end > max(0.05 * length, 50.0):
        raise ValueError(f"the lap ends {open_end:.0f} m from where it began: it is not closed")
    ox, oy = resampled(x, y, OUTLINE_STEP_M, closed=True)
    at = [round(len(ox) * k / sectors) for k in range(sectors)]
    gates = [gate_at(plane, ox, oy, i, half_width_m) for i in at]
    out_lat, out_lon = plane.lat_lon(ox, oy)
    return Course(name, gates[0], None, tuple(gates[1:]), out_lat, out_lon)


def course_of_line(name: str, lat: Floats, lon: Floats, sectors: int = 3, half_width_m: float = 15.0) -> Course:
    """A course from a line of points in degrees in driving order, shape (n,): a loop when it comes back to where it began, else open.

    An open one has its start at the first point and its finish at the last; `sectors` - 1 lines divide the length evenly.
    Raises ValueError for fewer than 10 points or less than 100 m.
    """
    good = ~(np.isnan(lat) | np.isnan(lon))
    lat, lon = lat[good], lon[good]
    if len(lat) < 10:
        raise ValueError(f"{len(lat)} points are too few for a course")
    plane = plane_of(lat, lon)
    x, y = plane.xy(lat, lon)
    length = float(np.hypot(np.diff(x), np.diff(y)).sum())
    if length < 100:
        raise ValueError(f"{length:.0f} m are too short for a course")
    if float(np.hypot(x[-1] - x[0], y[-1] - y[0])) <= max(0.05 * length, 50.0):
        return learn_course(name, lat, lon, sectors, half_width_m)
    ox, oy = resampled(x, y, OUTLINE_STEP_M, closed=False)
    ox, oy = np.append(ox, x[-1]), np.append(oy, y[-1])
    at = [round((len(ox) - 1) * k / sectors) for k in range(sectors + 1)]
    start, *between, finish = (gate_at(plane, ox, oy, i, half_width_m, closed=False) for i in at)
    out_lat, out_lon = plane.lat_lon(ox, oy)
    return Course(name, start, finish, tuple(between), out_lat, out_lon)


def gate_at(
    plane: Plane, x: Floats, y: Floats, i: int, half_width_m: float, closed: bool = True, reach: int = 3
) -> Gate:
    """A line across the track at a point of the outline; its direction is that of `reach` points to both sides (30 m)."""
    ahead, behind = (i + reach) % len(x), (i - reach) % len(x)
    if not closed:
        ahead, behind = min(i + reach, len(x) - 1), max(i - reach, 0)
    bearing = math.degrees(math.atan2(x[ahead] - x[behind], y[ahead] - y[behind])) % 360
    lat, lon = plane.lat_lon(x[i : i + 1], y[i : i + 1])
    return Gate(float(lat[0]), float(lon[0]), bearing, half_width_m)


def find_lap(lat: Floats, lon: Floats, interval_s: float, shortest_s: float = 20.0) -> tuple[int, int] | None:
    """First and last sample of a lap inside a session on an unknown closed course; None when no place is passed twice.

    A lap begins at a fast place that is passed most often in the same direction, and is the one of median length. Where
    the course itself comes by that place more than once a lap (a figure of eight with a shared straight), the ways
    between two passings repeat only every second or third time: then so many make the lap.
    """
    good = np.flatnonzero(~(np.isnan(lat) | np.isnan(lon)))
    if len(good) < 20:
        return None
    plane = plane_of(lat, lon)
    x, y = plane.xy(lat[good], lon[good])
    step = max(round(1.0 / interval_s), 1)
    vx, vy = np.gradient(x[::step]), np.gradient(y[::step])
    speed = np.hypot(vx, vy)
    best: tuple[int, int, list[int]] = (0, 0, [])
    candidates = np.argsort(-speed)[: max(len(speed) // 3, 1)]
    for c in candidates[:: max(len(candidates) // 12, 1)].tolist():
        i = c * step
        if speed[c] < 1.0:
            continue
        ahead = (vx[c] / speed[c], vy[c] / speed[c])
        along = (x - x[i]) * ahead[0] + (y - y[i]) * ahead[1]
        across = (x - x[i]) * ahead[1] - (y - y[i]) * ahead[0]
        hits = np.flatnonzero((along[:-1] < 0) & (along[1:] >= 0) & (np.abs(across[1:]) < 20.0))
        kept: list[int] = []
        for h in hits.tolist():
            if not kept or (good[h] - good[kept[-1]]) * interval_s >= shortest_s:
                kept.append(h)
        period = _period(x, y, kept)
        laps = (len(kept) - 1) // period
        # Of places with as many laps, one that is passed once a lap is the better line.
        if laps >= 1 and (laps, -period) > best[:2]:
            best = (laps, -period, kept[::period])
    if best[0] < 1:
        return None
    lengths = np.diff(np.array(best[2]))
    middle = int(np.argsort(lengths)[(len(lengths) - 1) // 2])
    return int(good[best[2][middle]]), int(good[best[2][middle + 1]])


def _period(x: Floats, y: Floats, hits: list[int]) -> int:
    """After how many passings of a place the way repeats; 1 when nothing repeats better than each with the next."""
    rounds = [_at_shares(x[a : b + 1], y[a : b + 1]) for a, b in pairwise(hits)]
    for period in range(1, LONGEST_PERIOD + 1):
        pairs = list(zip(rounds[:-period], rounds[period:], strict=True)) if len(rounds) > period else []
        if pairs and float(np.median([np.abs(a - b).mean() for a, b in pairs])) < SAME_ROUND_M:
            return period
    return 1


def _at_shares(x: Floats, y: Floats) -> Floats:
    """Places at 64 even shares of a way, as complex numbers, shape (64,)."""
    along = np.concatenate(([0.0], np.cumsum(np.hypot(np.diff(x), np.diff(y)))))
    at = np.linspace(0, along[-1], 64)
    found: Floats = np.interp(at, along, x) + 1j * np.interp(at, along, y)
    return found
