"""What somebody takes: kept with the person, each dose with the days it was taken, so that it can be told what held on any day."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from sqlmodel import Session as Db
from sqlmodel import col, or_, select

from kumpel.core.names import clean_line
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import person_of, somebody
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.register.sessions import wall_start
from kumpel.store.database import tell
from kumpel.store.tables import Medicine, Session, now

MOST, MOST_TIMES = 200, 8
_CLOCK = re.compile(r"([01]?[0-9]|2[0-3])[:.]([0-5][0-9])")


@dataclass(frozen=True)
class Taken:
    """A medicine as somebody notes it: its name, how much of it, when on a day, from which day on."""

    name: str
    dose: str = ""
    times: Sequence[str] = ()
    since: date | None = None


def of_person(db: Db, person_id: int) -> list[Medicine]:
    """All that is noted of somebody, what is still taken first."""
    person_of(db, person_id)
    mine = select(Medicine).where(Medicine.person_id == person_id, col(Medicine.removed_at).is_(None))
    rows = db.exec(mine.order_by(col(Medicine.name), col(Medicine.since).nulls_first(), col(Medicine.id))).all()
    return sorted(rows, key=lambda row: row.until is not None)


def during(db: Db, session: Session) -> list[Medicine]:
    """What the person of a session took on the days of its recording, by name."""
    if session.person_id is None:
        return []
    first = wall_start(session).date()
    last = (wall_start(session) + timedelta(seconds=session.length_s)).date()
    rows = db.exec(
        select(Medicine)
        .where(
            Medicine.person_id == session.person_id,
            col(Medicine.removed_at).is_(None),
            or_(col(Medicine.since).is_(None), col(Medicine.since) <= last),
            or_(col(Medicine.until).is_(None), col(Medicine.until) > first),
        )
        .order_by(col(Medicine.name), col(Medicine.since).nulls_first(), col(Medicine.id))
    ).all()
    return list(rows)


def add(db: Db, person_id: int, taken: Taken, who: int | None = None) -> Medicine:
    """Note a medicine. ConflictError when the same one is taken already: then its dose changes, or it ends."""
    deeds.ask(db, "medicine noted", Whom("person", person_id))
    somebody(db, person_id)
    good = _checked(taken)
    there = of_person(db, person_id)
    if len(there) >= MOST:
        raise InvalidError(f"{MOST} medicines of one person are noted already.")
    same = [m for m in there if m.until is None and m.name.lower() == good.name.lower()]
    if same:
        raise ConflictError(
            f"{same[0].name} {same[0].dose}".strip() + " is noted as taken. Change its dose from a day on, or end it.",
            code="same-medicine",
        )
    row = _row(person_id, good, who)
    return _kept(db, row, "medicine noted", {})


def change(db: Db, medicine_id: int, dose: str, times: Sequence[str], since: date, who: int | None = None) -> Medicine:
    """Another dose or other times from a day on; what held before stays on record until that day."""
    row = _of(db, medicine_id)
    deeds.ask(db, "medicine changed", Whom("person", row.person_id))
    good = _checked(Taken(row.name, dose, times, since))
    if row.until is not None:
        raise ConflictError(f"{row.name} is not taken any more since {row.until:%d %b %Y}.", code="ended")
    before = _facts(row)
    if row.since is not None and since <= row.since:
        row.dose, row.times, row.since = good.dose, list(good.times), since
        return _kept(db, row, "medicine changed", before)
    row.until = since
    db.add(row)
    return _kept(db, _row(row.person_id, good, who), "medicine changed", before)


def end(db: Db, medicine_id: int, until: date | None) -> Medicine:
    """The day from which it is not taken any more; nothing: it is still taken."""
    row = _of(db, medicine_id)
    deeds.ask(db, "medicine ended", Whom("person", row.person_id))
    if until is not None and row.since is not None and until < row.since:
        raise InvalidError(f"{row.name} is noted since {row.since:%d %b %Y}; it cannot end before.", field="until")
    before = _facts(row)
    row.until = until
    return _kept(db, row, "medicine ended", before)


def remove(db: Db, medicine_id: int) -> None:
    """Take back what was noted by mistake."""
    row = _of(db, medicine_id)
    deeds.ask(db, "medicine removed", Whom("person", row.person_id))
    row.removed_at = now()
    _kept(db, row, "medicine removed", _facts(row))


def words(row: Medicine) -> str:
    """What and how much: "ramipril 5 mg"."""
    return f"{row.name} {row.dose}".strip()


def _of(db: Db, medicine_id: int) -> Medicine:
    row = db.exec(select(Medicine).where(Medicine.id == medicine_id).with_for_update()).first()
    if row is None or row.removed_at is not None:
        raise NotFoundError("This medicine is not on record.")
    return row


def _checked(taken: Taken) -> Taken:
    name, dose = clean_line(taken.name), clean_line(taken.dose)
    if not 0 < len(name) <= 80:
        raise InvalidError("A medicine needs a name of up to 80 characters.", field="name")
    if len(dose) > 40:
        raise InvalidError("dose: at most 40 characters, such as 5 mg.", field="dose")
    if len(taken.times) > MOST_TIMES:
        raise InvalidError(f"times: {MOST_TIMES} at the most.", field="times")
    return replace(taken, name=name, dose=dose, times=tuple(sorted({_clock(each) for each in taken.times})))


def _clock(text: str) -> str:
    found = _CLOCK.fullmatch(text.strip())
    if found is None:
        raise InvalidError(f"times: “{clean_line(text)[:20]}” is no time of day; write it like 08:10.", field="times")
    return f"{int(found[1]):02d}:{found[2]}"


def _row(person_id: int, taken: Taken, who: int | None) -> Medicine:
    return Medicine(
        person_id=person_id,
        name=taken.name,
        dose=taken.dose,
        times=list(taken.times),
        since=taken.since,
        noted_by=who,
    )


def _facts(row: Medicine) -> dict[str, object]:
    days = {key: value.isoformat() if value else None for key, value in (("since", row.since), ("until", row.until))}
    return {"name": row.name, "dose": row.dose, "times": list(row.times), **days}


def _kept(db: Db, row: Medicine, deed: str, before: dict[str, object]) -> Medicine:
    db.add(row)
    db.flush()
    deeds.keep(db, deed, Whom("person", row.person_id), before, _facts(row))
    tell(db, "people")
    db.commit()
    db.refresh(row)
    return row
