"""What was changed and when: typed once, for one person, for a team, or for a place and whoever has sessions there."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from sqlmodel import Session as Db
from sqlmodel import col, func, or_, select

from kumpel.core.names import clean_line
from kumpel.services.ground import deeds, people
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.store.database import tell
from kumpel.store.tables import Intervention, Session, Tag, Team, now


@dataclass(frozen=True)
class Wish:
    """Something that was changed on a day: for one of a person, a team (by name) or a place."""

    day: date
    words: str
    person_id: int | None = None
    team: str = ""
    place: str = ""


def note(db: Db, wish: Wish, who: int | None = None) -> Intervention:
    """Put it on record. InvalidError names what is missing or too much."""
    deeds.ask(db, "intervention noted", _whom(wish))
    words, place = clean_line(wish.words).strip(), clean_line(wish.place).strip()
    if not words:
        raise InvalidError("Say what was changed.", field="words")
    if sum((wish.person_id is not None, bool(wish.team.strip()), bool(place))) != 1:
        raise InvalidError("It is for one of: a person, a team, a place.", field="place")
    if place:
        place = _as_tagged(db, place)
    team = None
    if wish.team.strip():
        team = db.exec(select(Team).where(Team.name == wish.team.strip())).first()
        if team is None:
            raise NotFoundError("There is no team of that name.")
    if wish.person_id is not None:
        people.person_of(db, wish.person_id)
    row = Intervention(
        day=wish.day,
        words=words[:120],
        person_id=wish.person_id,
        team_id=team.id if team else None,
        place=place[:200],
        noted_by=who,
    )
    db.add(row)
    db.flush()
    deeds.keep(
        db, "intervention noted", Whom("intervention", row.id), after={"day": str(row.day), "words": words}, who=who
    )
    tell(db, "people")
    db.commit()
    return row


def _as_tagged(db: Db, place: str) -> str:
    """A place as sessions are tagged with it, however it is capitalised. InvalidError when none is: it would touch nobody, and nobody would see."""
    asked = select(Tag.value).where(Tag.key == "place", func.lower(col(Tag.value)) == place.lower()).limit(1)
    found = db.exec(asked).first()
    if found is None:
        raise InvalidError(
            f"No session is tagged with the place “{place[:60]}”. Write it as sessions are tagged; nothing was noted.",
            field="place",
        )
    return found


def _whom(wish: Wish) -> Whom:
    if wish.person_id is not None:
        return Whom("person", wish.person_id)
    return Whom("team", wish.team) if wish.team else Whom("place", wish.place)


def of_person(db: Db, person_id: int) -> list[Intervention]:
    """What touches somebody, oldest first: their own, their team's, and those of places they have sessions of."""
    person = people.person_of(db, person_id)
    places = (
        select(func.lower(col(Tag.value)))
        .join(Session, col(Session.id) == Tag.session_id)
        .where(Session.person_id == person_id, Tag.key == "place", col(Session.deleted_at).is_(None))
    )
    mine = select(Intervention).where(
        col(Intervention.removed_at).is_(None),
        or_(
            Intervention.person_id == person_id,
            col(Intervention.team_id).is_not(None) & (Intervention.team_id == person.team_id),
            (col(Intervention.place) != "") & func.lower(col(Intervention.place)).in_(places),
        ),
    )
    return list(db.exec(mine.order_by(col(Intervention.day), col(Intervention.id))).all())


def remove(db: Db, intervention_id: int, who: int | None = None) -> None:
    """Take back what was noted by mistake."""
    _turn(db, intervention_id, removed=True, who=who)


def bring_back(db: Db, intervention_id: int, who: int | None = None) -> None:
    _turn(db, intervention_id, removed=False, who=who)


def _turn(db: Db, intervention_id: int, *, removed: bool, who: int | None) -> None:
    row = db.get(Intervention, intervention_id)
    if row is None:
        raise NotFoundError("This is not on record.")
    what = "intervention removed" if removed else "intervention brought back"
    deeds.ask(db, what, Whom("intervention", row.id))
    row.removed_at = now() if removed else None
    db.add(row)
    deeds.keep(db, what, Whom("intervention", row.id), after={"day": str(row.day), "words": row.words}, who=who)
    tell(db, "people")
    db.commit()
