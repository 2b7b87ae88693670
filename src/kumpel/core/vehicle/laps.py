"""Laps and sectors: when a vehicle crosses the lines of a course, to a fraction of a sample."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from kumpel.core.geo import Plane, plane_of, usable_positions
from kumpel.core.recording import Floats, sample_times
from kumpel.core.track import Mover, believable, growth_m
from kumpel.core.vehicle.branches import Branches, branches_at, outline_of
from kumpel.core.vehicle.courses import Course, Gate

WINDOW_S = 1.0
LONGEST_GAP_S = 10.0
SHORTEST_LAP_S = 5.0
SLOW_SHARE = 1.15
MOVER = Mover(130.0, 60.0)
"""No vehicle with such a logger is faster (468 km/h), or brakes, turns and speeds up by more (6 g)."""


@dataclass(frozen=True)
class Path:
    """A drive on a flat map: metres east and north, speed in m/s, shape (n,) each; sample i at i x interval_s.

    nan where there was no position or speed. `has_speed` is False when speed was not recorded. `doubted` positions
    cannot belong to the way that the others make (`track.believable`): they are nan.
    """

    plane: Plane
    interval_s: float
    x: Floats
    y: Floats
    speed: Floats
    has_speed: bool
    doubted: int = 0

    @property
    def known(self) -> NDArray[np.intp]:
        """Indices of samples with a position."""
        return np.flatnonzero(~np.isnan(self.x))


def path_of(lat: Floats, lon: Floats, interval_s: float, speed_m_s: Floats | None = None) -> Path:
    """A path from positions in degrees and, where there is one, speed in m/s, shapes (n,)."""
    lat, lon = usable_positions(lat, lon)
    doubted = ~believable(sample_times(len(lat), interval_s), lat, lon, MOVER) & ~np.isnan(lat)
    if doubted.any():
        lat, lon = np.where(doubted, np.nan, lat), np.where(doubted, np.nan, lon)
    plane = plane_of(lat, lon)
    x, y = plane.xy(lat, lon)
    if speed_m_s is not None and len(speed_m_s) == len(x):
        return Path(plane, interval_s, x, y, speed_m_s, True, int(doubted.sum()))
    known = np.flatnonzero(~np.isnan(x))
    speed = np.full(len(x), np.nan)
    if len(known) > 2:
        at = known * interval_s
        speed[known] = np.hypot(np.gradient(x[known], at), np.gradient(y[known], at))
    return Path(plane, interval_s, x, y, speed, False, int(doubted.sum()))


@dataclass(frozen=True)
class Crossing:
    """A line crossed at `at_s`. `estimated`: inside a gap of positions, so that the time is less certain. `ambiguous`: the
    course passes the line more than once, and the way before and after does not tell which time this is."""

    at_s: float
    gate: int
    estimated: bool = False
    ambiguous: bool = False


def crossings(path: Path, gate: Gate, number: int = 0, branches: Branches | None = None) -> list[Crossing]:
    """Times at which a path crosses a gate in its driving direction, rising.

    The crossing is found between two samples by linear interpolation of the way past the line, and then improved:
    over 1 s on both sides the recorded speed says how the way grew, so that the noise of the positions averages out.
    Across a gap of up to 10 s the speed, else a steady one, places the crossing, and it is marked as estimated;
    a longer gap hides it. A vehicle that stands or trembles on the line crosses it once. Where the course passes the line
    more than once (`branches`), only a vehicle on the line's own branch crosses it.
    """
    known = path.known
    if len(known) < 2:
        return []
    along, across = gate.along_across(path.plane, path.x[known], path.y[known])
    before = np.flatnonzero((along[:-1] < 0) & (along[1:] >= 0))
    part = -along[before] / (along[before + 1] - along[before])
    side = across[before] + part * (across[before + 1] - across[before])
    gap = (known[before + 1] - known[before]) * path.interval_s
    hit = (np.abs(side) <= gate.half_width_m) & (gap <= max(LONGEST_GAP_S, 1.5 * path.interval_s))
    way = np.concatenate(([0.0], np.cumsum(growth_m(path.x[known], path.y[known])))) if branches else None
    found: list[Crossing] = []
    last = -math.inf
    for i, f in zip(before[hit].tolist(), part[hit].tolist(), strict=True):
        a, b = int(known[i]), int(known[i + 1])
        estimated = (b - a) > 2
        at = _inside_gap(path, a, b, f) if b - a > 1 else (a + f) * path.interval_s
        if at - last < SHORTEST_LAP_S or not _passes(along, known, i, path.interval_s, gate):
            continue
        own, sure = (
            branches.is_own(way, path.x[known], path.y[known], i) if branches and way is not None else (True, True)
        )
        if not own and sure:
            continue
        found.append(Crossing(at, number, estimated, not sure))
        last = at
    better = _improved(path, gate, np.array([c.at_s for c in found]))
    return [c if c.estimated else replace(c, at_s=float(t)) for c, t in zip(found, better, strict=True)]


def _passes(along: Floats, known: NDArray[np.intp], i: int, interval_s: float, gate: Gate) -> bool:
    """Whether the vehicle really came from behind the line and went on past it."""
    per = max(round(SHORTEST_LAP_S / interval_s), 1)
    came, went = along[max(i - 20 * per, 0) : i + 1], along[i + 1 : i + 1 + 20 * per]
    need = min(3.0, gate.half_width_m)
    return bool(came.min() <= -need or i < per) and bool(went.max() >= need or i + 1 + per >= len(along))


def _inside_gap(path: Path, a: int, b: int, part: float) -> float:
    """Time at which `part` of the way between two samples was driven, by the speed between them."""
    speed = path.speed[a : b + 1]
    if not path.has_speed or np.isnan(speed).any() or speed.sum() <= 0:
        return (a + part * (b - a)) * path.interval_s
    way = np.concatenate(([0.0], np.cumsum((speed[1:] + speed[:-1]) / 2)))
    return (a + float(np.interp(part * way[-1], way, np.arange(len(way))))) * path.interval_s


def _improved(path: Path, gate: Gate, at_s: Floats) -> Floats:
    """Crossing times with the noise of the positions averaged out, shape alike.

    Way past the line: s_i = s(t0) + w_i + noise, where w_i is the way driven since t0 by the recorded speed along the
    direction of the track there (a parabola through the positions of the window). The mean of s_i - w_i is s(t0);
    the crossing is s(t0)/v away. Without a recorded speed a parabola is fitted to s_i instead. A crossing whose window
    has a gap, or in which the vehicle all but stands, stays as it was.
    """
    dt, n = path.interval_s, len(path.x)
    reach = max(round(WINDOW_S / dt), 2)
    steps = np.arange(-reach, reach + 1)
    if n < len(steps) or not len(at_s):
        return at_s
    middle = np.rint(at_s / dt).astype(np.intp)
    whole = (middle >= reach) & (middle < n - reach)
    index = np.clip(middle[:, None] + steps, 0, n - 1)
    x, y, speed = path.x[index], path.y[index], path.speed[index]
    usable = whole & ~np.isnan(x).any(axis=1)
    moving = usable & ~np.isnan(speed).any(axis=1) & (np.nan_to_num(speed).min(axis=1) > 1.0)
    tau: Floats = steps.astype(np.float64) * dt
    delta = at_s - middle * dt
    # Coefficients of a parabola a tau2 + b tau + c through each row, by one matrix for all rows.
    fit = np.linalg.pinv(np.stack([tau**2, tau, np.ones_like(tau)], axis=1)).T
    past, _ = gate.along_across(path.plane, x, y)
    result = at_s.copy()
    if path.has_speed:
        velocity, way = _way_along(gate, np.nan_to_num(x) @ fit, np.nan_to_num(y) @ fit, speed, tau)
        origin, now = _row_values(way, delta / dt + reach), _row_values(velocity, delta / dt + reach)
        with np.errstate(invalid="ignore", divide="ignore"):
            shift = np.mean(past - way + origin[:, None], axis=1) / now
            good = moving & (now > 1.0) & (np.abs(shift) < WINDOW_S / 2)
        result[good] -= shift[good]
        return result
    a, b, c = (np.nan_to_num(past) @ fit).T
    with np.errstate(invalid="ignore", divide="ignore"):
        root = delta.copy()
        for _ in range(3):
            root -= (a * root * root + b * root + c) / (2 * a * root + b)
        good = usable & (2 * a * root + b > 1.0) & (np.abs(root - delta) < WINDOW_S / 2)
    result[good] += (root - delta)[good]
    return result


def _way_along(gate: Gate, fit_x: Floats, fit_y: Floats, speed: Floats, tau: Floats) -> tuple[Floats, Floats]:
    """Speed in the gate's direction and its integral from the window's start, shape (k, w) each."""
    vx, vy = (2 * f[:, :1] * tau + f[:, 1:2] for f in (fit_x, fit_y))
    ahead_x, ahead_y = math.sin(math.radians(gate.bearing_deg)), math.cos(math.radians(gate.bearing_deg))
    with np.errstate(invalid="ignore", divide="ignore"):
        forward = speed * (vx * ahead_x + vy * ahead_y) / np.hypot(vx, vy)
    steps = (forward[:, 1:] + forward[:, :-1]) / 2 * (tau[1] - tau[0])
    return forward, np.concatenate((np.zeros((len(speed), 1)), np.cumsum(steps, axis=1)), axis=1)


def _row_values(rows: Floats, position: Floats) -> Floats:
    """Value of each row at a fractional column, linear between columns, shape (k,)."""
    first = np.clip(np.floor(position).astype(np.intp), 0, rows.shape[1] - 2)
    at = np.arange(len(rows))
    part = position - first
    found: Floats = rows[at, first] * (1 - part) + rows[at, first + 1] * part
    return found


@dataclass(frozen=True)
class Lap:
    """A lap, or a run of an open course. `kind`: "timed", "out" (before the first line) or "in" (after the last).

    `splits_s` are the times from the start of the lap to each sector line and to its end, nan where a line was not
    seen; `sectors_s` the times between them. `counts` is False for what was left out, with the reason in `why`.
    """

    number: int
    kind: str
    start_s: float
    end_s: float
    splits_s: tuple[float, ...] = ()
    counts: bool = True
    why: str = ""
    estimated: bool = False
    ambiguous: bool = False

    @property
    def time_s(self) -> float:
        return self.end_s - self.start_s

    @property
    def unsure(self) -> bool:
        """Whether its time is less certain: a gap of positions at a line, or a line that the course passes more than once."""
        return self.estimated or self.ambiguous

    @property
    def sectors_s(self) -> tuple[float, ...]:
        """Sector times; nan where one of the two lines was not seen."""
        edges = (0.0, *self.splits_s)
        return tuple(b - a for a, b in pairwise(edges))


def laps_on(path: Path, course: Course) -> list[Lap]:
    """The laps of a drive on a course, in order, with the parts before the first and after the last line."""
    branches = gate_branches(path.plane, course)
    found = [crossings(path, g, i, b) for i, (g, b) in enumerate(zip(course.gates, branches, strict=True))]
    length = len(path.x) * path.interval_s
    between = found[1 : 1 + len(course.sectors)]
    if course.finish is not None:
        return _runs(found[0], found[-1], between, length)
    return _rounds(found[0], between, length)


def gate_branches(plane: Plane, course: Course) -> list[Branches | None]:
    """For each line of a course, the branches of the course that pass it; None where it is passed once."""
    outline = outline_of(course, plane)
    found: list[Branches | None] = []
    after = 0.0
    for gate in course.gates:
        each = branches_at(outline, plane, gate, after) if outline is not None else None
        after = each.own_m if each is not None else after
        found.append(each)
    return found


def laps_from_beacons(times_s: list[float], length_s: float) -> list[Lap]:
    """Laps between the beacon's times, without sectors."""
    return _rounds([Crossing(t, 0) for t in sorted(set(times_s))], [], length_s)


