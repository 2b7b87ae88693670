"""Whose sessions are: people, places where recorders stand; and teams."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import text
from sqlmodel import Session as Db
from sqlmodel import col, func, or_, select

from kumpel.core.names import clean_line
from kumpel.kinds.kind import Kind
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.store.database import among, tell
from kumpel.store.tables import HandOver, Person, Session, Team, now

NUMBER_PREFIX = "P"


@dataclass(frozen=True)
class PersonRow:
    """A person as registers show it."""

    person: Person
    team: str
    sessions: int
    last_session_at: Any
    has_recorder: bool


def person_of(db: Db, person_id: int) -> Person:
    person = db.get(Person, person_id)
    if person is None or person.deleted_at is not None:
        raise NotFoundError("This person is not on record.")
    return person


def somebody(db: Db, person_id: int) -> Person:
    """A person, where a place will not do. ConflictError for a place."""
    found = person_of(db, person_id)
    if found.is_place:
        raise ConflictError(f"{found.name} is a place. Nothing personal is kept of it.", code="place")
    return found


def owner_of(db: Db, person_id: int, kind: Kind | None) -> Person:
    """Whom a recorder or a session of a kind can belong to. ConflictError for a place where a recorder of that kind cannot stand."""
    found = person_of(db, person_id)
    if found.is_place and (kind is None or not kind.stands):
        what = kind.name if kind else "this"
        raise ConflictError(
            f"{found.name} is a place, and {what} is recorded of people only. Choose somebody.", code="place"
        )
    return found


def _next_number(db: Db) -> str:
    while True:
        number = f"{NUMBER_PREFIX}-{db.connection().execute(text('select nextval(:s)'), {'s': 'person_number'}).scalar_one():04d}"
        if not db.exec(select(Person.id).where(Person.number == number)).first():
            return number


def teams(db: Db) -> list[str]:
    """The names of all teams."""
    return list(db.exec(select(Team.name).order_by(col(Team.name))).all())


def team_named(db: Db, name: str) -> Team:
    found = db.exec(select(Team).where(Team.name == name)).first()
    if found:
        return found
    team = Team(name=name)
    db.add(team)
    db.flush()
    return team


def create_person(
    db: Db,
    name: str,
    *,
    number: str | None = None,
    team: str | None = None,
    is_place: bool = False,
    again: bool = False,
    **rest: Any,
) -> Person:
    """A person or a place; a name is enough. ConflictError when the number belongs to somebody (even long gone), and when somebody has
    the same name already, unless a second one is meant (`again`)."""
    deeds.ask(db, "person added", Whom("person", None))
    name = clean_line(name)
    if not name:
        raise InvalidError("A name is needed; everything else can be added later.")
    same = db.exec(
        select(Person, Team.name)
        .outerjoin(Team, col(Person.team_id) == Team.id)
        .where(func.lower(Person.name) == name.lower(), col(Person.deleted_at).is_(None))
    ).first()
    if same is not None and not again and not (number or "").strip():
        who = ", ".join(
            x for x in (same[0].number, same[1] or "", f"born {same[0].born:%d %b %Y}" if same[0].born else "") if x
        )
        raise ConflictError(
            f"{same[0].name} is on the register already ({who}). Is this the same {_word(same[0])}?", code="same-name"
        )
    number = (number or "").strip() or _next_number(db)
    taken = db.exec(select(Person).where(Person.number == number)).first()
    if taken:
        raise ConflictError(f"The number {number} belongs to {taken.name}. Numbers are never used twice.")
    known = {k: v for k, v in rest.items() if v is not None}
    if is_place:
        _nothing_personal(name, known)
    person = Person(name=name, number=number, is_place=is_place, **known)
    if team and team.strip():
        person.team_id = team_named(db, team.strip()).id
    db.add(person)
    db.flush()
    deeds.keep(db, "person added", Whom("person", person.id), after=_facts(person))
    tell(db, "people")
    db.commit()
    db.refresh(person)
    return person


def _word(person: Person) -> str:
    return "place" if person.is_place else "person"


OF_PLACES = frozenset({"name", "number", "team", "contact", "notes"})
"""What is known of a place."""


def _nothing_personal(name: str, facts: Mapping[str, Any]) -> None:
    personal = [key for key, value in facts.items() if key not in OF_PLACES and value not in (None, "")]
    if personal:
        raise InvalidError(f"{name} is a place. Nothing personal is kept of it.", field=personal[0])


def _facts(person: Person) -> dict[str, Any]:
    facts = person.model_dump(exclude={"id", "created_at", "deleted_at"})
    return facts | {"born": person.born.isoformat() if person.born else None}


def change_person(db: Db, person_id: int, changes: dict[str, Any]) -> Person:
    deeds.ask(db, "person changed", Whom("person", person_id))
    person = person_of(db, person_id)
    if person.real_name and "name" in changes:
        raise ConflictError(f"{person.name} is kept under a code. Show the name first, then change it.", code="coded")
    if person.is_place:
        _nothing_personal(person.name, changes)
    before = _facts(person)
    if "team" in changes:
        team = (changes.pop("team") or "").strip()
        person.team_id = team_named(db, team).id if team else None
    for needed in ("name", "number"):
        if needed in changes and not changes[needed].strip():
            raise InvalidError(f"The {needed} cannot be empty.")
    if "number" in changes and changes["number"] != person.number:
        taken = db.exec(select(Person).where(Person.number == changes["number"])).first()
        if taken:
            raise ConflictError(f"The number {changes['number']} belongs to {taken.name}.")
    for key, value in changes.items():
        setattr(person, key, value)
    highest, resting = person.heart_rate_highest, person.heart_rate_resting
    if highest is not None and resting is not None and highest <= resting:
        db.rollback()
        raise InvalidError(f"The highest pulse ({highest}) has to lie above the resting one ({resting}).")
    db.add(person)
    after = _facts(person)
    changed = {key for key in after if after[key] != before[key]}
    if changed:
        deeds.keep(
            db,
            "person changed",
            Whom("person", person_id),
            {key: before[key] for key in changed},
            {key: after[key] for key in changed},
        )
    tell(db, "people")
    db.commit()
    db.refresh(person)
    return person


CODE_SIGNS = "23456789ABCDEFGHJKMNPQRSTUVWXYZ"
"""Without those that look like another."""


def put_code(db: Db, person_id: int, coded: bool) -> Person:
    """Keep somebody under a made-up code, or under the name again.

    The code takes the place of the name: on screens, recorders, paper, files and in mail. The name is on the person's card alone.
    """
    deeds.ask(db, "person changed", Whom("person", person_id))
    person = somebody(db, person_id)
    if coded == bool(person.real_name):
        return person
    if coded:
        person.real_name, person.name = person.name, _new_code(db)
    else:
        person.real_name, person.name = "", person.real_name
    db.add(person)
    deeds.keep(db, "person changed", Whom("person", person_id), {"coded": not coded}, {"coded": coded})
    tell(db, "people")
    db.commit()
    db.refresh(person)
    return person


def _new_code(db: Db) -> str:
    while True:
        code = "K-" + "".join(secrets.choice(CODE_SIGNS) for _ in range(5))
        if not db.exec(select(Person.id).where(or_(Person.name == code, Person.number == code))).first():
            return code


def like(words: str) -> str:
    """A pattern that finds the words anywhere, taken literally."""
    escaped = words.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
    return f"%{escaped}%"


Which = Literal["", "people", "places"]


def list_people(
    db: Db, search: str = "", limit: int = 100, offset: int = 0, which: Which = ""
) -> tuple[list[PersonRow], int]:
    """People and places by name, with their team and number of sessions; and how many there are in all."""
    where: list[Any] = [col(Person.deleted_at).is_(None)]
    if which:
        where.append(col(Person.is_place) == (which == "places"))
    if search.strip():
        pattern = like(search.strip())
        # Teams are few: found first, so that an index finds the people.
        of_team = db.exec(select(Team.id).where(col(Team.name).ilike(pattern))).all()
        where.append(
            or_(
                col(Person.name).ilike(pattern),
                col(Person.number).ilike(pattern),
                col(Person.real_name).ilike(pattern),
                col(Person.team_id).in_(of_team),
            )
        )
    total = db.exec(select(func.count()).select_from(Person).where(*where)).one()
    found = db.exec(
        select(Person, Team.name)
        .outerjoin(Team, col(Person.team_id) == Team.id)
        .where(*where)
        .order_by(func.lower(Person.name), col(Person.id))
        .limit(limit)
        .offset(offset)
    ).all()
    ids = [p.id for p, _ in found]
    counts = {
        person: (count, last)
        for person, count, last in db.exec(
            select(Session.person_id, func.count(), func.max(Session.started_at))
            .where(among(col(Session.person_id), ids), Session.state == "stored", col(Session.deleted_at).is_(None))
            .group_by(col(Session.person_id))
        ).all()
    }
    out = set(
        db.exec(
            select(HandOver.person_id).where(among(col(HandOver.person_id), ids), col(HandOver.returned_at).is_(None))
        ).all()
    )
    rows = [
        PersonRow(p, team or "", counts.get(p.id, (0, None))[0], counts.get(p.id, (0, None))[1], p.id in out)
        for p, team in found
    ]
    return rows, total


def delete_person(db: Db, person_id: int) -> None:
    """Take a person off the register; sessions and reports stay, the number is never used again."""
    deeds.ask(db, "person removed", Whom("person", person_id))
    person = person_of(db, person_id)
    open_slip = db.exec(
        select(HandOver).where(HandOver.person_id == person_id, col(HandOver.returned_at).is_(None))
    ).first()
    if open_slip:
        raise ConflictError(f"{person.name} still has a recorder. Take it back first.")
    person.deleted_at = now()
    db.add(person)
    deeds.keep(db, "person removed", Whom("person", person_id))
    tell(db, "people")
    db.commit()
