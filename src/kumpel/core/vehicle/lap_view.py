"""What a driver looks at: two laps side by side over the course, where one loses time against the other, all laps with their sectors.

Source: docs/methods/vehicle.md, "Time lost".
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from kumpel.core.laps_wish import FurtherLap, LapsWish
from kumpel.core.recording import Floats, NotThereError, Recording
from kumpel.core.review import Review
from kumpel.core.vehicle.channels import at_times, in_units
from kumpel.core.vehicle.compared import Compared, Outing, compared_of, laps_key, timed_laps, usual_rows
from kumpel.core.vehicle.course_picture import MOST_POINTS, CoursePicture, picture_of
from kumpel.core.vehicle.drive import Drive, drive_of, drive_on
from kumpel.core.vehicle.lap_rows import DECIMALS, LapRow, LapSums, lap_rows, lap_sums
from kumpel.core.vehicle.laps import Lap, bests
from kumpel.core.vehicle.time_lost import MOST_OF_POOLED, Habit, TimeLost, habits, time_lost

MOST_ALSO = 6
LANES = (("speed", "Speed", "km/h", 3.6, 1), ("throttle", "Throttle", "%", 1.0, 0), ("brake", "Brake", "%", 1.0, 0))


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
class Clock:
    """When the laps of the lanes are at each of their points: seconds since the start line."""

    reference: tuple[float, ...] = ()
    lap: tuple[float, ...] = ()
    also: tuple[tuple[float, ...], ...] = ()


@dataclass(frozen=True)
class Gap:
    """Where the positions of the reference or of the lap were missing."""

    of: str
    from_m: float
    to_m: float


@dataclass(frozen=True)
class AlsoLap:
    """A further lap whose lanes are there: of this session, or of the one that the wish named by `session`."""

    session: int | None
    lap: int
    time_s: float


@dataclass(frozen=True)
class NotOver:
    """A session of which no lap can be laid over these, and why."""

    session: int | None
    why: str


@dataclass(frozen=True)
class LapSheet:
    """Everything of the sheet. `lap` and `reference` are numbers of laps, None when there is none to look at; `behind_s` is the time lost
    so far at each point. `sums` are those of `laps`; `beside` are the laps of the other session when the reference is one of them, with `beside_sums`, `offered` the channels (name by key)
    that may be lanes as well. `why_not` says why nothing is compared."""

    course: CoursePicture | None
    laps: tuple[LapRow, ...]
    sums: LapSums
    lap: int | None
    reference: int | None
    lanes: tuple[Lane, ...]
    behind_s: tuple[float, ...]
    lost: TimeLost | None
    why_not: str
    beside: tuple[LapRow, ...] = ()
    beside_sums: LapSums | None = None
    offered: Mapping[str, str] = field(default_factory=dict)
    also: tuple[AlsoLap, ...] = ()
    clock: Clock = Clock()
    gaps: tuple[Gap, ...] = ()
    not_over: tuple[NotOver, ...] = ()


def lap_sheet(recording: Recording, review: Review, wish: LapsWish = LapsWish()) -> LapSheet:
    """The sheet of a session for two laps by their numbers; without them the last lap that counts against the best.

    With `wish.beside`, another session on the same course, the reference is a lap of that (without a number its best). Of further laps
    at most `MOST_ALSO` are shown; those that there are not are passed over, and `not_over` says which sessions cannot be laid over these.
    Raises NotThereError for a lap that there is not, ValueError when the session cannot be assessed at all or another one was not driven on
    its course.
    """
    mine = Outing(recording, drive_of(recording, review))
    timed = timed_laps(mine.drive)
    rows = lap_rows(recording, mine.drive)
    why_not = _why_not(mine.drive, timed)
    other = _beside(mine.drive, wish.beside) if wish.beside is not None and not why_not else None
    sums = lap_sums(mine.drive, rows)
    other_rows = lap_rows(other.recording, other.drive) if other is not None else ()
    other_sums = lap_sums(other.drive, other_rows) if other is not None else None
    lap, reference = _chosen(wish, timed, timed_laps(other.drive) if other is not None else None)
    beside = [] if other is None else [other]
    compared = compared_of(mine, beside) if timed and not why_not else None
    if compared is None or reference is None or lap is None:
        why_not = why_not or "these laps are too many, too long or too short to be laid over each other"
        return LapSheet(
            picture_of(mine.drive, None), rows, sums, lap, reference, (), (), None, why_not, other_rows, other_sums
        )
    at, against = compared.row_of(0, lap), compared.row_of(len(beside), reference)
    assert at is not None and against is not None
    laid = compared.laid
    lost = time_lost(
        laid,
        at,
        against,
        [i for i, each in enumerate(compared.grid.laps) if each.counts],
        decimals=DECIMALS,
        most=MOST_OF_POOLED if other is not None else math.inf,
    )
    further, not_over = _further_laps(compared, mine, beside, wish.also, {at, against})
    drawn = [(compared, against), (compared, at), *(each for _, each in further)]
    step = max(math.ceil(len(compared.grid.metres) / MOST_POINTS), 1)
    clocks = [tuple(each.grid.time_s[row, ::step].tolist()) for each, row in drawn]
    behind = compared.grid.time_s[at] - compared.grid.time_s[against]
    return LapSheet(
        picture_of(mine.drive, compared),
        rows,
        sums,
        lap,
        reference,
        _lanes(drawn, step, wish.lanes),
        tuple(behind[::step].tolist()),
        lost if compared.corners else None,
        "" if compared.corners else "no corner was found on this course",
        other_rows,
        other_sums,
        _offered(recording),
        tuple(found for found, _ in further),
        Clock(clocks[0], clocks[1], tuple(clocks[2:])),
        tuple(Gap(of, *gap) for of, row in (("reference", against), ("lap", at)) for gap in laid.gaps[row]),
        tuple(not_over),
    )


def _chosen(wish: LapsWish, timed: Sequence[Lap], beside: Sequence[Lap] | None) -> tuple[int | None, int | None]:
    """The numbers of the lap that is looked at and of its reference, a lap of the session beside when there is one."""
    of_reference = timed if beside is None else beside
    for wanted, known in ((wish.lap, timed), (wish.reference, of_reference)):
        if wanted is not None and wanted not in {each.number for each in known}:
            raise NotThereError(f"there is no lap {wanted} in this session")
    best = bests(list(of_reference)).best
    reference = wish.reference if wish.reference is not None else best.number if best else None
    if wish.lap is not None:
        return wish.lap, reference
    own_best = bests(list(timed)).best if beside is not None else None
    if own_best is not None:
        return own_best.number, reference
    passed = None if beside is not None else reference
    last = next((each.number for each in reversed(timed) if each.counts and each.number != passed), reference)
    return last, reference


_View = tuple[Compared, int]


def _further_laps(
    compared: Compared, mine: Outing, beside: Sequence[Outing], wished: Sequence[FurtherLap], shown: set[int]
) -> tuple[list[tuple[AlsoLap, _View]], list[NotOver]]:
    """Further laps, each with what it is laid over, and what cannot be. Those of other sessions are laid over all laps together; what the two laps lose
    against each other stays as it is without them."""
    own = [each for each in wished if each.of is None][:MOST_ALSO]
    others = [each for each in wished if each.of is not None][: MOST_ALSO - len(own)]
    found: list[tuple[AlsoLap, _View]] = []
    for number in dict.fromkeys(each.lap for each in own):
        row = compared.row_of(0, number) if number is not None else None
        if row is not None and row not in shown:
            found.append(
                (AlsoLap(None, compared.grid.laps[row].number, compared.grid.laps[row].time_s), (compared, row))
            )
    over: list[tuple[FurtherLap, Outing]] = []
    not_over: list[NotOver] = []
    for each in others:
        assert each.of is not None
        try:
            over.append((each, _beside(mine.drive, each.of)))
        except ValueError as error:
            not_over.append(NotOver(each.session, str(error)))
    wide = compared_of(mine, [*beside, *(outing for _, outing in over)]) if over else None
    if wide is None:
        why = "together these laps are too many to be laid over each other"
        return found, not_over + [NotOver(each.session, why) for each, _ in over]
    for i, (each, outing) in enumerate(over, 1 + len(beside)):
        best = bests(list(outing.drive.laps)).best
        number = each.lap if each.lap is not None else best.number if best is not None else None
        row = wide.row_of(i, number) if number is not None else None
        if row is not None:
            found.append((AlsoLap(each.session, wide.grid.laps[row].number, wide.grid.laps[row].time_s), (wide, row)))
    return found, not_over


NO_LANE = ("lat", "lon", *(key for key, *_ in LANES))


def _offered(recording: Recording) -> dict[str, str]:
    return {key: channel.name for key, channel in recording.channels.items() if key not in NO_LANE}


def _beside(drive: Drive, beside: tuple[Recording, Review]) -> Outing:
    """Another session, cut by the lines of this one's course."""
    recording, review = beside
    if drive.course is None:
        raise ValueError("without a course nothing can be laid beside it")
    other = drive_on(recording, review, drive.course)
    if not any(each.counts for each in timed_laps(other)):
        raise ValueError("no lap of the other session counts")
    return Outing(recording, other)


