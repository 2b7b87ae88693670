"""What a number of a limit set does to the sessions on record: how many lie where, of how many people, from stored figures alone.

Nothing is computed anew and no verdict changes. A limit that is moved is counted by whoever moves it, from the distinct values
(`Scale`), so that no step of a drag has to be asked for; whom it hits is a question of its own (`hit`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time

from sqlalchemy import text
from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.core.assessment import Rule, Step
from kumpel.kinds.limit_sets import limit_set_from
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import deeds, limits
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import NotFoundError
from kumpel.store.tables import LimitSetRow, Result, Vehicle

MOST_NAMED = 12
Counts = list[tuple[float, int]]


@dataclass(frozen=True)
class Scale:
    """The sessions of a year on the scale of one figure.

    `values`: each value that was stated and how many sessions have it; `extremes`: the highest of each person (the lowest, where
    the steps lead down) and how many people have it. `unknown` counts sessions that could not be judged by this figure.
    """

    figure: str
    key: str
    unit: str
    values: Counts = field(default_factory=list)
    extremes: Counts = field(default_factory=list)
    unknown: int = 0


@dataclass(frozen=True)
class Measured:
    """Everything that is known of a set: sessions and people since a day, a scale a rule, the share measured."""

    since: date
    sessions: int
    people: int
    signed: int
    scales: list[Scale]
    shares: Counts


@dataclass(frozen=True)
class InUse:
    """The key of the usual set of each kind, and how many vehicles have a set of their own, by its key."""

    usual: dict[str, str]
    vehicles: dict[str, int]


@dataclass(frozen=True)
class Hit:
    """A person or place of whom so many more sessions (fewer, when negative) would reach a step; `others`: some reach it either way."""

    person_id: int
    name: str
    more: int
    others: bool


_MINE = """s.kind = :kind and s.state = 'stored' and s.deleted_at is null and s.aside = '' and s.started_at >= :since"""
_FIGURES = "session s join figure_value f on f.session_id = s.id and f.key = any(:keys) and f.kind = :kind"
_KNOWN = "f.value is not null and f.verdict <> 'not assessable'"


def measured(db: Db, limit_set_id: int, since: date) -> Measured:
    """Every rule of a set over the sessions of its kind since a day. NotFoundError when the set is not on record."""
    deeds.ask(db, "limits looked at", Whom("limit set", limit_set_id))
    row = _row(db, limit_set_id)
    rules = limit_set_from(row.data).rules
    asked = {"kind": row.kind, "since": _begin(since)}
    connection = db.connection()
    whole = connection.execute(
        text(f"""select coalesce(sum(n), 0)::int, count(person_id), coalesce(sum(signed), 0)::int from (
            select person_id, count(*) as n, count(signed_at) as signed from session s where {_MINE} group by 1) mine"""),
        asked,
    ).one()
    keys = _keys(db, row, rules)
    counted = _counted(db, asked, keys)
    scales = [
        Scale(
            rule.figure,
            key,
            rule.unit,
            counted.values.get(key, []),
            (counted.lowest if rule.steps[0].below else counted.highest).get(key, []),
            counted.unknown.get(key, 0),
        )
        for rule, key in zip(rules, keys, strict=True)
    ]
    shares = connection.execute(
        text(f"select floor(f.coverage * 100 + 1e-7), count(*) from {_FIGURES} where {_MINE} group by 1 order by 1"),
        asked | {"keys": keys[:1]},
    ).all()
    return Measured(since, whole[0], whole[1], whole[2], scales, [(float(v), int(n)) for v, n in shares])


@dataclass
class _Counted:
    """By key of a figure: sessions by value, people by their highest and by their lowest, how many could not be judged."""

    values: dict[str, Counts] = field(default_factory=dict)
    highest: dict[str, Counts] = field(default_factory=dict)
    lowest: dict[str, Counts] = field(default_factory=dict)
    unknown: dict[str, int] = field(default_factory=dict)


def _counted(db: Db, asked: dict[str, object], keys: Sequence[str]) -> _Counted:
    """One pass over the figures of all rules."""
    rows = db.connection().execute(
        text(f"""with found as materialized (
            select f.key, f.value, s.person_id, {_KNOWN} as known, count(*) as n
            from {_FIGURES} where {_MINE} group by 1, 2, 3, 4),
        extremes as (
            select key, max(value) as high, min(value) as low from found
            where known and person_id is not null group by key, person_id)
        select 'values', key, value, sum(n) from found where known group by key, value
        union all select 'highest', key, high, count(*) from extremes group by key, high
        union all select 'lowest', key, low, count(*) from extremes group by key, low
        union all select 'unknown', key, 0, sum(n) from found where not known group by key
        order by 1, 2, 3"""),
        asked | {"keys": list(dict.fromkeys(keys))},
    )
    found = _Counted()
    for part, key, value, count in rows:
        if part == "unknown":
            found.unknown[key] = int(count)
        else:
            getattr(found, part).setdefault(key, []).append((float(value), int(count)))
    return found


def _keys(db: Db, row: LimitSetRow, rules: Sequence[Rule]) -> list[str]:
    """The keys under which the figures of the rules are kept: a figure counted in a way of its own has a name of its own there,
    which the newest result that was held against the set knows."""
    versions = select(LimitSetRow.id).where(LimitSetRow.key == row.key)
    for result in db.exec(
        select(Result).where(col(Result.limit_set_id).in_(versions)).order_by(col(Result.id).desc()).limit(1)
    ):
        judged = {
            (each["figure"], _counted_how(each)): judgement["figure"]
            for each, judgement in zip(
                result.limits.get("rules", ()), result.content.get("judgements", ()), strict=False
            )
        }
        return [judged.get((rule.figure, tuple(sorted(rule.parameters.items()))), rule.figure) for rule in rules]
    return [rule.figure for rule in rules]


def _counted_how(rule: dict[str, object]) -> tuple[object, ...]:
    parameters = rule.get("parameters")
    return tuple(sorted(parameters.items())) if isinstance(parameters, dict) else ()


def hit(db: Db, limit_set_id: int, key: str, before: Step, after: Step, since: date) -> list[Hit]:
    """Whom a moved step hits: people and places of whom another number of sessions reaches it, most of them first.

    Only sessions between the two are looked at, and of those it hits whether any reaches it either way.
    """
    deeds.ask(db, "limits looked at", Whom("limit set", limit_set_id))
    row = _row(db, limit_set_id)
    reaches, reached = (f"f.value {_reached(step)} :{name}" for step, name in ((after, "after"), (before, "before")))
    rows = db.connection().execute(
        text(f"""with moved as (
            select s.person_id, p.name, sum(({reaches})::int - ({reached})::int) as more
            from {_FIGURES} join person p on p.id = s.person_id
            where {_MINE} and {_KNOWN} and f.value between :least and :most and ({reaches}) <> ({reached})
            group by 1, 2 order by abs(sum(({reaches})::int - ({reached})::int)) desc, p.name limit {MOST_NAMED})
        select person_id, name, more, exists (
            select from {_FIGURES} where {_MINE} and s.person_id = moved.person_id and {_KNOWN} and {reaches} and {reached})
        from moved order by abs(more) desc, name"""),
        {
            "kind": row.kind,
            "since": _begin(since),
            "keys": [key],
            "before": before.value,
            "after": after.value,
            "least": min(before.value, after.value),
            "most": max(before.value, after.value),
        },
    )
    return [Hit(*each) for each in rows]


def in_use(db: Db) -> InUse:
    """Which sets sessions are held against, where nobody chose another for one of them."""
    usual = {kind: row.key for kind in KINDS if (row := limits.usual(db, kind)) is not None}
    counted = (
        select(LimitSetRow.key, func.count())
        .join(Vehicle, col(Vehicle.limit_set_id) == LimitSetRow.id)
        .where(col(Vehicle.removed_at).is_(None))
    )
    return InUse(usual, dict(db.exec(counted.group_by(LimitSetRow.key)).all()))


def _reached(step: Step) -> str:
    return ("<" if step.below else ">") + ("" if step.beyond else "=")


def _row(db: Db, limit_set_id: int) -> LimitSetRow:
    row = db.get(LimitSetRow, limit_set_id)
    if row is None:
        raise NotFoundError("This limit set is not on record.")
    return row


def _begin(day: date) -> datetime:
    return datetime.combine(day, time()).astimezone()
