"""Laps side by side: aligned by distance, running time difference, corner minima, bin tables."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from kumpel.core.recording import Floats
from kumpel.core.timebase import grid_places
from kumpel.core.track import growth_m
from kumpel.core.vehicle.laps import Lap, Path

CORNER_DROP_M_S = 2.0


@dataclass(frozen=True)
class Along:
    """A lap over distance: time since its start (s) and distance (m), rising, shape (n,) each."""

    lap: Lap
    time_s: Floats
    distance_m: Floats

    def time_at(self, distance_m: Floats) -> Floats:
        """Time since the start of the lap at distances, shape alike."""
        found: Floats = np.interp(distance_m, self.distance_m, self.time_s)
        return found


def way_of(path: Path) -> Floats:
    """Cumulated way in m at each sample, shape (n,): by the recorded speed, else along the positions (`track.growth_m`).

    Where speed is missing the positions stand in, and across a gap of both a straight line.
    """
    n, dt = len(path.x), path.interval_s
    if not n:
        return np.empty(0)
    if path.has_speed and not np.isnan(path.speed).any():
        way = np.zeros(n)
        np.cumsum((path.speed[1:] + path.speed[:-1]).clip(min=0.0), out=way[1:])
        way *= dt / 2
        return way
    known = path.known
    steps = np.zeros(n)
    if len(known) > 1:
        lengths = growth_m(path.x[known], path.y[known]) / np.diff(known)
        steps[known[0] + 1 : known[-1] + 1] = np.repeat(lengths, np.diff(known))
    if path.has_speed:
        by_speed = np.maximum(path.speed[1:] + path.speed[:-1], 0.0) / 2 * dt
        steps[1:] = np.where(np.isnan(by_speed), steps[1:], by_speed)
    return np.cumsum(steps)


def _way_at(way: Floats, interval_s: float, times_s: Floats) -> Floats:
    """The way at times after the start: linear between samples, the last value beyond."""
    last = (len(way) - 1) * interval_s
    first, part = grid_places(np.clip(times_s, 0.0, last), interval_s)
    found: Floats = way[first] * (1 - part) + way[np.minimum(first + 1, len(way) - 1)] * part
    return found


def _stretch(way: Floats, interval_s: float, lap: Lap, gates_m: tuple[float, ...]) -> tuple[Floats, Floats]:
    """The way driven and the course's distance at the start and at each line of a lap that was seen, rising."""
    pairs = [(lap.start_s + s, g) for s, g in zip(lap.splits_s, gates_m, strict=False) if not math.isnan(s)]
    own = _way_at(way, interval_s, np.array([lap.start_s, *(t for t, _ in pairs)]))
    rising = np.concatenate(([True], np.diff(own) > 0))
    return own[rising], np.array([0.0, *(g for _, g in pairs)])[rising]


def along(path: Path, way: Floats, lap: Lap, gates_m: tuple[float, ...]) -> Along:
    """A lap over the course's distance: the way driven, stretched so that each line lies where the course has it.

    `gates_m` are the distances of the sector lines and of the end, from the start, as for `Lap.splits_s`; lines
    that were not seen are passed over. Stretching between lines takes out what a wheel slips or a line strays.
    """
    dt = path.interval_s
    first, end = math.ceil(lap.start_s / dt + 1e-9), math.floor(lap.end_s / dt - 1e-9)
    samples = np.arange(first, min(end, len(path.x) - 1) + 1)
    times = np.concatenate(([lap.start_s], samples * dt, [lap.end_s]))
    driven = _way_at(way, dt, times)
    own, target = _stretch(way, dt, lap, gates_m)
    distance = np.interp(driven, own, target)
    return Along(lap, times - lap.start_s, np.maximum.accumulate(distance))


def gate_distances(laps: list[Lap], path: Path, way: Floats) -> tuple[float, ...]:
    """Distances of the sector lines and the end from the start, in m: medians over the laps that count."""
    good = [lap for lap in laps if lap.kind == "timed" and lap.counts and not any(math.isnan(s) for s in lap.splits_s)]
    if not good:
        return ()
    edges = np.array([[lap.start_s, *(lap.start_s + s for s in lap.splits_s)] for lap in good])
    driven = _way_at(way, path.interval_s, edges)
    rows = driven[:, 1:] - driven[:, :1]
    return tuple(float(v) for v in np.median(rows, axis=0))


