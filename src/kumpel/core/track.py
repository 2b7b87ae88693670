"""The way along recorded positions: false positions passed over, the trembling of a standing receiver not counted."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from kumpel.core.geo import BLOCK, E2, WGS84_A, earth_xyz, geodesic_m
from kumpel.core.recording import Flags, Floats

STILL_M = 5.0
"""Movement that stays within this distance of a place is trembling of the receiver, not way."""
NOISE_M = 25.0
SPIKE_M = 10.0
TAIL = 32
RUNS_BACK = 30
LONG_STEP_M = 1000.0
LONGEST_DEGREE_M = 111_700.0


@dataclass(frozen=True)
class Mover:
    """What somebody or something can do at the most: speed in m/s, change of speed in m/s2."""

    speed_m_s: float
    acceleration_m_s2: float


def believable(at_s: Floats, lat: Floats, lon: Floats, mover: Mover) -> Flags:
    """Flags of positions in degrees, shape (n,), that can belong to one way of a mover; nan is not believable.

    Two positions i, j can follow each other when |p_j - p_i| <= v (t_j - t_i) + 25 m, three (h, i, j) when i lies no more
    than a (t_i - t_h) (t_j - t_i) / 2 + 10 m from where a steady movement from h to j would be at t_i; the metres are
    the noise of positions close in time. Believed is the longest chain, so that the fewest positions are doubted: one
    false position after a rest costs one, twenty false seconds far away drop out as a whole, whatever lies on both
    sides of them stays. Own rule (docs/methods/training.md).
    """
    known = np.flatnonzero(~(np.isnan(lat) | np.isnan(lon)))
    flags = np.zeros(len(lat), dtype=bool)
    if len(known) and _clearly_smooth(at_s[known], lat[known], lon[known], mover):
        flags[known] = True
    elif len(known):
        flags[known[_longest_chain(at_s[known], earth_xyz(lat[known], lon[known]), mover)]] = True
    return flags


def _clearly_smooth(at_s: Floats, lat: Floats, lon: Floats, mover: Mover) -> bool:
    """Whether no step is too fast and no bend too sharp even by the longest degrees there are: then nothing has to be worked out."""
    if lon.max() - lon.min() > 180:
        return False
    # No degree of latitude is longer than at a pole, none of longitude longer than at the equator.
    narrow = np.cos(np.radians(max(abs(lat).min() - 1.0, 0.0)))
    at_most = np.stack((lat * LONGEST_DEGREE_M, lon * (LONGEST_DEGREE_M * narrow)), axis=1)
    return not len(_breaks(at_s, at_most, mover))


def doubted_words(count: int) -> str:
    """What is said of positions that are not believed."""
    many = "1 position is" if count == 1 else f"{count:,} positions are"
    return f"{many} not believed: nobody gets there and back in that time; the way goes on without"


def _longest_chain(at_s: Floats, place: Floats, mover: Mover) -> NDArray[np.intp]:
    """Indices, rising, of the most positions that can follow each other; places in m, shape (n, 3)."""
    n = len(at_s)
    breaks = _breaks(at_s, place, mover)
    if not len(breaks):
        return np.arange(n)
    next_break = np.append(breaks, n)
    length = np.ones(n)
    came_from = np.full(n, -1)
    ends: deque[NDArray[np.intp]] = deque(maxlen=RUNS_BACK)
    begin, longest, j = 0, 1.0, 1
    while j < n:
        leads = length[j - 1] == longest
        if leads and _follows(at_s, place, mover, came_from, np.array([j - 1]), j)[0]:
            # Nothing can beat going on; up to the next break there is nothing to compare.
            stop = int(next_break[np.searchsorted(breaks, j, side="right")])
            stop = stop if came_from[j - 1] == j - 2 else j + 1
            came_from[j:stop] = np.arange(j - 1, stop - 1)
            length[j:stop] = longest + np.arange(1, stop - j + 1)
            longest, j = float(length[stop - 1]), stop
            continue
        own = np.arange(max(begin, j - TAIL), j)
        candidates = np.concatenate((*ends, own))
        follows = candidates[_follows(at_s, place, mover, came_from, candidates, j)]
        if len(follows):
            best = int(follows[len(follows) - 1 - np.argmax(length[follows][::-1])])
            came_from[j], length[j] = best, length[best] + 1
            longest = max(longest, float(length[j]))
        if came_from[j] != j - 1:
            ends.append(own)
            begin = j
        j += 1
    chain, at = np.zeros(n, dtype=bool), int(np.argmax(length))
    while at >= 0:
        chain[at], at = True, int(came_from[at])
    return np.flatnonzero(chain)


def _breaks(at_s: Floats, place: Floats, mover: Mover) -> NDArray[np.intp]:
    """Indices of positions that cannot follow the two right before them, rising."""
    # In blocks that share two positions: only what is found takes memory.
    parts = range(0, max(len(at_s) - 2, 1), BLOCK)
    found = [_breaks_in(at_s[i : i + BLOCK + 2], place[i : i + BLOCK + 2], mover) + i for i in parts]
    return np.unique(np.concatenate(found))


def _breaks_in(at_s: Floats, place: Floats, mover: Mover) -> NDArray[np.intp]:
    dt, step = np.diff(at_s), np.diff(place, axis=0)
    away = _lengths(step)
    fast = away > mover.speed_m_s * dt + NOISE_M
    # No place lies farther from the steady movement than the longer one of its two steps.
    sharp = np.flatnonzero(np.maximum(away[:-1], away[1:]) > SPIKE_M) if len(dt) > 1 else np.zeros(0, dtype=np.intp)
    if len(sharp):
        before, after = dt[sharp], dt[sharp + 1]
        off = _bend(step[sharp], before, step[sharp + 1], after)
        fast[sharp + 1] |= off > mover.acceleration_m_s2 * before * after / 2 + SPIKE_M
    return np.flatnonzero(fast) + 1


def _follows(
    at_s: Floats, place: Floats, mover: Mover, came_from: NDArray[np.intp], last: NDArray[np.intp], j: int
) -> Flags:
    """Whether position j can follow each of the positions `last`, shape (k,), at the ends of their chains."""
    after, onwards = at_s[j] - at_s[last], place[j] - place[last]
    can = _lengths(onwards) <= mover.speed_m_s * after + NOISE_M
    first = came_from[last]
    before = np.where(first >= 0, at_s[last] - at_s[first], 0.0)
    off = _bend(place[last] - place[first], before, onwards, after)
    found: Flags = can & ((first < 0) | (off <= mover.acceleration_m_s2 * before * after / 2 + SPIKE_M))
    return found


def _bend(step: Floats, before_s: Floats, onwards: Floats, after_s: Floats) -> Floats:
    """How far the middle one of three places lies from a steady movement between the others, in m."""
    share = before_s / np.maximum(before_s + after_s, 1e-9)
    return _lengths(step - share[:, None] * (step + onwards))


def _lengths(steps: Floats) -> Floats:
    found: Floats = np.sqrt(np.einsum("ij,ij->i", steps, steps))
    return found


def steps_m(lat: Floats, lon: Floats) -> Floats:
    """Way in m from each position in degrees to the next, shape (n - 1,), by the WGS 84 geodesic.

    From a place on, way is counted as the greatest distance from it grows; 5 m away the next place begins. So a receiver
    that stands and trembles adds no way, and a straight way loses nothing; a way there and back within 5 m counts
    once. Source: own rule (docs/methods/training.md); lengths by Vincenty (`geo.geodesic_m`).
    """
    if len(lat) < 2:
        return np.zeros(0)
    x, y = _unrolled(lat, lon)
    steps = growth_m(x, y)
    plain = np.hypot(np.diff(x), np.diff(y))
    long = np.flatnonzero(plain > LONG_STEP_M)
    if len(long):
        steps[long] *= geodesic_m(lat[long], lon[long], lat[long + 1], lon[long + 1]) / plain[long]
    return steps


def _unrolled(lat: Floats, lon: Floats) -> tuple[Floats, Floats]:
    """Metres east and north of the first position, step by step: each step is scaled where it is."""
    s = np.sin(np.radians(lat))
    w = 1 - E2 * s * s
    east = WGS84_A / np.sqrt(w) * np.cos(np.radians(lat)) * np.pi / 180
    north = WGS84_A * (1 - E2) / w**1.5 * np.pi / 180
    turns = (np.diff(lon) + 180.0) % 360.0 - 180.0
    # Around the dateline longitudes go on.
    x = np.concatenate(([0.0], np.cumsum(turns * (east[1:] + east[:-1]) / 2)))
    y = np.concatenate(([0.0], np.cumsum(np.diff(lat) * (north[1:] + north[:-1]) / 2)))
    return x, y


def growth_m(x: Floats, y: Floats) -> Floats:
    """Growth of the greatest distance from the last place at each step, shape (n - 1,), of places in m; see `steps_m`.

    >>> growth_m(np.array([0.0, 1.0, 3.0]), np.zeros(3)).tolist()
    [1.0, 2.0]
    """
    if not len(x):
        return np.zeros(0)
    found = np.zeros(len(x) - 1)
    place_x, place_y, farthest = float(x[0]), float(y[0]), 0.0
    # In blocks: Python's numbers are large.
    for first in range(1, len(x), BLOCK):
        block = []
        for here_x, here_y in zip(x[first : first + BLOCK].tolist(), y[first : first + BLOCK].tolist(), strict=True):
            away = ((here_x - place_x) ** 2 + (here_y - place_y) ** 2) ** 0.5
            block.append(max(away - farthest, 0.0))
            farthest = max(farthest, away)
            if away >= STILL_M:
                place_x, place_y, farthest = here_x, here_y, 0.0
        found[first - 1 : first - 1 + len(block)] = block
    return found
