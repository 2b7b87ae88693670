"""The months of a vehicle: how long it was driven, how often a limit was reached, its best laps; and when a check of its logger is due."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Any

import sqlalchemy
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.assessment import Verdict
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import deeds, sensor_checks
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.wall import wall_day
from kumpel.services.recorders import checks
from kumpel.services.register.session_list import Filter, conditions
from kumpel.services.yard import belonging
from kumpel.services.yard.vehicles import YARD_VEHICLE, vehicle_of
from kumpel.store.database import among
from kumpel.store.tables import FigureValue, Recorder, Session, Tag


@dataclass(frozen=True)
class BestLap:
    """The fastest lap of a month on a course, s, and the session it was in."""

    course: str
    seconds: float
    session_id: int


@dataclass(frozen=True)
class Month:
    """A month from its first day on; `reached` counts sessions that reached a limit, `actions` those that reached an action level."""

    first: date
    sessions: int
    hours: float
    reached: int
    actions: int
    best: tuple[BestLap, ...]


@dataclass(frozen=True)
class Months:
    """Newest first, and what is due next on the loggers that are set up for it; in words what is wrong there now."""

    months: tuple[Month, ...]
    next_check: datetime | None
    wrong: tuple[str, ...]


SEEN: list[Any] = [
    Session.id,
    Session.started_at,
    Session.utc_offset_min,
    Session.length_s,
    Session.verdict,
    Session.course,
]


def months_of(db: Db, vehicle_id: int) -> Months:
    """Everything that was driven in a vehicle, by month. NotFoundError when it is not on record."""
    vehicle = vehicle_of(db, vehicle_id)
    deeds.ask(db, "looked at", Whom(YARD_VEHICLE, vehicle_id))
    kinds = [kind for kind in KINDS.values() if kind.tag_for(belonging.MACHINE) and kind.by_course]
    tags = [tag for kind in kinds if (tag := kind.tag_for(belonging.MACHINE))]
    named = select(Tag.session_id).where(col(Tag.key).in_(tags), Tag.value == vehicle.name)
    asked = sqlalchemy.select(*SEEN).where(
        *conditions(Filter()), col(Session.kind).in_([kind.key for kind in kinds]), col(Session.id).in_(named)
    )
    rows = db.execute(asked.order_by(col(Session.started_at).desc())).all()
    best = _best(db, [row.id for row in rows], [kind.by_course[0] for kind in kinds])
    by_month: dict[date, list[Any]] = {}
    for row in rows:
        by_month.setdefault(wall_day(row).replace(day=1), []).append(row)
    loggers = [
        recorder
        for recorder in db.exec(select(Recorder).where(col(Recorder.kind).in_([kind.key for kind in kinds]))).all()
        if (recorder.setup or {}).get(belonging.MACHINE) == vehicle.name
    ]
    days = belonging.check_days(db, loggers)
    standings = [
        each
        for logger in loggers
        for each in sensor_checks.standings(
            logger, checks.of_recorder(db, logger.id or 0), days=days.get(logger.id or 0)
        )
    ]
    return Months(
        tuple(_month(first, mine, best) for first, mine in by_month.items()),
        min((each.due_at for each in standings if each.due_at is not None and each.state == "right"), default=None),
        tuple(each.words for each in standings if each.state != "right"),
    )


def _best(db: Db, ids: Sequence[int], keys: Sequence[str]) -> dict[int, float]:
    """The best lap of each session that has one."""
    asked = select(FigureValue.session_id, FigureValue.value).where(
        among(col(FigureValue.session_id), ids), col(FigureValue.key).in_(keys), col(FigureValue.value).is_not(None)
    )
    return {session_id: float(value) for session_id, value in db.exec(asked).all() if value is not None}


def _month(first: date, rows: Sequence[Any], best: dict[int, float]) -> Month:
    fastest: dict[str, BestLap] = {}
    for row in rows:
        seconds = best.get(row.id)
        if not row.course or seconds is None:
            continue
        if row.course not in fastest or seconds < fastest[row.course].seconds:
            fastest[row.course] = BestLap(row.course, seconds, row.id)
    return Month(
        first,
        len(rows),
        sum(row.length_s for row in rows) / 3600,
        sum(row.verdict == Verdict.ABOVE.value for row in rows),
        sum(row.verdict == Verdict.ACTION.value for row in rows),
        tuple(sorted(fastest.values(), key=lambda each: each.course)),
    )
