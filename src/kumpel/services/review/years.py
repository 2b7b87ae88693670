"""A person over the years: for every kind a figure from session to session, the limits as they were in force then, which way it goes, and
what was changed meanwhile."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
import sqlalchemy
from sqlalchemy import tuple_
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core import load, over_time, weeks
from kumpel.core.over_time import Interval
from kumpel.kinds.kind import Followed, Kind
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import closed
from kumpel.services.ground.deeds import Whom, ask
from kumpel.services.ground.people import person_of
from kumpel.services.ground.wall import day_number, wall_day
from kumpel.services.register import medicines
from kumpel.services.register.session_list import Filter, conditions
from kumpel.services.review import interventions
from kumpel.store.database import among
from kumpel.store.tables import FigureValue, LimitSetRow, Medicine, Result, Session, Team

DAY_S = 86_400.0
NOT_ASSESSABLE = "not assessable"
Values = Mapping[tuple[int, str], tuple[float | None, str, bool]]


class Mark(NamedTuple):
    """A session in a lane, on its day on the wall (counted as `date.toordinal` does). `value` is None where the figure was not measured, `low` its lower end where it has one, `projected` where it stands for more than was measured; `verdict` is that of the
    session."""

    session_id: int
    started_at: datetime
    utc_offset_min: int
    length_s: float
    value: float | None
    verdict: str
    signed: bool
    limit_set_id: int | None
    low: float | None
    day: int
    projected: bool

    @property
    def counts(self) -> bool:
        """Whether it tells which way the figure goes: measured, and assessable."""
        return self.value is not None and self.verdict not in ("", NOT_ASSESSABLE)


@dataclass(frozen=True)
class Step:
    """A step of a limit for the figure of a lane."""

    value: float
    name: str
    verdict: str
    below: bool


@dataclass(frozen=True)
class InForce:
    """From a session on, until the next of these: the limit set that sessions were held against."""

    since: datetime
    name: str
    steps: tuple[Step, ...]


@dataclass(frozen=True)
class Told:
    """A slope per day, or a difference, in the figure's unit, and the same in words. None where too few sessions say."""

    value: float | None
    low: float | None
    high: float | None
    shows: bool
    words: str


@dataclass(frozen=True)
class Since:
    """How the sessions after something that was changed differ from those before it, as far as the next change."""

    intervention_id: int
    told: Told


@dataclass(frozen=True)
class Week:
    """A week: on how many of its working days something was measured, and its figure where it was all of them."""

    monday: date
    measured: int
    of: int
    value: float | None


@dataclass(frozen=True)
class Curve:
    """A mean over so many days, on each day from the first on; None where it is not known."""

    name: str
    first: date
    values: tuple[float | None, ...]


@dataclass(frozen=True)
class OnCourse:
    """What was driven on a course on a day: a session with its figures, in the order of the kind's (`Kind.by_course`)."""

    session_id: int
    course: str
    day: date
    values: tuple[float | None, ...]


@dataclass(frozen=True)
class Effort:
    """The best of somebody over a distance, s, ever and lately (`core.load.USUALLY_D` days), each with its session."""

    figure: str
    label: str
    unit: str
    session_id: int
    day: date
    value: float
    lately_id: int | None
    lately: float | None
    of: int
    """Sessions that have this figure: one that was signed before it existed has none."""


@dataclass(frozen=True)
class Lane:
    kind: str
    figure: str
    label: str
    unit: str
    choices: tuple[Followed, ...]
    marks: tuple[Mark, ...]
    in_force: tuple[InForce, ...]
    trend: Told
    since: tuple[Since, ...]
    load: str
    """The load of the last days in words, of a kind that has one; else empty."""
    weekly: str = ""
    """What the figure of a week is called, of a lane that has one."""
    weeks: tuple[Week, ...] = ()
    curves: tuple[Curve, ...] = ()
    courses: tuple[OnCourse, ...] = ()
    efforts: tuple[Effort, ...] = ()


@dataclass(frozen=True)
class Changed:
    """Something that was changed, and for whom it was: "person", "team" or "place", and which one."""

    id: int
    day: date
    words: str
    of: str
    whom: str = ""


@dataclass(frozen=True)
class Years:
    lanes: tuple[Lane, ...]
    changed: tuple[Changed, ...]
    taken: tuple[Medicine, ...]


