"""Climbs of a session, and which of them are the same hill: found by their height over the way and by where they begin and end."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kumpel.core.assessment import Table
from kumpel.core.geo import geodesic_m, usable_positions
from kumpel.core.reckoning import table
from kumpel.core.recording import Floats
from kumpel.core.training.course import Base, Course

STEP_M = 10.0
MOST_STEPS = 100_000
SMOOTH_M = 50.0
LEAST_GAIN_M = 15.0
LEAST_SLOPE = 0.03
TURN_SHARE, TURN_M = 0.15, 4.0
FOOT_SHARE = 0.02
SAME_M = 60.0
"""So near must two climbs begin and end to be the same hill: satellites and a foot path's two sides."""
MOST = 200
COLUMNS = (
    ("Hill", "", 0),
    ("From", "clock", 1),
    ("To", "clock", 1),
    ("Climb", "m", 0),
    ("Length", "m", 0),
    ("Slope", "%", 1),
    ("Time", "s", 0),
    ("Pace", "s/km", 0),
    ("Climbed an hour", "m", 0),
    ("Heart rate", "bpm", 0),
    ("Foot north", "deg", 5),
    ("Foot east", "deg", 5),
    ("Top north", "deg", 5),
    ("Top east", "deg", 5),
)


@dataclass(frozen=True)
class Climb:
    """From where to where it rises, in m along the way, and by how much."""

    from_m: float
    to_m: float
    gain_m: float


def climbs(distance_m: Floats, altitude_m: Floats) -> list[Climb]:
    """Climbs of at least 15 m at 3 % and more on average.

    `distance_m` rising, `altitude_m` nan where not known, shape (n,) each. The height is looked at every 10 m, smoothed over 50 m. A climb
    ends where the height falls by 4 m or 15 % of what was climbed, whichever is more; what is flat before its foot and after its top (2 % of
    the gain) is no part of it.
    """
    known = ~np.isnan(altitude_m)
    if np.count_nonzero(known) < 2 or distance_m[-1] - distance_m[0] < 2 * SMOOTH_M:
        return []
    # A way longer than anybody goes is looked at more coarsely.
    step = max(STEP_M, float(distance_m[-1] - distance_m[0]) / MOST_STEPS)
    at = np.arange(distance_m[0], distance_m[-1], step)
    height = np.interp(at, distance_m[known], altitude_m[known])
    width = max(round(SMOOTH_M / step), 1) | 1
    padded = np.pad(height, width // 2, mode="edge")
    height = np.convolve(padded, np.full(width, 1 / width), mode="valid")
    found: list[Climb] = []
    low = high = 0
    for i in range(1, len(height)):
        climbed = height[high] - height[low]
        if height[i] > height[high]:
            high = i
        elif height[high] - height[i] >= max(TURN_M, TURN_SHARE * climbed):
            found += _climb(at, height, low, high)
            low = high = i
        elif height[i] < height[low]:
            low = high = i
    found += _climb(at, height, low, high)
    return found[:MOST]


def _climb(at: Floats, height: Floats, low: int, high: int) -> list[Climb]:
    """The climb between two samples without what is flat at its ends; none when it is none."""
    gain = float(height[high] - height[low])
    if gain < LEAST_GAIN_M:
        return []
    part = height[low : high + 1]
    foot = low + int(np.flatnonzero(part <= height[low] + FOOT_SHARE * gain)[-1])
    top = low + int(np.flatnonzero(part >= height[high] - FOOT_SHARE * gain)[0])
    length, gain = float(at[top] - at[foot]), float(height[top] - height[foot])
    if length <= 0 or gain / length < LEAST_SLOPE:
        return []
    return [Climb(float(at[foot]), float(at[top]), gain)]


def hill_table(base: Base, course: Course, rate: Floats) -> Table:
    """A row a climb; those of the same hill have the same number, by the order in which each was first met. Without positions each is its own."""
    title = "Hills"
    altitude = base.columns.get("altitude")
    if altitude is None or not len(base) or course.measured_s <= 0:
        return table("hills", title, COLUMNS, [])
    middles = (course.edges_s[1:] + course.edges_s[:-1]) / 2
    along = course.distance_at(middles)
    rising = np.concatenate(([True], np.diff(along) > 1e-6))
    found = climbs(along[rising], np.where(course.counted, altitude, np.nan)[rising])
    ends = _places(base, middles, course.times_of(np.array([m for c in found for m in (c.from_m, c.to_m)])))
    hills: list[tuple[Floats, Floats]] = []
    rows: list[tuple[str | float, ...]] = []
    for climb, (foot, top) in zip(found, zip(ends[::2], ends[1::2], strict=True), strict=True):
        number = _same(hills, foot, top)
        from_s, to_s = course.times_of(np.array([climb.from_m, climb.to_m])).tolist()
        seconds = float(np.diff(course.counted_at(np.array([from_s, to_s])))[0])
        length = climb.to_m - climb.from_m
        inside = (middles >= from_s) & (middles < to_s) & ~np.isnan(rate)
        weights = course.lengths_s[inside]
        mean = float(np.average(rate[inside], weights=weights)) if weights.sum() > 0 else math.nan
        moved = seconds > 0
        rows.append(
            (
                float(number),
                from_s,
                to_s,
                climb.gain_m,
                length,
                100 * climb.gain_m / length,
                seconds,
                1000 * seconds / length if moved else math.nan,
                3600 * climb.gain_m / seconds if moved else math.nan,
                mean,
                *foot.tolist(),
                *top.tolist(),
            )
        )
    return table("hills", title, COLUMNS, rows)


def _places(base: Base, middles: Floats, at_s: Floats) -> list[Floats]:
    """Latitude and longitude at moments, nan where no position is known within 10 s."""
    lat, lon = base.columns.get("lat"), base.columns.get("lon")
    nowhere = [np.full(2, np.nan) for _ in at_s]
    if lat is None or lon is None:
        return nowhere
    lat, lon = usable_positions(lat, lon)
    known = np.flatnonzero(~np.isnan(lat) & ~np.isnan(lon))
    if not len(known):
        return nowhere
    after = (
        np.clip(np.searchsorted(middles[known], at_s), 1, len(known) - 1)
        if len(known) > 1
        else np.zeros(len(at_s), int)
    )
    later, before = known[after], known[np.maximum(after - 1, 0)]
    nearest = np.where(np.abs(middles[before] - at_s) <= np.abs(middles[later] - at_s), before, later)
    near = np.abs(middles[nearest] - at_s) <= 10.0
    return [np.array([lat[i], lon[i]]) if good else np.full(2, np.nan) for i, good in zip(nearest, near, strict=True)]


def _same(hills: list[tuple[Floats, Floats]], foot: Floats, top: Floats) -> int:
    """The number of the hill that begins and ends there, from 1; a new one is noted."""
    for number, (a, b) in enumerate(hills, 1):
        if _apart_m(a, foot) <= SAME_M and _apart_m(b, top) <= SAME_M:
            return number
    hills.append((foot, top))
    return len(hills)


def _apart_m(one: Floats, other: Floats) -> float:
    """Metres between two places (latitude, longitude, deg); nan when one is not known."""
    return float(geodesic_m(*(np.array([value]) for value in (*one, *other)))[0])