def habits_of(recording: Recording, drive: Drive) -> list[Habit]:
    """Where the usual laps (see `usual_rows`) lose time against the best of them; empty when there is nothing to compare."""
    return recording.lately("habits", laps_key(drive), lambda: _habits_of(recording, drive))


def _habits_of(recording: Recording, drive: Drive) -> list[Habit]:
    compared = compared_of(Outing(recording, drive))
    best = bests(list(drive.laps)).best
    if compared is None or best is None or not compared.corners:
        return []
    reference = compared.row_of(0, best.number)
    assert reference is not None
    return habits(compared.laid, reference, usual_rows(compared.grid), decimals=DECIMALS)


def _why_not(drive: Drive, timed: Sequence[Lap]) -> str:
    if not timed:
        return "no full lap was driven"
    if drive.course is None:
        return "without positions it is not known where on the course a lap was"
    if not any(each.counts for each in timed):
        return "no lap counts: count one again to compare with it"
    return ""


def _lanes(drawn: Sequence[_View], step: int, more: Sequence[str]) -> tuple[Lane, ...]:
    """The lanes of the reference, the lap, and further ones."""
    usual = {key for key, *_ in LANES}
    recordings = [compared.recording_of(row) for compared, row in drawn]
    found = []
    for key, name, unit, factor, decimals in (*LANES, *_further_lanes(recordings, [k for k in more if k not in usual])):
        each_at = (
            (recording, compared.grid.at_s[row, ::step])
            for recording, (compared, row) in zip(recordings, drawn, strict=True)
        )
        all_of = [_lane(recording, key, at_s) for recording, at_s in each_at]
        if not all(np.isnan(each).all() for each in all_of):
            first, second, *also = (tuple((each * factor).tolist()) for each in all_of)
            found.append(Lane(key, name, unit, decimals, first, second, tuple(also)))
    return tuple(found)


def _further_lanes(recordings: Sequence[Recording], keys: Sequence[str]) -> list[tuple[str, str, str, float, int]]:
    """Other channels as lanes, named by the first recording that has them."""
    found = []
    for key in dict.fromkeys(keys):
        channel = next((c for each in recordings if (c := in_units(each, key)) is not None), None)
        if channel is not None:
            decimals = {"rpm": 0, "bpm": 0, "%": 0, "deg": 0, "°C": 1}.get(channel.unit, 2)
            found.append((key, channel.name, channel.unit, 1.0, decimals))
    return found


def _lane(recording: Recording, key: str, at_s: Floats) -> Floats:
    channel = in_units(recording, key)
    return np.full(len(at_s), np.nan) if channel is None else at_times(channel, at_s)
