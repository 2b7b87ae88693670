"""The weeks ahead: who is due by when and on which day, how many recorders that takes and how many are there, what is free now."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta

from sqlmodel import Session as Db
from sqlmodel import col, or_, select

from kumpel.kinds.registry import KINDS
from kumpel.services.ground import closed, sensor_checks
from kumpel.services.ground.deeds import Whom, ask
from kumpel.services.ground.problems import NotFoundError
from kumpel.services.plan import due as reckoned
from kumpel.services.plan import rules
from kumpel.services.plan.due import Due, Move, Wanted
from kumpel.services.recorders import bays
from kumpel.services.register.session_list import Filter, conditions
from kumpel.store.database import among
from kumpel.store.tables import HandOver, Medicine, Person, PlanDay, PlanRule, Recorder, SensorCheck, Session, Team

WEEKS = 6
AS_FAR = timedelta(days=400)
"""So far ahead days of absence are looked at."""
LATE_BACK_DAYS = 3
"""A recorder that should be back already is counted on again so many days from now."""
SOON = timedelta(days=14)


@dataclass(frozen=True)
class Item:
    """Somebody who is due under a rule: the day it is planned for, and whether somebody chose that day; the recorder that is free for
    it now, where the day has come."""

    rule_id: int
    person_id: int
    name: str
    team: str
    kind: str
    due: Due
    day: date
    chosen: bool
    moved_to: date | None
    recorder: Recorder | None
    out: str
    """The recorder that is with them already; empty where none is."""


@dataclass(frozen=True)
class RuleRow:
    """A rule with how far it is: people that are done, due and late, and measurements that count."""

    rule: PlanRule
    who: str
    words: str
    people: int
    done: int
    due: int
    overdue: int
    measured: int
    wanted: int


@dataclass(frozen=True)
class KindRow:
    """A kind over the days: recorders in all and those there to give, and how many are wanted."""

    kind: str
    recorders: int
    there: tuple[int, ...]
    wanted: tuple[int, ...]


@dataclass(frozen=True)
class CheckDue:
    """A check or calibration of a recorder that is due, or was."""

    recorder_id: int
    token: str
    kind: str
    sensor: str
    label: str
    on: date
    overdue: bool
    words: str


@dataclass(frozen=True)
class Plan:
    today: date
    days: tuple[date, ...]
    rules: tuple[RuleRow, ...]
    kinds: tuple[KindRow, ...]
    items: tuple[Item, ...]
    checks: tuple[CheckDue, ...]
    moves: tuple[Move, ...] = field(default=())


def ahead(db: Db, today: date, weeks: int = WEEKS) -> Plan:
    """The plan from today on. Only what is signed off and assessable counts as done."""
    days = tuple(today + timedelta(days=n) for n in range(weeks * 7))
    ask(db, "looked at", Whom("plan", None))
    by_rule = _stands(db, rules.rules(db), today, len(days))
    rows = [_rule_row(rule, who, [each.due for each in mine]) for rule, who, mine in by_rule]
    late = [each for _, _, mine in by_rule for each in mine if each.due.state != "done"]
    chosen = {(row.rule_id, row.person_id): row.day for row in db.exec(select(PlanDay)).all() if row.day >= today}
    shut = _closed(db, {each.person.id or 0 for each in late}, today)
    recorders = list(db.exec(select(Recorder).order_by(col(Recorder.token))).all())
    out = _out(db)
    there = _there(recorders, out, days, today)
    wanted = [
        Wanted(
            each.key,
            each.rule.kind,
            chosen.get(each.key) or reckoned.proposed_day(each.due, today, shut[each.person.id or 0]),
            each.due.first,
            each.due.last,
            shut[each.person.id or 0],
        )
        for each in late
    ]
    moves = reckoned.moves([each for each in wanted if each.key not in chosen], _left(there, wanted, chosen), today)
    to = {move.key: move.day for move in moves}
    items = _with_recorders(db, late, wanted, to, chosen, recorders, out, today)
    kinds = [
        KindRow(
            key,
            sum(recorder.kind == key for recorder in recorders),
            tuple(there[key][day] for day in days),
            tuple(sum(each.kind == key and each.day == day for each in wanted) for day in days),
        )
        for key in KINDS
        if any(recorder.kind == key for recorder in recorders) or any(each.kind == key for each in wanted)
    ]
    return Plan(
        today,
        days,
        tuple(rows),
        tuple(kinds),
        tuple(items),
        tuple(_checks(db, recorders, today, days[-1])),
        tuple(moves),
    )


@dataclass(frozen=True)
class Stand:
    """Somebody under a rule."""

    rule: PlanRule
    person: Person
    team: str
    due: Due

    @property
    def key(self) -> tuple[int, int]:
        return self.rule.id or 0, self.person.id or 0


def _stands(
    db: Db, wanted: Sequence[tuple[PlanRule, str]], today: date, horizon_days: int, person_id: int | None = None
) -> list[tuple[PlanRule, str, list[Stand]]]:
    """Each rule, whom it is for in a word, and how everybody (or one person) stands under it. Recorders are not asked for."""
    found = [rule for rule, _ in wanted]
    people = _people(db, found, person_id)
    measured = _measured(db, {person.id or 0 for whose in people.values() for person, _ in whose})
    changes = _changes(db, people, found)
    return [
        (
            rule,
            who,
            [
                Stand(rule, person, team, due)
                for person, team in people[rule.id or 0]
                if (due := _due(rule, person, measured, changes, today, horizon_days)) is not None
            ],
        )
        for rule, who in wanted
    ]


def overdue(db: Db, today: date) -> int:
    """How many people are late under some rule. It stands beside the line on every screen: nothing else is worked out for it."""
    ask(db, "looked at", Whom("plan", None))
    stands = _stands(db, rules.rules(db), today, WEEKS * 7)
    return len({each.person.id for _, _, mine in stands for each in mine if each.due.state == "overdue"})


def of_person(db: Db, person_id: int, today: date) -> list[tuple[PlanRule, str, Due]]:
    """How somebody stands under each rule that is for them."""
    ask(db, "looked at", Whom("person", person_id))
    stands = _stands(db, rules.rules(db), today, WEEKS * 7, person_id)
    return [(rule, rules.words(rule), each.due) for rule, _, mine in stands for each in mine]


MOST_PRINTED = 200


def unprinted(db: Db, rule_id: int, today: date) -> list[int]:
    """The signed sessions of a rule's people and kind, of the time that it looks back over, that stand on no report yet; oldest first.
    NotFoundError when there is no such rule."""
    ask(db, "looked at", Whom("plan", None))
    rule = next((rule for rule, _ in rules.rules(db) if rule.id == rule_id), None)
    if rule is None:
        raise NotFoundError("This rule is not in the plan any more.")
    people = tuple(person.id or 0 for person, _ in _people(db, [rule])[rule_id])
    if not people:
        return []
    since = datetime.combine(today - timedelta(days=rule.every_days), time.min).astimezone()
    wanted = Filter(kind=rule.kind, people=people, since=since, standing="unreported")
    mine = select(Session.id).where(*conditions(wanted)).order_by(col(Session.started_at))
    return [found or 0 for found in db.exec(mine.limit(MOST_PRINTED)).all()]


def _people(db: Db, wanted: Sequence[PlanRule], person_id: int | None = None) -> dict[int, list[tuple[Person, str]]]:
    """Whom each rule is for (one person alone, where one is named), with their team."""
    only = [] if person_id is None else [Person.id == person_id]
    teams = {rule.team_id for rule in wanted if rule.team_id is not None}
    ids = {rule.person_id for rule in wanted if rule.person_id is not None}
    rows = db.exec(
        select(Person, Team.name)
        .outerjoin(Team, col(Team.id) == Person.team_id)
        .where(
            *only,
            col(Person.deleted_at).is_(None),
            or_(among(col(Person.team_id), teams), among(col(Person.id), ids)),
        )
        .order_by(col(Person.name), col(Person.id))
    ).all()
    found: dict[int, list[tuple[Person, str]]] = {}
    for rule in wanted:
        mine = [
            (person, team or "")
            for person, team in rows
            if person.id == rule.person_id
            or (rule.team_id is not None and person.team_id == rule.team_id and not person.is_place)
        ]
        found[rule.id or 0] = mine
    return found


def _measured(db: Db, people: set[int]) -> dict[tuple[int, str], list[date]]:
    """The days on which something that counts was recorded, by person and kind."""
    rows = db.execute(
        select(Session.person_id, Session.kind, Session.started_at, Session.utc_offset_min).where(
            *conditions(Filter(standing="signed")),
            among(col(Session.person_id), people),
            Session.verdict != "not assessable",
        )
    ).all()
    found: dict[tuple[int, str], list[date]] = {}
    for person, kind, started, offset in rows:
        found.setdefault((person, kind), []).append((started + timedelta(minutes=offset)).date())
    return found


def _changes(
    db: Db, people: Mapping[int, Sequence[tuple[Person, str]]], wanted: Sequence[PlanRule]
) -> dict[int, list[date]]:
    """The days on which the medicines of people changed, for rules that begin with that."""
    ids = {p.id or 0 for rule in wanted if rule.after == rules.MEDICINE for p, _ in people[rule.id or 0]}
    if not ids:
        return {}
    mine = select(Medicine).where(among(col(Medicine.person_id), ids), col(Medicine.removed_at).is_(None))
    found: dict[int, list[date]] = {}
    for row in db.exec(mine).all():
        found.setdefault(row.person_id, []).extend(day for day in (row.since, row.until) if day is not None)
    return found


def _due(
    rule: PlanRule,
    person: Person,
    measured: Mapping[tuple[int, str], Sequence[date]],
    changes: Mapping[int, Sequence[date]],
    today: date,
    horizon_days: int,
) -> Due | None:
    days = measured.get((person.id or 0, rule.kind), ())
    if rule.after == rules.MEDICINE:
        since = [day for day in changes.get(person.id or 0, ()) if day >= rule.starts]
        return reckoned.after(since, days, rule.every_days, today, horizon_days)
    return reckoned.every(days, rule.count, rule.every_days, rule.starts, today, horizon_days)


def _rule_row(rule: PlanRule, who: str, stands: Sequence[Due]) -> RuleRow:
    return RuleRow(
        rule,
        who,
        rules.words(rule),
        len(stands),
        sum(due.state == "done" for due in stands),
        sum(due.state == "due" for due in stands),
        sum(due.state == "overdue" for due in stands),
        sum(min(due.done, rule.count) for due in stands),
        rule.count * len(stands),
    )


def _closed(db: Db, people: set[int], today: date) -> dict[int, frozenset[date]]:
    """The days on which nothing can be planned for each: the house is closed, or they are away."""
    house = closed.closed_days(db, today, today + AS_FAR)
    away = closed.away_days(db, people, today, today + AS_FAR)
    return {person: house | away.get(person, frozenset()) for person in people}


def _out(db: Db) -> dict[int, HandOver]:
    """The open hand-over of each recorder that is out."""
    return {row.recorder_id: row for row in db.exec(select(HandOver).where(col(HandOver.returned_at).is_(None))).all()}


def _there(
    recorders: Sequence[Recorder], out: Mapping[int, HandOver], days: Sequence[date], today: date
) -> dict[str, dict[date, int]]:
    """How many recorders of each kind are there to give on each day: not those that need a hand, nor those that are out by then."""
    found = {key: dict.fromkeys(days, 0) for key in KINDS}
    for recorder in recorders:
        if recorder.trouble or recorder.kind not in found:
            continue
        given = out.get(recorder.id or 0)
        back = today if given is None else _back(given, today)
        for day in days:
            found[recorder.kind][day] += day >= back
    return found


def _back(given: HandOver, today: date) -> date:
    """The first day on which a recorder that is out can be given again."""
    expected = given.expected_at.astimezone().date() if given.expected_at else None
    if expected is None or expected < today:
        return today + timedelta(days=LATE_BACK_DAYS)
    return expected + timedelta(days=1)


def _left(
    there: Mapping[str, Mapping[date, int]], wanted: Sequence[Wanted], chosen: Mapping[tuple[int, int], date]
) -> dict[str, dict[date, int]]:
    """What is left when those whose day somebody chose have theirs."""
    left = {kind: dict(days) for kind, days in there.items()}
    for each in wanted:
        if each.key in chosen and each.day in left.get(each.kind, {}):
            left[each.kind][each.day] -= 1
    return left


def _with_recorders(
    db: Db,
    late: Sequence[Stand],
    wanted: Sequence[Wanted],
    to: Mapping[tuple[int, int], date],
    chosen: Mapping[tuple[int, int], date],
    recorders: Sequence[Recorder],
    out: Mapping[int, HandOver],
    today: date,
) -> list[Item]:
    """By day, then by who is latest; whose day has come gets a recorder that is ready and empty, while there is one."""
    by_id = {recorder.id: recorder for recorder in recorders}
    with_them = {(given.person_id, by_id[i].kind): by_id[i].token for i, given in out.items() if i in by_id}
    ready = [
        r for r in recorders if r.in_reach and not r.trouble and r.id not in out and r.status.get("mode") == "ready"
    ]
    full = bays.not_taken_in(db, ready) if ready else {}
    free = [recorder for recorder in ready if not full.get(recorder.serial)]
    order = sorted(
        zip(late, wanted, strict=True), key=lambda pair: (pair[1].day, pair[0].due.deadline, pair[0].person.name)
    )
    found = []
    for stand, each in order:
        holds = with_them.get((stand.person.id or 0, stand.rule.kind), "")
        mine = None
        if each.day <= today and not holds:
            mine = next((recorder for recorder in free if recorder.kind == stand.rule.kind), None)
            if mine is not None:
                free.remove(mine)
        found.append(
            Item(
                *stand.key,
                stand.person.name,
                stand.team,
                stand.rule.kind,
                stand.due,
                each.day,
                stand.key in chosen,
                to.get(stand.key),
                mine,
                holds,
            )
        )
    return found


def _checks(db: Db, recorders: Sequence[Recorder], today: date, last: date) -> list[CheckDue]:
    """Checks and calibrations that are due within the weeks ahead, the latest first."""
    made: dict[int, list[SensorCheck]] = {}
    for row in db.exec(select(SensorCheck).order_by(col(SensorCheck.at).desc())).all():
        made.setdefault(row.recorder_id, []).append(row)
    found = []
    for recorder in recorders:
        for each in sensor_checks.standings(recorder, made.get(recorder.id or 0, [])):
            on = each.due_at.astimezone().date() if each.due_at else None
            if each.state == "right" and (on is None or on > last):
                continue
            if each.state == "never" and on is None:
                continue
            found.append(
                CheckDue(
                    recorder.id or 0,
                    recorder.token,
                    recorder.kind,
                    each.sensor,
                    each.label,
                    on or today,
                    each.state != "right",
                    each.words,
                )
            )
    return sorted(found, key=lambda each: (each.on, each.token))


def here_today() -> date:
    """The day on the wall here."""
    return datetime.now().astimezone().date()
