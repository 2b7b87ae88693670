"""Which measurements a group has: those that count, those that do not and why, and who of it has none."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime
from typing import Any

import sqlalchemy
from sqlalchemy import cast, exists
from sqlalchemy.dialects.postgresql import JSONB, JSONPATH
from sqlalchemy.orm import aliased
from sqlmodel import Session as Db
from sqlmodel import col, func, or_, select

from kumpel.services.ground.deeds import Whom, ask
from kumpel.services.ground.wall import wall_day
from kumpel.services.groups.kept import GroupWish
from kumpel.services.register.session_list import Filter, conditions
from kumpel.store.database import among
from kumpel.store.tables import FigureValue, Person, Result, Session, Tag, Team

NOT_ASSESSABLE = "not assessable"
FOR_A_MOMENT = "left out for this look"
WAITS, BLOCKED, NOT_MEASURED, OTHER_RULE = (
    "not signed off yet",
    "not assessable",
    "this figure was not measured",
    "held against another rule",
)


@dataclass(frozen=True)
class Member:
    """A person of a group (or a place), as called now."""

    id: int
    name: str
    number: str
    team: str
    is_place: bool


@dataclass(frozen=True)
class Step:
    """A level of the rule that the sessions were held against."""

    value: float
    name: str
    verdict: str


@dataclass(frozen=True)
class Measured:
    """A session of a member. `why_not` is empty where it counts; `by_hand` where somebody left it out."""

    session_id: int
    person_id: int
    started_at: datetime
    utc_offset_min: int
    length_s: float
    value: float | None
    unit: str
    verdict: str
    signed: bool
    why_not: str
    by_hand: bool

    @property
    def counts(self) -> bool:
        return not self.why_not

    @property
    def day(self) -> date:
        """The day on the wall where it began."""
        return wall_day(self)


@dataclass(frozen=True)
class Measurements:
    """A group's people by name, their measurements oldest first, and the rule these were held against."""

    members: tuple[Member, ...]
    measured: tuple[Measured, ...]
    figure: str
    figure_name: str
    rule: str
    unit: str
    steps: tuple[Step, ...]

    def without(self, people: Collection[int]) -> Measurements:
        """The same, with what these people measured counting for nothing."""
        if not people:
            return self
        left = [
            replace(each, why_not=each.why_not or FOR_A_MOMENT) if each.person_id in people else each
            for each in self.measured
        ]
        return replace(self, measured=tuple(left))

    def of(self, person_id: int) -> list[Measured]:
        return [each for each in self.measured if each.person_id == person_id]


def measurements(db: Db, kind: str, wish: GroupWish) -> Measurements:
    """What a group has now. A new session of somebody in it is in at the next look."""
    rows = _sessions(db, kind, wish)
    members = _members(db, wish, {row.person_id for row in rows})
    for member in members:
        ask(db, "looked at", Whom("person", member.id))
    judged = {row.id: _judgement(row.judgements, wish.figure) for row in rows}
    lead = next((judged[row.id] for row in reversed(rows) if row.signed and judged[row.id]), None)
    lead = lead or next((judged[row.id] for row in reversed(rows) if judged[row.id]), None) or {}
    by_hand = {each.session_id: each.why for each in wish.left_out}
    found = [
        Measured(
            row.id,
            row.person_id,
            row.started_at,
            row.utc_offset_min,
            row.length_s,
            row.value,
            row.unit or "",
            row.verdict or "",
            row.signed,
            by_hand.get(row.id) or _why_not(row, judged[row.id], lead, wish),
            row.id in by_hand,
        )
        for row in rows
    ]
    unit = str(lead.get("unit") or next((each.unit for each in found if each.unit), ""))
    steps = tuple(Step(s["value"], s["name"], s["verdict"]) for s in lead.get("steps", []))
    name = next((row.figure_name for row in reversed(rows) if row.figure_name), "")
    return Measurements(tuple(members), tuple(found), wish.figure, name, str(lead.get("rule", "")), unit, steps)


