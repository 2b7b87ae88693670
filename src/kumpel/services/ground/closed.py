"""Days on which nobody works, and days on which somebody is away: nothing is planned for them, and a week is whole without them."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from datetime import date, timedelta

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line
from kumpel.services.ground import deeds, settings
from kumpel.services.ground.days import LONGEST, parts
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import person_of
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.store.database import among, tell
from kumpel.store.tables import PersonAway, now

DAY = timedelta(days=1)


def closed_days(db: Db, first: date, last: date) -> frozenset[date]:
    """The days between two on which the house is closed, as its setting says."""
    spans = (parts(line) for line in settings.value_of(db, settings.CLOSED))
    return frozenset(day for since, until, _ in spans for day in _each(max(since, first), min(until, last)))


def _each(first: date, last: date) -> Iterable[date]:
    return (first + n * DAY for n in range((last - first).days + 1))


def away_days(db: Db, people: Collection[int], first: date, last: date) -> dict[int, frozenset[date]]:
    """The days between two on which each of some people is away; who is not away at all is not in it."""
    asked = select(PersonAway).where(
        among(col(PersonAway.person_id), sorted(people)),
        col(PersonAway.removed_at).is_(None),
        col(PersonAway.since) <= last,
        col(PersonAway.until) >= first,
    )
    found: dict[int, frozenset[date]] = {}
    for row in db.exec(asked).all():
        mine = frozenset(_each(max(row.since, first), min(row.until, last)))
        found[row.person_id] = found.get(row.person_id, frozenset()) | mine
    return found


def of_person(db: Db, person_id: int) -> list[PersonAway]:
    """When somebody is and was away, the latest first."""
    deeds.ask(db, "looked at", Whom("person", person_id))
    person_of(db, person_id)
    mine = select(PersonAway).where(PersonAway.person_id == person_id, col(PersonAway.removed_at).is_(None))
    return list(db.exec(mine.order_by(col(PersonAway.since).desc(), col(PersonAway.id).desc())).all())


def note(db: Db, person_id: int, since: date, until: date, why: str = "", who: int | None = None) -> PersonAway:
    """Somebody is away from a day to a day, both counted. InvalidError when it ends before it begins, or after ten years."""
    deeds.ask(db, "away noted", Whom("person", person_id))
    person_of(db, person_id)
    if not since <= until <= since + LONGEST:
        raise InvalidError("The last day away lies before the first, or ten years after it.", field="until")
    row = PersonAway(person_id=person_id, since=since, until=until, why=clean_line(why)[:80], made_by=who)
    db.add(row)
    db.flush()
    after = {"since": since.isoformat(), "until": until.isoformat()}
    deeds.keep(db, "away noted", Whom("person", person_id), after=after, who=who)
    tell(db, "plan")
    db.commit()
    db.refresh(row)
    return row


def remove(db: Db, away_id: int, who: int | None = None) -> None:
    """Take it back: the row stays, marked."""
    row = db.get(PersonAway, away_id)
    if row is None or row.removed_at is not None:
        raise NotFoundError("This is not on record.")
    deeds.ask(db, "away taken back", Whom("person", row.person_id))
    row.removed_at = now()
    db.add(row)
    before = {"since": row.since.isoformat(), "until": row.until.isoformat()}
    deeds.keep(db, "away taken back", Whom("person", row.person_id), before, who=who)
    tell(db, "plan")
    db.commit()