def years_of(db: Db, person_id: int, wanted: Mapping[str, str] | None = None) -> Years:
    """Every kind that somebody has sessions of, as a lane of one figure each: the one wished by kind, else the foremost it follows."""
    ask(db, "looked at", Whom("person", person_id))
    person_of(db, person_id)
    rows = _sessions(db, person_id)
    by_kind: dict[str, list[Any]] = {}
    for row in rows:
        by_kind.setdefault(row.kind, []).append(row)
    # A kind that follows no figure has no lane; its sessions stand in the list.
    figure_of = {
        key: _wished(KINDS[key], (wanted or {}).get(key, "")) for key in by_kind if key in KINDS and KINDS[key].trends
    }
    values = _values(
        db, person_id, {(kind, key) for kind, figure in figure_of.items() for key in (figure.figure, figure.low) if key}
    )
    sets = _limit_sets(db, rows)
    teams = dict(db.exec(select(Team.id, Team.name)).all())
    changed = [
        Changed(
            row.id or 0,
            row.day,
            row.words,
            "place" if row.place else "team" if row.team_id else "person",
            row.place or (teams.get(row.team_id, "") if row.team_id else ""),
        )
        for row in interventions.of_person(db, person_id)
    ]
    free = _free_days(db, person_id, rows)
    lanes = []
    for key in sorted(figure_of, key=lambda key: -len(by_kind[key])):
        kind, rows_of = KINDS[key], by_kind[key]
        daily = _daily_load(db, kind, rows_of)
        lane = _lane(kind, figure_of[key], rows_of, values, sets, changed, load.load_words(daily) if kind.load else "")
        lanes.append(
            replace(
                lane,
                weekly=kind.weekly.label if kind.weekly and kind.weekly.figure == lane.figure else "",
                weeks=tuple(_weeks(kind, lane, free)),
                curves=tuple(_curves(daily, rows_of)) if kind.load and kind.load == lane.figure else (),
                courses=tuple(_courses(db, kind, rows_of)),
                efforts=tuple(_efforts(db, kind, rows_of)),
            )
        )
    return Years(tuple(lanes), tuple(changed), tuple(medicines.of_person(db, person_id)))


def _wished(kind: Kind, figure: str) -> Followed:
    return next((each for each in kind.trends if each.figure == figure), kind.trends[0])


SEEN: list[Any] = [
    Session.id,
    Session.kind,
    Session.started_at,
    Session.utc_offset_min,
    Session.length_s,
    Session.verdict,
    col(Session.signed_at).is_not(None).label("signed"),
]


def _sessions(db: Db, person_id: int) -> Sequence[Any]:
    """The sessions that count, oldest first, each with the limit set of its newest result as reviewed."""
    newest = (
        select(Result.limit_set_id)
        .where(Result.session_id == Session.id, Result.basis == "as reviewed")
        .order_by(col(Result.id).desc())
        .limit(1)
        .scalar_subquery()
    )
    mine = sqlalchemy.select(*SEEN, newest.label("limit_set_id"))
    return db.execute(mine.where(*conditions(Filter(person_id=person_id))).order_by(col(Session.started_at))).all()


VALUED: list[Any] = [
    FigureValue.session_id,
    FigureValue.key,
    FigureValue.value,
    FigureValue.unit,
    FigureValue.projected,
]


def _values(db: Db, person_id: int, wanted: set[tuple[str, str]]) -> Values:
    """The figures of the sessions and their units, by session and key."""
    asked = (
        sqlalchemy.select(*VALUED)
        .join(Session, col(Session.id) == FigureValue.session_id)
        .where(
            *conditions(Filter(person_id=person_id)),
            tuple_(col(FigureValue.kind), col(FigureValue.key)).in_(sorted(wanted)),
        )
    )
    return {(session_id, key): (value, unit, more) for session_id, key, value, unit, more in db.execute(asked).all()}


def _limit_sets(db: Db, rows: Sequence[Any]) -> dict[int, LimitSetRow]:
    ids = sorted({row.limit_set_id for row in rows if row.limit_set_id is not None})
    return {row.id or 0: row for row in db.exec(select(LimitSetRow).where(among(col(LimitSetRow.id), ids))).all()}


