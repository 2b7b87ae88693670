"""The laps of one or several sessions over the same metres of their course.

Source: docs/methods/vehicle.md, "Time lost".
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from kumpel.core.recording import Channel, Floats, Recording
from kumpel.core.vehicle.alignment import Driven, Grid, aligned
from kumpel.core.vehicle.channels import in_units
from kumpel.core.vehicle.compare import gate_distances
from kumpel.core.vehicle.corners import Corner, Line, corners_of, line_of
from kumpel.core.vehicle.drive import Drive
from kumpel.core.vehicle.driving import Seen, seen_on, seen_together
from kumpel.core.vehicle.laps import Lap, Path, slow_laps
from kumpel.core.vehicle.time_lost import Laid

GAP_S = 1.0
"""Positions that are missing for longer than this are said; a shorter time is bridged by the speed without anybody seeing it."""


@dataclass(frozen=True)
class Outing:
    """A session brought onto a course."""

    recording: Recording
    drive: Drive


@dataclass(frozen=True)
class Compared:
    """All timed laps over the metres of the course, its middle line and its corners (in the metres of the grid). `of` are the outings
    that they come from, each with its rows of the grid."""

    grid: Grid
    way: Floats
    line: Line | None
    corners: tuple[Corner, ...]
    of: tuple[tuple[Outing, slice], ...]

    @property
    def seen(self) -> Seen:
        """What was measured of the laps."""
        return seen_together([seen_on(_rows_of(self.grid, rows), _channels(each.recording)) for each, rows in self.of])

    @property
    def gaps(self) -> list[list[tuple[float, float]]]:
        """For each lap, from which metre to which its positions are missing for longer than `GAP_S`."""
        found = []
        for outing, rows in self.of:
            missing = _missing(outing.drive.path)
            found += [_over(missing, self.grid.at_s[row], self.grid.metres) for row in range(rows.start, rows.stop)]
        return found

    @property
    def laid(self) -> Laid:
        return Laid(self.grid, self.seen, self.way, self.corners, self.gaps)

    def recording_of(self, row: int) -> Recording:
        return next(each.recording for each, rows in self.of if rows.start <= row < rows.stop)

    def row_of(self, outing: int, number: int) -> int | None:
        """The row of the lap with a number of one of the outings; None when there is none."""
        rows = self.of[outing][1]
        return next((r for r in range(rows.start, rows.stop) if self.grid.laps[r].number == number), None)


def _missing(path: Path) -> Floats:
    """From when to when positions are missing, s from the start of the recording, shape (n, 2)."""
    known = path.known * path.interval_s
    edges = np.concatenate(([0.0], known, [len(path.x) * path.interval_s]))
    wide = np.flatnonzero(np.diff(edges) > max(GAP_S, 1.5 * path.interval_s))
    return np.stack([edges[wide], edges[wide + 1]], axis=1)


def _over(missing: Floats, at_s: Floats, metres: Floats) -> list[tuple[float, float]]:
    """Times as places of a lap; what lies outside the lap is left out."""
    inside = missing[(missing[:, 1] > at_s[0]) & (missing[:, 0] < at_s[-1])]
    return [(float(a), float(b)) for a, b in np.interp(inside, at_s, metres)]


def _rows_of(grid: Grid, rows: slice) -> Grid:
    return Grid(grid.laps[rows], grid.metres, grid.at_s[rows], grid.time_s[rows], grid.moved_m[rows])


def laps_key(drive: Drive) -> tuple[object, ...]:
    """What everything depends on that is worked out from the laps of a drive: its course, and the laps as they are cut and counted."""
    cut = tuple((each.number, each.kind, each.counts, each.start_s, each.end_s) for each in drive.laps)
    return (drive.course.name if drive.course else "", cut)


def timed_laps(drive: Drive) -> list[Lap]:
    """The laps from line to line, without the ways out and in."""
    return [each for each in drive.laps if each.kind == "timed"]


def usual_rows(grid: Grid) -> list[int]:
    """Rows of the laps that count and are no longer than 115 % of the median: one spin would hide what is done in every lap."""
    slow = {each.number for each in slow_laps(list(grid.laps))}
    return [i for i, each in enumerate(grid.laps) if each.counts and each.number not in slow]


def _channels(recording: Recording) -> dict[str, Channel]:
    found = {key: in_units(recording, key) for key in ("speed", "brake", "throttle", "rpm")}
    return {key: channel for key, channel in found.items() if channel is not None}


def compared_of(outing: Outing, others: Sequence[Outing] = ()) -> Compared | None:
    """All timed laps of an outing over its course, and those of others on it; None when there is no lap or no line to measure from."""
    drive = outing.drive
    timed = timed_laps(drive)
    gates = gate_distances(timed, drive.path, drive.way)
    outings = [outing, *others]
    driven = [Driven(each.drive.path, each.drive.way, tuple(timed_laps(each.drive))) for each in outings]
    if others:
        grid = aligned(driven, gates)
    else:
        grid = outing.recording.lately("laps over each other", laps_key(drive), lambda: aligned(driven, gates))
    if grid is None:
        return None
    ends = np.cumsum([len(each.laps) for each in driven]).tolist()
    rows = [slice(a, b) for a, b in pairwise([0, *ends])]
    # What counts may have changed since the laps were laid over each other.
    grid = replace(grid, laps=tuple(lap for each in driven for lap in each.laps))
    way = np.concatenate([_way(each, grid.at_s[part]) for each, part in zip(driven, rows, strict=True)])
    line = line_of(drive.course) if drive.course is not None else None
    return Compared(grid, way, line, _corners(line, grid, gates), tuple(zip(outings, rows, strict=True)))


def _way(driven: Driven, at_s: Floats) -> Floats:
    found: Floats = np.interp(at_s, np.arange(len(driven.way)) * driven.path.interval_s, driven.way)
    return found


def _corners(line: Line | None, grid: Grid, gates_m: tuple[float, ...]) -> tuple[Corner, ...]:
    """The corners of the course in the metres that the laps are laid over: the middle line, stretched between the lines."""
    if line is None:
        return ()
    theirs = [0.0, *line.gates_m, line.length_m]
    ours = [0.0, *gates_m]
    if len(theirs) != len(ours) or any(b <= a for a, b in pairwise(theirs)):
        theirs, ours = [0.0, line.length_m], [0.0, gates_m[-1]]
    end = float(grid.metres[-1])

    def there(metres: float) -> float:
        return min(float(np.interp(metres, theirs, ours)), end)

    return tuple(
        replace(each, begin_m=there(each.begin_m), apex_m=there(each.apex_m), end_m=there(each.end_m))
        for each in corners_of(line)
    )
