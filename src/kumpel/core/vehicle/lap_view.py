"""What a driver looks at: two laps of a session side by side over the course, where one loses time against the other, all laps with
their sectors.

Source: docs/methods/vehicle.md, "Time lost".
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np
from scipy.ndimage import uniform_filter1d

from kumpel.core.recording import Channel, Floats, NotThereError, Recording
from kumpel.core.review import Review
from kumpel.core.vehicle.alignment import STEP_M, Driven, Grid, aligned
from kumpel.core.vehicle.channels import at_times, in_units
from kumpel.core.vehicle.compare import gate_distances
from kumpel.core.vehicle.corners import Corner, Line, corners_of, line_of
from kumpel.core.vehicle.drive import Drive, drive_of, drive_on, lap_key
from kumpel.core.vehicle.driving import Seen, seen_on, seen_together
from kumpel.core.vehicle.laps import Lap, bests, slow_laps
from kumpel.core.vehicle.time_lost import MOST_OF_POOLED, Habit, TimeLost, habits, time_lost

DECIMALS = 2
MOST_POINTS = 1500
MOST_ALSO = 6
LANES = (("speed", "Speed", "km/h", 3.6, 1), ("throttle", "Throttle", "%", 1.0, 0), ("brake", "Brake", "%", 1.0, 0))


@dataclass(frozen=True)
class Place:
    """A line of the course: m from the start, and what it is called ("start", "S2", "finish")."""

    at_m: float
    name: str


@dataclass(frozen=True)
class CoursePicture:
    """The course as drawn: its middle line (m east and north, one point every `step_m` from the start line on), lines, corners."""

    name: str
    origin: str
    backwards: bool
    closed: bool
    length_m: float
    step_m: float
    x: tuple[float, ...]
    y: tuple[float, ...]
    lines: tuple[Place, ...]
    corners: tuple[Corner, ...]


@dataclass(frozen=True)
class LapRow:
    """A lap of the list. `best` says of each sector whether it is the best of the laps that count."""

    key: str
    number: int
    kind: str
    start_s: float
    end_s: float
    time_s: float
    sectors_s: tuple[float, ...]
    best: tuple[bool, ...]
    top_km_h: float
    counts: bool
    why: str
    unsure: bool


@dataclass(frozen=True)
class Lane:
    """A quantity over the course for both laps, one value every `step_m`; nan where it was not measured. `also` are further laps, in the
    order of `LapSheet.also`."""

    key: str
    name: str
    unit: str
    decimals: int
    reference: tuple[float, ...]
    lap: tuple[float, ...]
    also: tuple[tuple[float, ...], ...] = ()


@dataclass(frozen=True)
class LapSheet:
    """Everything of the sheet. `lap` and `reference` are numbers of laps, None when there is none to look at; `behind_s` is the time lost
    so far at each point. `beside` are the laps of the other session when the reference is one of them, `offered` the channels (name by key) that may be lanes as well, `also` further laps
    of this session whose lanes are there. `why_not` says why nothing is
    compared."""

    course: CoursePicture | None
    laps: tuple[LapRow, ...]
    lap: int | None
    reference: int | None
    lanes: tuple[Lane, ...]
    behind_s: tuple[float, ...]
    lost: TimeLost | None
    why_not: str
    beside: tuple[LapRow, ...] = ()
    offered: Mapping[str, str] = field(default_factory=dict)
    also: tuple[int, ...] = ()


@dataclass(frozen=True)
class Compared:
    """All timed laps over the metres of the course, its middle line and its corners (in the metres of the grid). `of` are the recordings
    that they come from, each with its rows of the grid."""

    grid: Grid
    way: Floats
    line: Line | None
    corners: tuple[Corner, ...]
    of: tuple[tuple[Recording, slice], ...]

    @property
    def seen(self) -> Seen:
        """What was measured of the laps."""
        return seen_together([seen_on(_rows_of(self.grid, rows), _channels(each)) for each, rows in self.of])

    def recording_of(self, row: int) -> Recording:
        return next(each for each, rows in self.of if rows.start <= row < rows.stop)


def _rows_of(grid: Grid, rows: slice) -> Grid:
    return Grid(grid.laps[rows], grid.metres, grid.at_s[rows], grid.time_s[rows], grid.moved_m[rows])


def lap_sheet(
    recording: Recording,
    review: Review,
    lap: int | None = None,
    reference: int | None = None,
    beside: tuple[Recording, Review] | None = None,
    lanes: Sequence[str] = (),
    also: Sequence[int] = (),
) -> LapSheet:
    """The sheet of a session for two laps by their numbers; without them the last lap that counts against the best.

    With `beside`, another session on the same course, the reference is a lap of that (without a number its best). `lanes` are channels
    to be shown beside speed and pedals, `also` further laps of this session (at most `MOST_ALSO`; those that there are not are not
    shown). Raises
    NotThereError for a lap that there is not, ValueError when the session cannot be assessed at all or the other one was not driven on
    its course.
    """
    drive = drive_of(recording, review)
    timed = _timed(drive)
    rows = _rows(recording, drive)
    why_not = _why_not(drive, timed)
    other, other_rows = _beside(drive, beside) if beside is not None and not why_not else (None, ())
    of_reference = _timed(other.drive) if other is not None else timed
    for wanted, known in ((lap, timed), (reference, of_reference)):
        if wanted is not None and wanted not in {each.number for each in known}:
            raise NotThereError(f"there is no lap {wanted} in this session")
    counted = [each for each in timed if each.counts]
    best = bests(of_reference).best
    first = reference if reference is not None else best.number if best else None
    passed = None if other is not None else first
    mine_best = bests(timed).best if other is not None else None
    usual = mine_best.number if mine_best else next((c.number for c in reversed(counted) if c.number != passed), first)
    shown = lap if lap is not None else usual
    compared = compared_of(recording, drive, other) if timed and not why_not else None
    if compared is None or first is None or shown is None:
        return LapSheet(
            _picture(drive, None),
            rows,
            shown,
            first,
            (),
            (),
            None,
            why_not or "these laps are too many, too long or too short to be laid over each other",
            other_rows,
        )
    own = compared.of[0][1].stop
    numbers = [each.number for each in compared.grid.laps]
    mine = numbers.index(shown, 0, own)
    theirs = numbers.index(first, own if other is not None else 0)
    further = [
        n for n in dict.fromkeys(also) if n in numbers[:own] and n != shown and (other is not None or n != first)
    ]
    further = further[:MOST_ALSO]
    lost = time_lost(
        compared.grid,
        compared.seen,
        compared.way,
        compared.corners,
        mine,
        theirs,
        [i for i, each in enumerate(compared.grid.laps) if each.counts],
        decimals=DECIMALS,
        most=MOST_OF_POOLED if other is not None else math.inf,
    )
    step = max(math.ceil(len(compared.grid.metres) / MOST_POINTS), 1)
    behind = compared.grid.time_s[mine] - compared.grid.time_s[theirs]
    return LapSheet(
        _picture(drive, compared),
        rows,
        shown,
        first,
        _lanes(compared, (theirs, mine, *(numbers.index(n, 0, own) for n in further)), step, lanes),
        tuple(behind[::step].tolist()),
        lost if compared.corners else None,
        "" if compared.corners else "no corner was found on this course",
        other_rows,
        _offered(recording),
        tuple(further),
    )


NO_LANE = ("lat", "lon", *(key for key, *_ in LANES))


def _offered(recording: Recording) -> dict[str, str]:
    return {key: channel.name for key, channel in recording.channels.items() if key not in NO_LANE}


@dataclass(frozen=True)
class _Other:
    recording: Recording
    drive: Drive


def _timed(drive: Drive) -> list[Lap]:
    return [each for each in drive.laps if each.kind == "timed"]


def _beside(drive: Drive, beside: tuple[Recording, Review]) -> tuple[_Other, tuple[LapRow, ...]]:
    """The other session, cut by the lines of this one's course."""
    recording, review = beside
    if drive.course is None:
        raise ValueError("without a course nothing can be laid beside it")
    other = drive_on(recording, review, drive.course)
    if not any(each.counts for each in _timed(other)):
        raise ValueError("no lap of the other session counts")
    return _Other(recording, other), _rows(recording, other)