def _lane(
    kind: Kind,
    figure: Followed,
    rows: Sequence[Any],
    values: Values,
    sets: Mapping[int, LimitSetRow],
    changed: Sequence[Changed],
    load_words: str,
) -> Lane:
    nothing = (None, "", False)
    # Ten years are thousands of these: each is made once, and its day counted once.
    marks = [
        Mark(
            session_id,
            started_at,
            offset_min,
            length_s,
            values.get((session_id, figure.figure), nothing)[0],
            verdict,
            signed,
            limit_set_id,
            values.get((session_id, figure.low), nothing)[0] if figure.low else None,
            day_number(started_at, offset_min),
            values.get((session_id, figure.figure), nothing)[2],
        )
        for session_id, _, started_at, offset_min, length_s, verdict, signed, limit_set_id in rows
    ]
    unit = next((unit for row in rows if (unit := values.get((row.id, figure.figure), nothing)[1])), "")
    return Lane(
        kind.key, figure.figure, figure.label, unit, kind.trends, tuple(marks), tuple(_in_force(marks, figure, sets)),
        _trend(marks, unit), tuple(_since(marks, unit, changed)), load_words,
    )  # fmt: skip


def _daily_load(db: Db, kind: Kind, rows: Sequence[Any]) -> np.ndarray[Any, Any]:
    """The load of each day from the first session to today; empty of a kind that has none."""
    if not kind.load:
        return np.empty(0)
    loads = _of_sessions(db, rows, (kind.load,))
    days = [day_number(row.started_at, row.utc_offset_min) for row in rows]
    known = [math.nan if (value := loads.get((row.id, kind.load))) is None else value for row in rows]
    return load.by_day(days, known, datetime.now().astimezone().date().toordinal())


def _of_sessions(db: Db, rows: Sequence[Any], keys: Sequence[str]) -> dict[tuple[int, str], float | None]:
    """Figures of sessions, by session and key."""
    asked = select(FigureValue.session_id, FigureValue.key, FigureValue.value).where(
        col(FigureValue.key).in_(keys), among(col(FigureValue.session_id), [row.id for row in rows])
    )
    return {(session_id, key): value for session_id, key, value in db.exec(asked).all()}


def _free_days(db: Db, person_id: int, rows: Sequence[Any]) -> frozenset[int]:
    """The days, as numbers, on which somebody had not to work: the house was closed, or they were away."""
    if not any(row.kind in KINDS and KINDS[row.kind].weekly for row in rows):
        return frozenset()
    first, last = wall_day(rows[0]), datetime.now().astimezone().date()
    span = (first - timedelta(days=7), last + timedelta(days=7))  # whole weeks at both ends
    away = closed.away_days(db, [person_id], *span).get(person_id, frozenset())
    return frozenset(day.toordinal() for day in closed.closed_days(db, *span) | away)


def _weeks(kind: Kind, lane: Lane, free: Collection[int]) -> list[Week]:
    if kind.weekly is None or kind.weekly.figure != lane.figure:
        return []
    known = [(mark.day, float(mark.value or 0.0)) for mark in lane.marks if mark.counts]
    found = weeks.weeks([day for day, _ in known], [value for _, value in known], kind.weekly.of, free)
    return [
        Week(
            date.fromordinal(each.monday),
            each.measured,
            each.working,
            round(each.value, 1) if math.isfinite(each.value) else None,
        )
        for each in found
    ]


def _curves(daily: np.ndarray[Any, Any], rows: Sequence[Any]) -> list[Curve]:
    """The load lately and usually, day by day."""
    if not len(daily):
        return []
    first = date.fromordinal(min(day_number(row.started_at, row.utc_offset_min) for row in rows))
    return [
        Curve(
            f"{days} days",
            first,
            tuple(round(v, 1) if math.isfinite(v) else None for v in load.weighted(daily, days).tolist()),
        )
        for days in (load.LATELY_D, load.USUALLY_D)
    ]


