"""What a driver did in each stretch: where he braked, how slow he was, where the throttle was open.

Source: docs/methods/vehicle.md, "Time lost".
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import scipy
from numpy.typing import NDArray

from kumpel.core.recording import Channel, Floats
from kumpel.core.vehicle.alignment import STEP_M, Grid
from kumpel.core.vehicle.channels import at_times
from kumpel.core.vehicle.corners import Corner
from kumpel.core.vehicle.stretches import CourseStretch

AFTER_APEX_M = 12.0
"""The slowest place of a lap may lie so far behind the apex of the corner."""
NEAR_M = 5
"""So far outside of a corner its slowest place may lie."""
BRAKING = 10.0
"""Per cent of the brake pedal from which on it is braked."""
FULL = 92.0
"""Per cent of the throttle from which on it is open."""
LIFTED = 70.0
HELD_M = 4.0
"""A pedal counts from where it stays so for this long."""
GEAR_M = 8
"""Over so many metres a gear is taken, before and after it was changed."""
SLOWING_G, PULLING_G = 0.15, 0.05
"""Without pedals: slowing down by so much is braking, getting faster by so much is an open throttle."""
G = 9.80665


@dataclass(frozen=True)
class Seen:
    """What was measured of laps over the metres of a grid, shape (laps, n) each; None where there is no such sensor.

    Speed in m/s, pedals in %, `ratio` the way in m/s that a thousand turns of the engine make.
    """

    speed: Floats
    brake: Floats | None
    throttle: Floats | None
    ratio: Floats | None
    acceleration: Floats


def seen_on(grid: Grid, channels: dict[str, Channel]) -> Seen:
    """Channels over the metres of a grid. Channels: speed (m/s), and where they are there: brake, throttle (%), rpm."""

    def over(key: str) -> Floats | None:
        channel = channels.get(key)
        if channel is None:
            return None
        found = at_times(channel, grid.at_s)
        return None if np.isnan(found).all() else found

    slope = np.gradient(grid.at_s, STEP_M, axis=1)
    speed = over("speed")
    if speed is None:
        speed = 1 / np.maximum(slope, 1e-3)
    speed = scipy.ndimage.uniform_filter1d(_whole(speed), 5, axis=1, mode="nearest")
    acceleration = np.gradient(scipy.ndimage.uniform_filter1d(speed, 7, axis=1, mode="nearest"), STEP_M, axis=1) * speed
    rpm = over("rpm")
    ratio = None if rpm is None else np.where(rpm > 500, 1000 * speed / np.maximum(rpm, 1.0), np.nan)
    return Seen(speed, over("brake"), over("throttle"), ratio, acceleration)


def seen_together(parts: Sequence[Seen]) -> Seen:
    """What was measured of the laps of several recordings, one after the other; what one of them lacks is not compared."""
    if len(parts) == 1:
        return parts[0]

    def both(name: str) -> Floats | None:
        found = [getattr(part, name) for part in parts]
        return None if any(each is None for each in found) else np.concatenate(found)

    return Seen(
        np.concatenate([part.speed for part in parts]),
        both("brake"),
        both("throttle"),
        both("ratio"),
        np.concatenate([part.acceleration for part in parts]),
    )


def _whole(values: Floats) -> Floats:
    """Rows with what is missing in between drawn straight; a row of nothing stays."""
    if not np.isnan(values).any():
        return values
    found = values.copy()
    at = np.arange(values.shape[1])
    for row in found:
        known = ~np.isnan(row)
        if known.any():
            row[:] = np.interp(at, at[known], row[known])
    return found


def _held(on: NDArray[np.bool_], first: int, end: int) -> list[int | None]:
    """For each row the first place in [first, end) from which on it stays so for 4 m."""
    need = round(HELD_M / STEP_M)
    part = on[:, first:end]
    if part.shape[1] < need:
        return [None] * len(on)
    so_far = np.pad(np.cumsum(part, axis=1, dtype=np.intp), ((0, 0), (1, 0)))
    runs = so_far[:, need:] - so_far[:, :-need] == need
    places = (first + np.argmax(runs, axis=1)).tolist()
    return [place if any_ else None for place, any_ in zip(places, runs.any(axis=1).tolist(), strict=True)]


def _median(values: Floats) -> float:
    """The median of what is known, nan of nothing. A few values are sorted sooner than NumPy's own has begun."""
    known = np.sort(values[~np.isnan(values)])
    n = len(known)
    return float(known[(n - 1) // 2] + known[n // 2]) / 2 if n else math.nan


class _Places:
    """Where in each row something is so, as rising whole places; those that lie close together begin as one."""

    def __init__(self, on: NDArray[np.bool_]) -> None:
        self._need = round(HELD_M / STEP_M)
        rows, places = np.nonzero(on)
        begins = np.flatnonzero((np.diff(rows, prepend=-1) != 0) | (np.diff(places, prepend=-1) > self._need))
        ends = np.searchsorted(rows, np.arange(len(on) + 1)).tolist()
        cuts = np.searchsorted(begins, ends).tolist()
        whole, begun = places.tolist(), begins.tolist()
        self._at: list[list[int]] = [whole[i:j] for i, j in pairwise(ends)]
        self._begins: list[list[int]] = [
            [each - end for each in begun[i:j]] for end, (i, j) in zip(ends, pairwise(cuts), strict=False)
        ]

    def between(self, row: int, first: int, end: int) -> tuple[int, int, int]:
        """How many there are in [first, end), the first and the last of them."""
        at = self._at[row]
        low, high = bisect_left(at, first), bisect_left(at, end)
        return (high - low, at[low], at[high - 1]) if high > low else (0, first, first)

    def begun(self, row: int, first: int, end: int) -> int | None:
        """Where the last time before `end` begins that it is so for 4 m or more, from `first` on; short breaks belong to it."""
        at, begins = self._at[row], self._begins[row]
        low, high = bisect_left(at, first), bisect_left(at, end)
        while high > low:
            begin = max(begins[bisect_right(begins, high - 1) - 1], low)
            if at[high - 1] - at[begin] + 1 >= self._need:
                return at[begin]
            high = begin
        return None


def _changed(ratio: Floats, first: int, last: int) -> float:
    """The gear just after a stretch against that just before it, as a ratio; nan where it is not known."""
    before, after = ratio[max(first - GEAR_M, 0) : first], ratio[last + 1 : last + 1 + GEAR_M]
    return _median(after) / _median(before)


def _edge(values: Floats, at: int | None, line: float) -> float:
    """Where a rising line of values passes `line` just before a place, to a part of a metre."""
    if at is None:
        return math.nan
    if at == 0 or not values[at - 1] < line <= values[at]:
        return float(at)
    return float(at - 1 + (line - values[at - 1]) / (values[at] - values[at - 1]))


@dataclass(frozen=True)
class Marks:
    """What the driver did in each stretch of each lap, shape (laps, stretches), nan where it was not seen or does not belong there.

    Where he braked and opened the throttle, the part of the exit with the throttle lifted after it was open, the way really driven (m);
    the slowest speed near the apex, the speed at the outer end of the stretch (m/s); the seconds from the beginning to the end of the
    corner; the gear in the exit (m/s per 1000 turns), and after a lifted throttle against before it (1: the same gear); 1 where the
    throttle was never open before the next corner (0: it was). Where it mostly is not, the place of opening is that of a throttle
    opened at once which stays open for as many metres in all. Who did not brake for a corner braked at its apex.
    """

    brake_m: Floats
    full_m: Floats
    lifted_m: Floats
    way_m: Floats
    apex_m_s: Floats
    outer_m_s: Floats
    corner_s: Floats
    ratio: Floats
    shift: Floats
    shut: Floats


def marks_of(
    grid: Grid, seen: Seen, way: Floats, stretches: Sequence[CourseStretch], corners: Sequence[Corner]
) -> Marks:
    """What was done in each stretch. `way` is the way driven at each metre, shape (laps, n)."""
    n = len(grid.metres)
    after = round(AFTER_APEX_M / STEP_M)
    force = seen.brake if seen.brake is not None else -seen.acceleration / G / SLOWING_G * BRAKING
    pull = seen.throttle if seen.throttle is not None else seen.acceleration / G / PULLING_G * FULL
    marks = {name: np.full((len(grid.laps), len(stretches)), math.nan) for name in Marks.__dataclass_fields__}
    known = {corner.number: corner for corner in corners}
    braking, pulling, lifted = _Places(force > BRAKING), pull > FULL, _Places(pull < LIFTED)
    for k, stretch in enumerate(stretches):
        entry = stretch.part == "entry"
        first, end = (
            round(stretch.from_m / STEP_M),
            max(round(stretch.to_m / STEP_M), round(stretch.from_m / STEP_M) + 1),
        )
        wide, back = min(end + after, n), max(first - after, 0)
        next_m = end if k + 1 == len(stretches) else round(stretches[k + 1].to_m / STEP_M)
        outer = first if entry else min(end, n - 1)
        # Who brakes far too early does it on the way out of the corner before.
        early = min(round(stretches[k - 1].from_m / STEP_M), first) if k else first
        corner = known[stretch.corner]
        begin, over = (int(np.clip(round(m / STEP_M), 0, n - 1)) for m in (corner.begin_m, corner.end_m))
        marks["way_m"][:, k] = way[:, min(end, n - 1)] - way[:, first]
        near = (
            slice(max(first, begin - NEAR_M), max(wide, first + 1))
            if entry
            else slice(back, max(min(end, over + NEAR_M), back + 1))
        )
        marks["apex_m_s"][:, k] = seen.speed[:, near].min(axis=1)
        marks["outer_m_s"][:, k] = seen.speed[:, outer]
        marks["corner_s"][:, k] = grid.time_s[:, over] - grid.time_s[:, begin]
        held = [] if entry else _held(pulling, first, next_m)
        slowest = near.start + np.argmin(seen.speed[:, near], axis=1) if entry else []
        for row in range(len(grid.laps)):
            if entry:
                at = braking.begun(row, first, int(slowest[row]) + 1)
                if at is None:
                    at = braking.begun(row, early, first)
                marks["brake_m"][row, k] = _edge(force[row], at, BRAKING)
                if at is None and seen.brake is not None:
                    marks["brake_m"][row, k] = end * STEP_M
                if at is not None:
                    marks["outer_m_s"][row, k] = seen.speed[row, at]
                continue
            # It may be opened as late as in what is the entry to the next corner already; and never open, no earlier than there.
            at = held[row]
            marks["full_m"][row, k] = next_m * STEP_M if at is None else _edge(pull[row], at, FULL)
            marks["shut"][row, k] = at is None
            if at is not None and seen.throttle is not None:
                braked = braking.begun(row, at, next_m)
                off, first_off, last_off = lifted.between(row, at, braked or next_m)
                marks["lifted_m"][row, k] = off * STEP_M
                if seen.ratio is not None and off:
                    marks["shift"][row, k] = _changed(seen.ratio[row], first_off, last_off)
        if not entry and seen.ratio is not None:
            ratios = seen.ratio[:, first : min(first + 30, end)]
            some = ~np.isnan(ratios).all(axis=1)
            marks["ratio"][some, k] = np.nanmedian(ratios[some], axis=1)
        if not entry and seen.throttle is not None and 2 * marks["shut"][:, k].sum() > len(grid.laps):
            open_m = np.clip(seen.throttle[:, first:next_m] / 100, 0.0, 1.0).sum(axis=1) * STEP_M
            marks["full_m"][:, k] = next_m * STEP_M - open_m
            marks["shut"][:, k] = 0.0
    return Marks(**marks)
