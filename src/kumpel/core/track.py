"""The way along recorded positions: false positions passed over, the trembling of a standing receiver not counted."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from kumpel.core.geo import BLOCK, E2, WGS84_A, geodesic_m
from kumpel.core.recording import Flags, Floats

FASTEST_M_S = 60.0
"""Nobody and nothing that wears these recorders is faster: a faster step is a false position."""
STILL_M = 5.0
"""Movement that stays within this distance of a place is trembling of the receiver, not way."""
NOISE_M = 25.0
LOOK_BACK = 200
LONG_STEP_M = 1000.0
LONGEST_DEGREE_M = 111_700.0


def believable(at_s: Floats, lat: Floats, lon: Floats) -> Flags:
    """Flags of positions in degrees, shape (n,), that can belong to one way at 60 m/s or less; nan is not believable.

    The positions fall apart into runs at every step that is too fast. Of all chains of runs whose gaps can be bridged at
    60 m/s, the one with most positions is believed: twenty false seconds far away are a run of their own, and
    drop out as a whole. 25 m are allowed on top, for the noise of positions close in time.
    """
    known = np.flatnonzero(~(np.isnan(lat) | np.isnan(lon)))
    flags = np.zeros(len(lat), dtype=bool)
    if len(known) < 2:
        flags[known] = True
        return flags
    cuts = _too_fast(at_s[known], lat[known], lon[known]) + 1
    if not len(cuts):
        flags[known] = True
        return flags
    first, last = known[np.concatenate(([0], cuts))], known[np.concatenate((cuts - 1, [len(known) - 1]))]
    for run in _best_chain(at_s, lat, lon, first, last, np.diff(np.concatenate(([0], cuts, [len(known)])))):
        inside = known[(known >= first[run]) & (known <= last[run])]
        flags[inside] = True
    return flags


def _too_fast(at_s: Floats, lat: Floats, lon: Floats) -> NDArray[np.intp]:
    """Indices of steps that are too fast; the exact length is computed only of those that come near it."""
    allowed = FASTEST_M_S * np.diff(at_s) + NOISE_M
    # No degree of latitude is longer than at a pole, none of longitude longer than at the equator.
    north = np.diff(lat)
    east = np.diff(lon)
    if lon.max() - lon.min() > 180:
        east = (east + 180.0) % 360.0 - 180.0
    narrow = np.cos(np.radians(max(abs(lat).min() - 1.0, 0.0)))
    at_most = (north * LONGEST_DEGREE_M) ** 2 + (east * (LONGEST_DEGREE_M * narrow)) ** 2
    near = np.flatnonzero(at_most > allowed**2)
    return near[geodesic_m(lat[near], lon[near], lat[near + 1], lon[near + 1]) > allowed[near]]


def _best_chain(
    at_s: Floats, lat: Floats, lon: Floats, first: NDArray[np.intp], last: NDArray[np.intp], sizes: NDArray[np.intp]
) -> list[int]:
    """Numbers of the runs, rising, that bring most positions and can follow each other."""
    total = sizes.astype(np.float64)
    came_from = np.full(len(sizes), -1)
    for j in range(1, len(sizes)):
        i = np.arange(max(j - LOOK_BACK, 0), j)
        away = geodesic_m(lat[last[i]], lon[last[i]], np.full(len(i), lat[first[j]]), np.full(len(i), lon[first[j]]))
        can = away <= FASTEST_M_S * (at_s[first[j]] - at_s[last[i]]) + NOISE_M
        if can.any():
            best = int(i[can][np.argmax(total[i[can]])])
            total[j] += total[best]
            came_from[j] = best
    chain = [int(np.argmax(total))]
    while came_from[chain[-1]] >= 0:
        chain.append(int(came_from[chain[-1]]))
    return chain[::-1]


def steps_m(lat: Floats, lon: Floats) -> Floats:
    """Way in m from each position in degrees to the next, shape (n - 1,), by the WGS 84 geodesic.

    From a place on, way is counted as the greatest distance from it grows; 5 m away the next place begins. So a receiver
    that stands and trembles adds no way, and a straight way loses nothing; a way there and back within 5 m counts
    once. Source: own rule (docs/methods/training.md); lengths by Vincenty (`geo.geodesic_m`).
    """
    if len(lat) < 2:
        return np.zeros(0)
    s = np.sin(np.radians(lat))
    w = 1 - E2 * s * s
    east = WGS84_A / np.sqrt(w) * np.cos(np.radians(lat)) * np.pi / 180
    north = WGS84_A * (1 - E2) / w**1.5 * np.pi / 180
    turns = (np.diff(lon) + 180.0) % 360.0 - 180.0
    # Around the dateline longitudes go on; each step is scaled where it is.
    x = np.concatenate(([0.0], np.cumsum(turns * (east[1:] + east[:-1]) / 2)))
    y = np.concatenate(([0.0], np.cumsum(np.diff(lat) * (north[1:] + north[:-1]) / 2)))
    steps = growth_m(x, y)
    plain = np.hypot(np.diff(x), np.diff(y))
    long = np.flatnonzero(plain > LONG_STEP_M)
    if len(long):
        steps[long] *= geodesic_m(lat[long], lon[long], lat[long + 1], lon[long + 1]) / plain[long]
    return steps


def growth_m(x: Floats, y: Floats) -> Floats:
    """Growth of the greatest distance from the last place at each step, shape (n - 1,), of places in m; see `steps_m`."""
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