@dataclass(frozen=True)
class SlowPlace:
    """A slowest place of a lap: its number, distance in m from the start, speed in m/s."""

    lap: int
    distance_m: float
    speed_m_s: float


def slow_places(path: Path, way: Floats, laps: list[Lap], gates_m: tuple[float, ...]) -> list[SlowPlace]:
    """Minima of the speed (mean of half a second) at least 2 m/s below the speed before and after them.

    Distances are the course's, as in `along`; laps that do not count have none.
    """
    good = [lap for lap in laps if lap.kind == "timed" and lap.counts]
    speed, dt = path.speed, path.interval_s
    if not good or not gates_m or np.isnan(speed).all():
        return []
    width = max(round(0.5 / dt), 1) | 1
    filled = np.interp(np.arange(len(speed)), np.flatnonzero(~np.isnan(speed)), speed[~np.isnan(speed)])
    smooth = np.convolve(np.pad(filled, width // 2, mode="edge"), np.ones(width) / width, "valid")
    at, _ = scipy.signal.find_peaks(-smooth, prominence=CORNER_DROP_M_S)
    at = at[~np.isnan(speed[at])]
    found: list[SlowPlace] = []
    for lap in good:
        first, end = np.searchsorted(at, [lap.start_s / dt, lap.end_s / dt])
        own, target = _stretch(way, dt, lap, gates_m)
        for i, d in zip(at[first:end], np.interp(way[at[first:end]], own, target), strict=True):
            found.append(SlowPlace(lap.number, float(d), float(smooth[i])))
    return found


@dataclass(frozen=True)
class BinTable:
    """One channel over two others. Edges rise, shapes (i + 1,) and (j + 1,); cells have shape (i, j).

    `mean`, `lowest` and `highest` are nan in empty cells; a cell with a `count` below `fewest` says little.
    """

    x_edges: Floats
    y_edges: Floats
    mean: Floats
    lowest: Floats
    highest: Floats
    count: NDArray[np.intp]
    fewest: int

    def colours(self, low: float, high: float) -> list[list[str]]:
        """Each cell against a target range: "below", "in range", "above", "few" (too few samples) or "" (none)."""

        def word(i: int, j: int) -> str:
            if not self.count[i, j]:
                return ""
            if self.count[i, j] < self.fewest:
                return "few"
            value = self.mean[i, j]
            return "below" if value < low else "above" if value > high else "in range"

        return [[word(i, j) for j in range(self.mean.shape[1])] for i in range(self.mean.shape[0])]


def bin_table(values: Floats, x: Floats, y: Floats, x_edges: Floats, y_edges: Floats, fewest: int = 5) -> BinTable:
    """Mean, lowest, highest and count of `values` in cells of `x` and `y`, all of shape (n,).

    A value on an inner edge belongs to the higher cell, one on the last edge to the last; samples outside the
    edges or with a missing value are not counted. Raises ValueError for edges that do not rise.
    """
    for edges, name in ((x_edges, "first"), (y_edges, "second")):
        if len(edges) < 2 or np.any(np.diff(edges) <= 0) or np.any(np.isnan(edges)):
            raise ValueError(f"the break points of the {name} quantity must rise, and be two or more")
    rows, cols = len(x_edges) - 1, len(y_edges) - 1

    def cell(values: Floats, edges: Floats) -> NDArray[np.intp]:
        found = np.searchsorted(edges, values, side="right") - 1
        return np.where(values == edges[-1], len(edges) - 2, found)

    i, j = cell(x, x_edges), cell(y, y_edges)
    good = (i >= 0) & (i < rows) & (j >= 0) & (j < cols) & ~np.isnan(values) & ~np.isnan(x) & ~np.isnan(y)
    flat, inside = i[good] * cols + j[good], values[good]
    count = np.bincount(flat, minlength=rows * cols)
    total = np.bincount(flat, inside, minlength=rows * cols)
    low, high = np.full(rows * cols, np.inf), np.full(rows * cols, -np.inf)
    np.minimum.at(low, flat, inside)
    np.maximum.at(high, flat, inside)
    empty = count == 0
    shape = (rows, cols)
    return BinTable(
        x_edges,
        y_edges,
        np.where(empty, np.nan, total / np.maximum(count, 1)).reshape(shape),
        np.where(empty, np.nan, low).reshape(shape),
        np.where(empty, np.nan, high).reshape(shape),
        count.reshape(shape),
        fewest,
    )
