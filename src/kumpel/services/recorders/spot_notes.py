"""Notes of what somebody read on the spot: nothing was recorded, the numbers are those that they saw, and are marked as typed."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line, clean_text
from kumpel.services.ground import deeds
from kumpel.services.ground.decisions import is_finite
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import InvalidError
from kumpel.store.tables import Account, Recorder, SpotNote

MOST_LISTED = 100


@dataclass(frozen=True)
class Wish:
    """What was looked at (its name and unit), for how long in s, and what was read; where, and what somebody says of it."""

    what: str
    unit: str
    lowest: float
    mean: float
    highest: float
    length_s: float
    place: str = ""
    text: str = ""


@dataclass(frozen=True)
class Noted:
    id: int
    at: datetime
    place: str
    what: str
    unit: str
    lowest: float
    mean: float
    highest: float
    length_s: float
    text: str
    by: str


def keep(db: Db, recorder: Recorder, wish: Wish) -> None:
    """Keep a note. InvalidError says which number cannot be so."""
    deeds.ask(db, "spot note kept", Whom("recorder", recorder.id))
    numbers = (wish.lowest, wish.mean, wish.highest, wish.length_s)
    if not all(is_finite(each) for each in numbers) or not wish.lowest <= wish.mean <= wish.highest:
        raise InvalidError("The mean lies between the lowest and the highest.", field="mean")
    if not wish.length_s > 0:
        raise InvalidError("Nothing was looked at yet.", field="length_s")
    what = clean_line(wish.what)[:60]
    if not what:
        raise InvalidError("Say what was looked at.", field="what")
    row = SpotNote(
        recorder_id=recorder.id or 0,
        place=clean_line(wish.place)[:120],
        what=what,
        unit=clean_line(wish.unit)[:20],
        lowest=wish.lowest,
        mean=wish.mean,
        highest=wish.highest,
        length_s=wish.length_s,
        text=clean_text(wish.text)[:400],
        made_by=deeds.actor(db),
    )
    db.add(row)
    db.flush()
    deeds.keep(db, "spot note kept", Whom("recorder", recorder.id), after={"what": what, "mean": wish.mean})
    db.commit()


def of_recorder(db: Db, recorder_id: int) -> list[Noted]:
    """The notes made with a recorder, the newest first."""
    rows = db.exec(
        select(SpotNote, Account.name)
        .outerjoin(Account, col(SpotNote.made_by) == Account.id)
        .where(SpotNote.recorder_id == recorder_id)
        .order_by(col(SpotNote.at).desc(), col(SpotNote.id).desc())
        .limit(MOST_LISTED)
    ).all()
    return [Noted(**row.model_dump(exclude={"recorder_id", "made_by"}), by=by or "") for row, by in rows]