def _splits(start: Crossing, end: Crossing, between: list[list[Crossing]]) -> tuple[float, ...]:
    found, cursor = [], start.at_s
    for line in between:
        at = next((c.at_s for c in line if cursor < c.at_s < end.at_s), math.nan)
        found.append(at - start.at_s)
        cursor = cursor if math.isnan(at) else at
    return (*found, end.at_s - start.at_s)


def _lap(number: int, start: Crossing, end: Crossing, between: list[list[Crossing]]) -> Lap:
    return Lap(
        number,
        "timed",
        start.at_s,
        end.at_s,
        _splits(start, end, between),
        estimated=start.estimated or end.estimated,
        ambiguous=start.ambiguous or end.ambiguous,
    )


def _rounds(starts: list[Crossing], between: list[list[Crossing]], length_s: float) -> list[Lap]:
    if not starts:
        return [Lap(0, "out", 0.0, length_s, counts=False, why="the line was never crossed")] if length_s > 0 else []
    laps = [_lap(i, a, b, between) for i, (a, b) in enumerate(pairwise(starts), 1)]
    out = [Lap(0, "out", 0.0, starts[0].at_s, counts=False, why="out")] if starts[0].at_s > 0 else []
    last = [Lap(len(laps) + 1, "in", starts[-1].at_s, length_s, counts=False, why="in")]
    return [*out, *laps, *(last if length_s > starts[-1].at_s else [])]