def habits_of(recording: Recording, drive: Drive) -> list[Habit]:
    """Where the usual laps (see `_usual`) lose time against the best of them; empty when there is nothing to compare."""
    compared = compared_of(recording, drive)
    best = bests(list(drive.laps)).best
    if compared is None or best is None or not compared.corners:
        return []
    counted = _usual(compared.grid)
    reference = [each.number for each in compared.grid.laps].index(best.number)
    return habits(compared.grid, compared.seen, compared.way, compared.corners, reference, counted, decimals=DECIMALS)


@dataclass(frozen=True)
class CourseLoss:
    """The course with, at each of its points, how much slower the laps that count are in the mean than the best of them (s a m; None
    when there are no two to compare). `x`, `y` and `rate` have one value every `course.step_m`."""

    course: CoursePicture
    x: Floats
    y: Floats
    rate: Floats | None


def _usual(grid: Grid) -> list[int]:
    """Rows of the laps that count and are no longer than 115 % of the median: one spin would hide what is done in every lap."""
    slow = {each.number for each in slow_laps(list(grid.laps))}
    return [i for i, each in enumerate(grid.laps) if each.counts and each.number not in slow]


SMOOTH_M = 15
"""Over so many metres the time lost is levelled before it is drawn."""


def course_loss(recording: Recording, review: Review) -> CourseLoss | None:
    """Where on the course time is lost in the mean; None without a course."""
    drive = drive_of(recording, review)
    compared = compared_of(recording, drive) if _timed(drive) else None
    picture = _picture(drive, compared)
    if picture is None:
        return None
    x, y = np.array(picture.x), np.array(picture.y)
    best = bests(list(drive.laps)).best
    counted = _usual(compared.grid) if compared else []
    if compared is None or best is None or len(counted) < 2:
        return CourseLoss(picture, x, y, None)
    reference = [each.number for each in compared.grid.laps].index(best.number)
    behind = compared.grid.time_s[counted].mean(axis=0) - compared.grid.time_s[reference]
    rate = uniform_filter1d(np.gradient(behind, STEP_M), SMOOTH_M, mode="nearest")
    there = np.arange(len(x)) * picture.step_m
    return CourseLoss(picture, x, y, np.interp(there, compared.grid.metres, rate))


