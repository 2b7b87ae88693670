"""Figures that a kind follows, over the sessions of one person."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import tuple_
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.kinds.kind import Followed
from kumpel.kinds.registry import KINDS
from kumpel.services.ground.people import person_of
from kumpel.services.register.session_list import Filter, conditions
from kumpel.store.tables import FigureValue, Session


@dataclass(frozen=True)
class Point:
    """A figure of one session of a person."""

    session_id: int
    started_at: datetime
    utc_offset_min: int
    number: FigureValue


@dataclass(frozen=True)
class Trend:
    """A figure over the sessions of one person, oldest first."""

    kind: str
    figure: Followed
    points: tuple[Point, ...]


MOST_POINTS = 200


def trends_of(db: Db, person_id: int) -> list[Trend]:
    """What the kinds follow of a person, where at least two sessions have it: the newest MOST_POINTS of each."""
    person_of(db, person_id)
    followed = [(kind.key, figure) for kind in KINDS.values() for figure in kind.trends]
    asked = (
        select(FigureValue, Session.started_at, Session.utc_offset_min)
        .join(Session, col(Session.id) == FigureValue.session_id)
        .where(
            *conditions(Filter(person_id=person_id)),
            col(FigureValue.value).is_not(None),
            tuple_(col(FigureValue.kind), col(FigureValue.key)).in_([(kind, f.figure) for kind, f in followed]),
        )
        .order_by(col(Session.started_at))
    )
    points: dict[tuple[str, str], list[Point]] = {}
    for number, started_at, offset in db.exec(asked).all():
        points.setdefault((number.kind, number.key), []).append(Point(number.session_id, started_at, offset, number))
    found = [Trend(kind, f, tuple(points.get((kind, f.figure), [])[-MOST_POINTS:])) for kind, f in followed]
    return [trend for trend in found if len(trend.points) > 1]