def _runs(
    starts: list[Crossing], finishes: list[Crossing], between: list[list[Crossing]], length_s: float
) -> list[Lap]:
    """Runs of an open course: from the last start line before a finish line."""
    laps: list[Lap] = []
    cursor = -math.inf
    for end in finishes:
        before = [s for s in starts if cursor < s.at_s < end.at_s]
        if before:
            laps.append(_lap(len(laps) + 1, before[-1], end, between))
            cursor = end.at_s
    if not laps and length_s > 0:
        return [Lap(0, "out", 0.0, length_s, counts=False, why="no run from start to finish")]
    return laps


def slow_laps(laps: list[Lap]) -> list[Lap]:
    """Timed laps longer than 115 % of the median of the timed laps that count."""
    times = [lap.time_s for lap in laps if lap.kind == "timed" and lap.counts]
    if not times:
        return []
    line = SLOW_SHARE * float(np.median(times))
    return [lap for lap in laps if lap.kind == "timed" and lap.counts and lap.time_s > line + 1e-9]


@dataclass(frozen=True)
class Bests:
    """Best lap, best sectors, their sum, the best full round from any line, and the spread of the laps that count."""

    best: Lap | None
    sectors_s: tuple[float, ...]
    theoretical_s: float
    rolling_s: float
    mean_s: float
    spread_s: float
    count: int