def _why_not(drive: Drive, timed: Sequence[Lap]) -> str:
    if not timed:
        return "no full lap was driven"
    if drive.course is None:
        return "without positions it is not known where on the course a lap was"
    if not any(each.counts for each in timed):
        return "no lap counts: count one again to compare with it"
    return ""


def _channels(recording: Recording) -> dict[str, Channel]:
    found = {key: in_units(recording, key) for key in ("speed", "brake", "throttle", "rpm")}
    return {key: channel for key, channel in found.items() if channel is not None}


def compared_of(recording: Recording, drive: Drive, other: _Other | None = None) -> Compared | None:
    """All timed laps of a drive over its course, and those that count of another; None when there is no lap or no line to measure
    from."""
    timed = _timed(drive)
    gates = gate_distances(timed, drive.path, drive.way)
    driven = [Driven(drive.path, drive.way, tuple(timed))]
    if other is not None:
        driven.append(Driven(other.drive.path, other.drive.way, tuple(_timed(other.drive))))
        grid = aligned(driven, gates)
    else:
        counted = tuple(each.number for each in timed if each.counts)
        key = f"laps over {drive.course.name if drive.course else ''}, {counted}"
        grid = recording.once(key, lambda: aligned(driven, gates))
    if grid is None:
        return None
    ends = np.cumsum([len(each.laps) for each in driven]).tolist()
    rows = [slice(a, b) for a, b in pairwise([0, *ends])]
    # What counts may have changed since the laps were laid over each other.
    grid = replace(grid, laps=tuple(lap for each in driven for lap in each.laps))
    way = np.concatenate([_way(each, grid.at_s[part]) for each, part in zip(driven, rows, strict=True)])
    line = line_of(drive.course) if drive.course is not None else None
    recordings = [recording] if other is None else [recording, other.recording]
    return Compared(grid, way, line, _corners(line, grid, gates), tuple(zip(recordings, rows, strict=True)))


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


