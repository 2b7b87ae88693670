"""Laps of one course brought onto the same metres: by the way driven, and by where the vehicle turns.

A line is crossed where the positions say so, and positions drift by a metre or two from lap to lap. So laps that are pinned at the
lines alone are moved against each other, and beside a corner a metre is worth a tenth of a second. The direction of travel does not
drift: it is the same in the same corner in every lap. So each lap is moved along the course, slowly varying, until its directions
lie on those that all laps have in the mean.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

from kumpel.core.recording import Floats
from kumpel.core.vehicle.compare import Along, along
from kumpel.core.vehicle.laps import Lap, Path

STEP_M = 1.0
DIRECTION_S = 1.0
"""Over so long the direction of travel is taken from the positions."""
DIRECTION_RAD = 0.06
"""How far a direction lies beside that of the other laps: noise of the positions, another line through the corner."""
STRAY_M2_PER_M = 0.002
"""How fast a lap may move against the others: half a metre in 125 m."""
MOST_M = 8.0
LEAST_M = 20.0
MOST_CELLS = 2_000_000
"""So many laps times metres are laid over each other; 24 hours of a kart, six of a car."""
ROUNDS = 3


@dataclass(frozen=True)
class Driven:
    """Laps of one recording, with its path and the way driven."""

    path: Path
    way: Floats
    laps: tuple[Lap, ...]


@dataclass(frozen=True)
class Grid:
    """Laps over the course's metres 0, 1, .. n - 1, those of one recording after those of the other. `at_s` has shape (laps, n): seconds after the start of its recording at which each
    lap is there. `time_s`, alike: seconds since the start line; a whole lap takes as long as stated. `moved_m`, alike: how far the lap
    was moved."""

    laps: tuple[Lap, ...]
    metres: Floats
    at_s: Floats
    time_s: Floats
    moved_m: Floats


def aligned(driven: Sequence[Driven], gates_m: tuple[float, ...]) -> Grid | None:
    """The laps of one or several recordings over the course's metres, `gates_m` its lines; None when there is no lap, no line to
    measure from, or too much of both for memory."""
    laps = [lap for each in driven for lap in each.laps]
    if not laps or not gates_m:
        return None
    length = gates_m[-1]
    if not LEAST_M <= length <= MOST_CELLS / len(laps):
        return None
    metres = np.arange(0.0, math.floor(length) + STEP_M / 2, STEP_M)
    over = [along(each.path, each.way, lap, gates_m) for each in driven for lap in each.laps]
    turning = [(directions(each.path), each.path) for each in driven]
    of_lap = [turned for each, turned in zip(driven, turning, strict=True) for _ in each.laps]
    moved = np.zeros((len(laps), len(metres)))
    if len(laps) > 1 and all(direction is not None for direction, _ in of_lap):
        for _ in range(ROUNDS):
            rows = zip(over, of_lap, moved, strict=True)
            seen = np.stack([_seen(each, d, path, metres, m) for each, (d, path), m in rows if d is not None])
            moved += _moves(seen)
            moved -= moved.mean(axis=0)
            np.clip(moved, -MOST_M, MOST_M, out=moved)
    timed = [_times(each, metres, m, length) for each, m in zip(over, moved, strict=True)]
    at, time = (np.stack(part) for part in zip(*timed, strict=True))
    return Grid(tuple(laps), metres, at, time, moved)


def directions(path: Path) -> Floats | None:
    """Direction of travel in rad, going on without jumps, shape (n,); nan without positions or standing. None when there are too few."""
    window = round(DIRECTION_S / path.interval_s) | 1
    known = path.known
    if len(known) < max(window, 5):
        return None
    samples = np.arange(len(path.x))
    x, y = (np.interp(samples, known, v[known]) for v in (path.x, path.y))
    window = max(window, 3)
    vx, vy = (scipy.signal.savgol_filter(v, window, 1, deriv=1, delta=path.interval_s, mode="interp") for v in (x, y))
    found: Floats = np.unwrap(np.arctan2(vy, vx))
    near = np.convolve(np.isnan(path.x), np.ones(window), "same") > 0
    return np.where(near | (np.hypot(vx, vy) < 1.0), np.nan, found)


def _seen(lap: Along, direction: Floats, path: Path, metres: Floats, moved_m: Floats) -> Floats:
    """The direction at each metre of a lap as it lies now, shape of `metres`."""
    at = lap.lap.start_s + np.interp(metres - moved_m, lap.distance_m, lap.time_s)
    position = np.clip(at / path.interval_s, 0, len(direction) - 1)
    first = np.minimum(position.astype(np.intp), len(direction) - 2)
    part = position - first
    found: Floats = direction[first] * (1 - part) + direction[first + 1] * part
    return found


def _moves(seen: Floats) -> Floats:
    """How far each lap is still to be moved forwards at each metre, shape alike.

    With the mean direction h and its change k = dh/dm, a lap that lies d too far back has the direction h + k d. Of all slowly varying d
    the one is taken that minimises sum (r - k d)2 / s2 + sum (step of d)2 / q: three bands, solved at once.
    """
    turns = 2 * math.pi * np.round((seen - seen[:1]) / (2 * math.pi))
    seen = seen - np.where(np.isnan(turns), 0.0, turns)
    with np.errstate(invalid="ignore"):
        count = (~np.isnan(seen)).sum(axis=0)
        mean = np.where(count > 1, np.nansum(seen, axis=0) / np.maximum(count, 1), np.nan)
    change = np.gradient(mean, STEP_M)
    rest = seen - mean
    usable = ~np.isnan(rest) & ~np.isnan(change)
    # Directions of neighbouring metres come of the same positions: as many metres as one is taken over count as one.
    weight = np.where(usable, 1 / (DIRECTION_RAD**2 * 15.0), 0.0)
    slope, rest = np.nan_to_num(change), np.where(usable, rest, 0.0)
    stiff = 1 / (STRAY_M2_PER_M * STEP_M)
    middle = weight * slope**2 + 2 * stiff + 1e-4
    middle[:, [0, -1]] -= stiff
    beside, right = np.full(seen.shape[1] - 1, -stiff), weight * slope * rest
    # Positive definite and tridiagonal: LAPACK's own solver for these, without what looks for the best one five hundred times.
    return np.array([scipy.linalg.lapack.dptsv(d, beside, r)[2] for d, r in zip(middle, right, strict=True)])


def _times(lap: Along, metres: Floats, moved_m: Floats, length_m: float) -> tuple[Floats, Floats]:
    """When a lap is at each metre, after the start of the recording; and since the start line, stretched to last as long as stated."""
    place = np.maximum.accumulate(metres - moved_m)
    # Beyond its lines the lap goes on as fast as it passed them.
    before, after = (
        max((lap.distance_m[i] - lap.distance_m[j]) / max(lap.time_s[i] - lap.time_s[j], 1e-3), 0.1)
        for i, j in ((3, 0), (-1, -4))
    )
    time = np.interp(place, lap.distance_m, lap.time_s)
    time = np.where(place < 0, place / before, time)
    time = np.where(place > length_m, lap.time_s[-1] + (place - length_m) / after, time)
    whole = time[-1] + (length_m - metres[-1]) / after - time[0]
    return lap.lap.start_s + time, (time - time[0]) * (lap.lap.time_s / whole)