def _courses(db: Db, kind: Kind, rows: Sequence[Any]) -> list[OnCourse]:
    """What was driven where, the newest day first."""
    if not kind.by_course:
        return []
    named = dict(
        db.exec(
            select(Session.id, Session.course).where(
                among(col(Session.id), [row.id for row in rows]), Session.course != ""
            )
        ).all()
    )
    values = _of_sessions(db, [row for row in rows if row.id in named], kind.by_course)
    return [
        OnCourse(row.id, named[row.id], wall_day(row), tuple(values.get((row.id, key)) for key in kind.by_course))
        for row in reversed(rows)
        if row.id in named
    ]


def _efforts(db: Db, kind: Kind, rows: Sequence[Any]) -> list[Effort]:
    """The best over each distance; of two that are the same the first."""
    if not kind.efforts:
        return []
    values = _of_sessions(db, rows, [each.figure for each in kind.efforts])
    last = datetime.now().astimezone().date() - timedelta(days=load.USUALLY_D)
    found = []
    for each in kind.efforts:
        known = [(value, row) for row in rows if (value := values.get((row.id, each.figure))) is not None]
        if not known:
            continue
        value, row = min(known, key=lambda pair: pair[0])
        lately = min((pair for pair in known if wall_day(pair[1]) > last), key=lambda pair: pair[0], default=None)
        found.append(
            Effort(
                each.figure, each.label, "s", row.id, wall_day(row), value,
                lately[1].id if lately else None, lately[0] if lately else None, len(known),
            )
        )  # fmt: skip
    return found


def _in_force(marks: Sequence[Mark], figure: Followed, sets: Mapping[int, LimitSetRow]) -> list[InForce]:
    found: list[InForce] = []
    last: int | None = None
    for mark in marks:
        if mark.limit_set_id is None or mark.limit_set_id == last or mark.limit_set_id not in sets:
            continue
        last, row = mark.limit_set_id, sets[mark.limit_set_id]
        steps = [
            Step(step["value"], step["name"], step["verdict"], bool(step.get("below", False)))
            for rule in row.data["rules"]
            if rule["figure"] in (figure.figure, figure.low)
            for step in rule["steps"]
        ]
        found.append(InForce(mark.started_at, row.name, tuple(dict.fromkeys(steps))))
    return found


@lru_cache(maxsize=256)
def _slope(days: bytes, values: bytes) -> Interval:
    """The slope of the same sessions is the same; of ten years of shifts it takes longer than everything else."""
    return over_time.slope(np.frombuffer(days), np.frombuffer(values))


def _trend(marks: Sequence[Mark], unit: str) -> Told:
    known = [mark for mark in marks if mark.counts]
    days = np.array([mark.started_at.timestamp() / DAY_S for mark in known])
    values = np.array([mark.value for mark in known], dtype=np.float64)
    found = _slope(days.tobytes(), values.tobytes())
    span = float(days[-1] - days[0]) if len(days) else 0.0
    return _told(found, over_time.trend_words(found, span, unit, _decimals(values)))


def _since(marks: Sequence[Mark], unit: str, changed: Sequence[Changed]) -> list[Since]:
    """Each change against the sessions since the one before it, and until the next: what else was changed would be mixed up with it."""
    counted = [mark for mark in marks if mark.counts]
    days = np.array([mark.day for mark in counted])
    values = np.array([mark.value for mark in counted], dtype=np.float64)
    changes = sorted({each.day.toordinal() for each in changed})
    found = []
    for each in changed:
        at = each.day.toordinal()
        first = max((day for day in changes if day < at), default=0)
        end = min((day for day in changes if day > at), default=date.max.toordinal())
        before = values[(first <= days) & (days < at)]
        after = values[(at <= days) & (days < end)]
        if not len(before) or not len(after):
            continue
        told = over_time.difference(before, after)
        words = over_time.difference_words(
            told, len(before), len(after), unit, _decimals(np.concatenate((before, after)))
        )
        found.append(Since(each.id, _told(told, words)))
    return found


MOST_DECIMALS = 3


def _decimals(values: np.ndarray[Any, Any]) -> int:
    """As many as the figure is stated with: what is kept of it is rounded to that."""
    texts = [f"{value:.{MOST_DECIMALS}f}".rstrip("0") for value in values.tolist()]
    return max((len(text.partition(".")[2]) for text in texts), default=0)


def _told(found: Interval, words: str) -> Told:
    value, low, high = (each if math.isfinite(each) else None for each in (found.value, found.low, found.high))
    return Told(value, low, high, found.shows, words)