def _rows(recording: Recording, drive: Drive) -> tuple[LapRow, ...]:
    best = bests(list(drive.laps)).sectors_s
    speed = in_units(recording, "speed")
    found = []
    for lap in drive.laps:
        sectors = lap.sectors_s if lap.kind == "timed" else ()
        is_best = tuple(
            lap.counts and i < len(best) and not math.isnan(s) and abs(s - best[i]) < 1e-9
            for i, s in enumerate(sectors)
        )
        found.append(
            LapRow(
                lap_key(lap),
                lap.number,
                lap.kind,
                lap.start_s,
                lap.end_s,
                round(lap.time_s, DECIMALS),
                tuple(round(s, DECIMALS) for s in sectors),
                is_best,
                _top(speed, lap),
                lap.counts,
                lap.why,
                lap.unsure,
            )
        )
    return tuple(found)


def _top(speed: Channel | None, lap: Lap) -> float:
    if speed is None:
        return math.nan
    part = speed.values[math.ceil(lap.start_s / speed.interval_s) : math.ceil(lap.end_s / speed.interval_s)]
    return float(np.nanmax(part)) * 3.6 if len(part) and not np.isnan(part).all() else math.nan


def _lanes(compared: Compared, rows: Sequence[int], step: int, more: Sequence[str]) -> tuple[Lane, ...]:
    """The lanes of some rows of the grid: the reference, the lap, and further ones."""
    usual = {key for key, *_ in LANES}
    found = []
    for key, name, unit, factor, decimals in (*LANES, *_further(compared, [k for k in more if k not in usual])):
        all_of = [_lane(compared, row, key, step) for row in rows]
        if not all(np.isnan(each).all() for each in all_of):
            first, second, *also = (tuple((each * factor).tolist()) for each in all_of)
            found.append(Lane(key, name, unit, decimals, first, second, tuple(also)))
    return tuple(found)


def _further(compared: Compared, keys: Sequence[str]) -> list[tuple[str, str, str, float, int]]:
    """Other channels as lanes, named by the first recording that has them."""
    found = []
    for key in dict.fromkeys(keys):
        channel = next((c for r, _ in compared.of if (c := in_units(r, key)) is not None), None)
        if channel is not None:
            decimals = {"rpm": 0, "bpm": 0, "%": 0, "deg": 0, "°C": 1}.get(channel.unit, 2)
            found.append((key, channel.name, channel.unit, 1.0, decimals))
    return found


def _lane(compared: Compared, row: int, key: str, step: int) -> Floats:
    at_s = compared.grid.at_s[row, ::step]
    channel = in_units(compared.recording_of(row), key)
    return np.full(len(at_s), np.nan) if channel is None else at_times(channel, at_s)


def _picture(drive: Drive, compared: Compared | None) -> CoursePicture | None:
    course = drive.course
    if course is None:
        return None
    line = compared.line if compared else line_of(course)
    if line is None:
        return None
    step = max(math.ceil(len(line.x) / MOST_POINTS), 1)
    scale = float(compared.grid.metres[-1]) / line.length_m if compared else 1.0
    lines = [Place(0.0, "start"), *(Place(m * scale, f"S{i}") for i, m in enumerate(line.gates_m, 2))]
    if not course.closed:
        lines.append(Place(line.length_m * scale, "finish"))
    corners = compared.corners if compared else tuple(corners_of(line))
    return CoursePicture(
        course.name,
        drive.origin,
        drive.backwards,
        course.closed,
        line.length_m * scale,
        step * STEP_M * scale,
        tuple(line.x[::step].tolist()),
        tuple(line.y[::step].tolist()),
        tuple(lines),
        corners,
    )
