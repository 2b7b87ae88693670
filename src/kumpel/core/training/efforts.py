"""Best efforts: the fastest time in which each distance was covered without a break, wherever in a session it lies."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from kumpel.core.recording import Floats

EFFORTS_M = (400.0, 500.0, 1000.0, 2000.0, 5000.0, 10_000.0, 21_097.5)
"""Distances that are raced over, on the track, on the road and on the water, in m."""


def effort_words(length_m: float) -> str:
    """What a distance is called: "400 m", "5 km", "half marathon".

    >>> [effort_words(m) for m in (400.0, 5000.0, 21_097.5)]
    ['400 m', '5 km', 'half marathon']
    """
    if length_m == 21_097.5:
        return "half marathon"
    return f"{length_m:g} m" if length_m < 1000 else f"{length_m / 1000:g} km"


def best_effort(
    edges_s: Floats, distance_m: Floats, counted: NDArray[np.bool_], length_m: float
) -> tuple[float, float]:
    """The shortest time (s) in which `length_m` was covered, and when it began (s after the start); (nan, nan) when it never was.

        T = min over a of ( t(d(a) + L) - t(a) )

    `edges_s` and `distance_m`, shape (n + 1,), are the time and the way so far at the edges of the samples, the way straight between
    them; `counted`, shape (n,), flags samples that count: no effort runs through one that was left out, and standing still counts as
    time. As both are straight between edges, the shortest begins or ends at an edge, so that 2 (n + 1) candidates are all there are.

    >>> best_effort(np.array([0.0, 100.0, 150.0, 250.0]), np.array([0.0, 400.0, 800.0, 1200.0]), np.ones(3, bool), 400.0)
    (50.0, 100.0)
    """
    best, began = math.inf, math.nan
    for first, end in _unbroken(counted):
        times, way = edges_s[first : end + 1], distance_m[first : end + 1]
        if way[-1] - way[0] < length_m:
            continue
        for found, start in (_from_edges(times, way, length_m), _to_edges(times, way, length_m)):
            if found < best:
                best, began = found, start
    return (best, began) if math.isfinite(best) else (math.nan, math.nan)


def _unbroken(counted: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """Runs of samples that count, as first edge and last edge."""
    changes = np.flatnonzero(np.diff(np.concatenate(([False], counted, [False])).astype(np.int8)))
    return [(int(a), int(b)) for a, b in pairwise(changes.tolist()) if counted[a]]


def _from_edges(times: Floats, way: Floats, length_m: float) -> tuple[float, float]:
    """The shortest that begins at an edge: it ends where the way is first that long."""
    fits = way + length_m <= way[-1]
    taken = _when(times, way, way[fits] + length_m, "left") - times[fits]
    at = int(np.argmin(taken))
    return float(taken[at]), float(times[fits][at])


def _to_edges(times: Floats, way: Floats, length_m: float) -> tuple[float, float]:
    """The shortest that ends at an edge: it begins where the way is last that short."""
    fits = way - length_m >= way[0]
    begins = _when(times, way, way[fits] - length_m, "right")
    taken = times[fits] - begins
    at = int(np.argmin(taken))
    return float(taken[at]), float(begins[at])


def _when(times: Floats, way: Floats, wanted: Floats, side: str) -> Floats:
    """When the way was so long: of a stop its beginning ("left") or its end ("right")."""
    if side == "left":
        after = np.clip(np.searchsorted(way, wanted, "left"), 1, len(way) - 1)
    else:
        after = np.clip(np.searchsorted(way, wanted, "right"), 1, len(way) - 1)
    before = after - 1
    step = way[after] - way[before]
    share = np.divide(wanted - way[before], step, out=np.ones_like(wanted), where=step > 0)
    found: Floats = times[before] + np.clip(share, 0.0, 1.0) * (times[after] - times[before])
    return found