_QN_SMALL = (0.399, 0.994, 0.512, 0.844, 0.611, 0.857, 0.669, 0.872)
"""Corrections of Qn for 2 to 9 values (Croux and Rousseeuw 1992)."""


def spread(times_s: Floats) -> float:
    """Robust standard deviation of times, shape (n,), s; nan below two. One spoiled lap among five does not rule it.

    Qn = 2.2219 d_n x the k-th smallest of all |t_i - t_j|, k = h (h - 1) / 2, h = n // 2 + 1; it equals the standard deviation for
    normal values and stands up to nearly half of them being wrong (Rousseeuw and Croux 1993, J Am Stat Assoc 88:1273;
    d_n for few values: Croux and Rousseeuw 1992).

    >>> round(spread(np.array([61.0, 61.2, 61.4])), 2)
    0.44
    """
    n = len(times_s)
    if n < 2:
        return math.nan
    first, second = np.triu_indices(n, 1)
    apart = np.sort(np.abs(times_s[first] - times_s[second]))
    h = n // 2 + 1
    small = _QN_SMALL[n - 2] if n <= 9 else n / (n + (1.4 if n % 2 else 3.8))
    return float(2.2219 * small * apart[h * (h - 1) // 2 - 1])


def bests(laps: list[Lap]) -> Bests:
    """What the laps that count add up to; nan where there is nothing.

    A lap whose time is unsure is in the mean, but is never the best, and none of its sectors is.
    Theoretical best: sum of the best sectors. Rolling best: the fastest full round that begins at the start or at
    any sector line and ends when that line is next crossed, both laps counting.
    """
    good = [lap for lap in laps if lap.kind == "timed" and lap.counts]
    if not good:
        return Bests(None, (), math.nan, math.nan, math.nan, math.nan, 0)
    times = np.array([lap.time_s for lap in good])
    mean, apart = float(times.mean()), spread(times)
    count, good = len(good), [lap for lap in good if not lap.unsure]
    if not good:
        return Bests(None, (), math.nan, math.nan, mean, apart, count)
    times = np.array([lap.time_s for lap in good])
    sectors = np.array([lap.sectors_s for lap in good if len(lap.sectors_s) == len(good[0].sectors_s)])
    whole = ~np.isnan(sectors).all(axis=0)
    best = tuple(float(np.nanmin(sectors[:, i])) if whole[i] else math.nan for i in range(sectors.shape[1]))
    rolling = float(times.min())
    for a, b in pairwise(good):
        if b.number != a.number + 1 or len(a.splits_s) != len(b.splits_s):
            continue
        rounds = [a.time_s - sa + sb for sa, sb in zip(a.splits_s[:-1], b.splits_s[:-1], strict=True)]
        rolling = min([rolling, *(r for r in rounds if not math.isnan(r))])
    return Bests(good[int(np.argmin(times))], best, sum(best), rolling, mean, apart, count)


def left_out(laps: list[Lap], dropped: dict[int, str]) -> list[Lap]:
    """The laps with those whose number is in `dropped` not counting, for the reason given."""
    return [replace(lap, counts=False, why=dropped[lap.number]) if lap.number in dropped else lap for lap in laps]