def _judgement(judgements: Any, figure: str) -> dict[str, Any] | None:
    return next((each for each in judgements or [] if each.get("figure") == figure), None)


def _why_not(row: Any, judged: dict[str, Any] | None, lead: dict[str, Any], wish: GroupWish) -> str:
    if not row.signed and not wish.unsigned:
        return WAITS
    if row.value is None:
        return NOT_MEASURED
    if NOT_ASSESSABLE in (row.verdict, row.figure_verdict):
        return BLOCKED
    if judged and lead and judged.get("rule") != lead.get("rule"):
        return f"{OTHER_RULE}: {judged.get('rule')}"
    return ""


SEEN: list[Any] = [
    Session.id,
    Session.person_id,
    Session.started_at,
    Session.utc_offset_min,
    Session.length_s,
    Session.verdict,
    col(Session.signed_at).is_not(None).label("signed"),
    FigureValue.value,
    FigureValue.unit,
    col(FigureValue.verdict).label("figure_verdict"),
    col(Result.content)["judgements"].label("judgements"),
]


def _sessions(db: Db, kind: str, wish: GroupWish) -> Sequence[Any]:
    of_session = aliased(Result)
    newest = (
        select(of_session.id)
        .where(of_session.session_id == Session.id, of_session.basis == "as reviewed")
        .order_by(col(of_session.id).desc())
        .limit(1)
        .correlate(Session)
        .scalar_subquery()
    )
    named = func.jsonb_path_query_first(
        col(Result.content),
        cast("$.figures[*] ? (@.key == $k).name", JSONPATH),
        func.jsonb_build_object("k", wish.figure),
        type_=JSONB,
    )
    query = (
        sqlalchemy.select(*SEEN, named.label("figure_name"))
        .join(Person, col(Person.id) == Session.person_id)
        .outerjoin(Result, col(Result.id) == newest)
        .outerjoin(FigureValue, (col(FigureValue.session_id) == Session.id) & (FigureValue.key == wish.figure))
        .where(*conditions(Filter(kind=kind)), *_who(wish), *_which(wish))
        .order_by(col(Session.started_at), col(Session.id))
    )
    return db.execute(query).all()


def _who(wish: GroupWish) -> list[Any]:
    if wish.people:
        return [among(col(Session.person_id), wish.people)]
    of_team = select(Team.id).where(Team.name == wish.team)
    return [col(Person.team_id).in_(of_team)] if wish.team.strip() else []


def _which(wish: GroupWish) -> list[Any]:
    """The days are those on the wall where a session was recorded."""
    where: list[Any] = []
    day = func.date(
        func.timezone("UTC", Session.started_at) + func.make_interval(0, 0, 0, 0, 0, Session.utc_offset_min)
    )
    if wish.since:
        where.append(day >= wish.since)
    if wish.until:
        where.append(day <= wish.until)
    for key, value in (("task", wish.task), ("place", wish.place)):
        if value.strip():
            said = exists().where(
                col(Tag.session_id) == Session.id,
                col(Tag.key) == key,
                func.lower(col(Tag.value)) == value.strip().lower(),
            )
            where.append(said)
    return where


def _members(db: Db, wish: GroupWish, measured: set[int]) -> list[Member]:
    """The people by name; of a team everybody, measured or not; else whoever has a session that fits."""
    who = [among(col(Person.id), wish.people or [*measured])]
    if not wish.people and wish.team.strip():
        of_team = select(Team.id).where(Team.name == wish.team)
        who = [or_(col(Person.team_id).in_(of_team) & col(Person.deleted_at).is_(None), *who)]
        # "Everybody who did this there" is whoever has such a session; of a whole team one wants to see who has none.
        if wish.task.strip() or wish.place.strip():
            who = [among(col(Person.id), [*measured])]
    rows = db.exec(
        select(Person, Team.name)
        .outerjoin(Team, col(Person.team_id) == Team.id)
        .where(*who)
        .order_by(func.lower(Person.name), col(Person.id))
    ).all()
    return [Member(p.id or 0, p.name, p.number, team or "", p.is_place) for p, team in rows]
