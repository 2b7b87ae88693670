"""Marks set on the wall ("blast", "door open", somebody called): stored at once with the server's time, beside the recordings of that time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlmodel import Session as Db
from sqlmodel import col, or_, select

from kumpel.core.names import clean_line
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import InvalidError
from kumpel.store.database import tell
from kumpel.store.tables import Account, HandOver, Person, Recorder, Session, WallMark

LONGEST = 120


@dataclass(frozen=True)
class Marked:
    """A mark: when, what, of which recorder and person (none: of all who were out), who set it; the session it lies in, once that is here."""

    id: int
    at: datetime
    text: str
    token: str
    person: str
    by: str
    session_id: int | None = None


@dataclass(frozen=True)
class Beside:
    """A mark beside a recording, in s after its start by the recorder's corrected clock."""

    at_s: float
    text: str
    by: str


def keep(db: Db, text: str, recorder_id: int | None = None) -> WallMark:
    """Keep a mark of a recorder and of who wears it now; without one it is of everybody who is out."""
    deeds.ask(db, "mark set", Whom("recorder", recorder_id))
    words = clean_line(text)
    if not 0 < len(words) <= LONGEST:
        raise InvalidError(f"A mark says something, in {LONGEST} signs at the most.", field="text")
    worn = None
    if recorder_id is not None:
        open_now = select(HandOver).where(HandOver.recorder_id == recorder_id, col(HandOver.returned_at).is_(None))
        worn = db.exec(open_now).first()
        if worn is None and db.get(Recorder, recorder_id) is None:
            raise InvalidError("This recorder is not on record.", field="recorder_id")
    row = WallMark(
        text=words, recorder_id=recorder_id, person_id=worn.person_id if worn else None, made_by=deeds.actor(db)
    )
    db.add(row)
    db.flush()
    deeds.keep(db, "mark set", Whom("recorder", recorder_id), after={"text": words})
    tell(db, "marks")
    db.commit()
    return row


def newest(db: Db, limit: int = 50) -> list[Marked]:
    """The newest marks; each with the session that it lies in, as far as that was taken in."""
    rows = db.exec(
        select(WallMark, Recorder.token, Person.name, Account.name)
        .outerjoin(Recorder, col(WallMark.recorder_id) == Recorder.id)
        .outerjoin(Person, col(WallMark.person_id) == Person.id)
        .outerjoin(Account, col(WallMark.made_by) == Account.id)
        .order_by(col(WallMark.at).desc(), col(WallMark.id).desc())
        .limit(limit)
    ).all()
    found = []
    for mark, token, person, by in rows:
        session = _session_of(db, mark) if mark.recorder_id is not None else None
        found.append(Marked(mark.id or 0, mark.at, mark.text, token or "", person or "", by or "", session))
    return found


def beside(db: Db, session: Session) -> list[Beside]:
    """The marks of the time of a session: of its recorder, and those of everybody who was out."""
    begins = true_start(session)
    ends = begins + timedelta(seconds=session.length_s)
    mine = or_(WallMark.recorder_id == session.recorder_id, col(WallMark.recorder_id).is_(None))
    rows: Sequence[tuple[WallMark, str | None]] = db.exec(
        select(WallMark, Account.name)
        .outerjoin(Account, col(WallMark.made_by) == Account.id)
        .where(mine, WallMark.at >= begins, WallMark.at <= ends)
        .order_by(col(WallMark.at))
    ).all()
    return [Beside((mark.at - begins).total_seconds(), mark.text, by or "") for mark, by in rows]


def true_start(session: Session) -> datetime:
    """When a session began by the server's clock: what its recorder said, less the error that its clock had, as far as that is known and
    was not put right already."""
    if session.clock_shift_s or session.clock_error_s is None:
        return session.started_at
    return session.started_at - timedelta(seconds=session.clock_error_s)


def _session_of(db: Db, mark: WallMark) -> int | None:
    around = select(Session).where(
        Session.recorder_id == mark.recorder_id,
        Session.state == "stored",
        col(Session.deleted_at).is_(None),
        Session.started_at <= mark.at + timedelta(days=1),
        Session.started_at >= mark.at - timedelta(days=32),
    )
    for session in db.exec(around).all():
        begins = true_start(session)
        if begins <= mark.at <= begins + timedelta(seconds=session.length_s):
            return session.id
    return None
