"""What is doubted of a session because of the checks of its recorder, as an input of its figures; and which sessions that concerns anew."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import func, literal
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session as Db
from sqlmodel import col, delete, select, update

from kumpel.core.assessment import BothWays
from kumpel.core.review import Checked, Doubt
from kumpel.kinds.registry import KINDS
from kumpel.services.ground.as_json import for_store
from kumpel.services.ground.sensor_checks import Wrong, wrong_at
from kumpel.store.database import tell
from kumpel.store.tables import DoubtDue, Recorder, Result, SensorCheck, Session, metadata

EVER = datetime.fromtimestamp(0, UTC)
BESIDE = timedelta(days=1)


def of_session(db: Db, session: Session) -> tuple[Doubt, ...]:
    """What stops verdicts of a session until a person accepts it."""
    recorder = db.get(Recorder, session.recorder_id) if session.recorder_id else None
    return tuple(_doubt(session.kind, each) for each in wrong_at(db, recorder, session.started_at) if each.held)


def checks_beside(db: Db, session: Session) -> tuple[Checked, ...]:
    """The checks of its recorder nearest to a session, at most a day before its start and after its end, that stand for those of a
    recording."""
    words = {each.key for each in KINDS[session.kind].bench if each.beside}
    if not words or session.recorder_id is None:
        return ()
    begins, ends = session.started_at, session.started_at + timedelta(seconds=session.length_s)
    mine = (SensorCheck.recorder_id == session.recorder_id, col(SensorCheck.what).in_(words))
    at, of = col(SensorCheck.at), col(SensorCheck.what)
    one = select(SensorCheck).where(*mine).distinct(of)
    # One that was not passed is adjusted before the recorder is worn, or speaks for nothing; after, it was at least looked at.
    before = one.where(at <= begins, at >= begins - BESIDE, col(SensorCheck.passed)).order_by(of, at.desc())
    after = one.where(at >= ends, at <= ends + BESIDE).order_by(of, at)
    found = [*((row, row.read) for row in db.exec(before)), *((row, _found(row)) for row in db.exec(after))]
    return tuple(
        Checked(row.what, (row.at - begins).total_seconds(), row.applied, read)
        for row, read in found
        if row.applied is not None and read is not None
    )


def _found(row: SensorCheck) -> float | None:
    """What was read before anything was set."""
    return row.read if row.before is None else row.before


def _doubt(kind: str, wrong: Wrong) -> Doubt:
    figures_of = KINDS[kind].figures_of
    return Doubt(wrong.code, wrong.words, figures_of(wrong.sensor) if figures_of and wrong.sensor else ())


def only_said(db: Db, session: Session, both: BothWays | None) -> list[str]:
    """What was wrong with the checks of its recorder, in words, and stops nothing. Of a signed session, that is all that its results do not
    say: they stay as they were signed."""
    recorder = db.get(Recorder, session.recorder_id) if session.recorder_id else None
    found = wrong_at(db, recorder, session.started_at)
    told = {each.text for each in both.reviewed.quality.findings} if both else set()
    return [each.words for each in found if (session.signed_at or not each.held) and each.words not in told]


def look_again(db: Db, check: SensorCheck) -> None:
    """A check has become known, or what follows from it was decided: its recorder's sessions since the check before are looked at anew. The
    caller commits."""
    mine = (
        SensorCheck.recorder_id == check.recorder_id,
        SensorCheck.what == check.what,
        SensorCheck.sensor == check.sensor,
        SensorCheck.at < check.at,
    )
    before = select(func.coalesce(func.max(SensorCheck.at), literal(EVER))).where(*mine).scalar_subquery()
    table = metadata.tables["doubt_due"]
    due = insert(table).values(recorder_id=check.recorder_id, since=before)
    earliest = func.least(table.c.since, due.excluded.since)
    db.connection().execute(
        due.on_conflict_do_update(index_elements=["recorder_id"], set_={"since": earliest, "again": False})
    )


def renew(db: Db) -> int:
    """Put the unsigned sessions in line of which something else is doubted now than when their figures were computed; how many. Commits."""
    count = 0
    waits = select(Session.id).where(
        Session.recorder_id == DoubtDue.recorder_id, Session.state == "stored", Session.figures == "waiting"
    )
    due = select(DoubtDue.recorder_id).where(~col(DoubtDue.again) | ~waits.exists())
    for recorder_id in db.exec(due).all():
        taken = delete(DoubtDue).where(col(DoubtDue.recorder_id) == recorder_id).returning(col(DoubtDue.since))
        since = db.exec(taken).scalar_one_or_none()
        if since is not None:
            count += _renew(db, recorder_id, since)
        db.commit()
    return count


def _since(recorder_id: int, since: datetime) -> tuple[Any, ...]:
    return (
        Session.recorder_id == recorder_id,
        Session.state == "stored",
        Session.aside == "",
        col(Session.signed_at).is_(None),
        Session.started_at >= since,
    )


def _renew(db: Db, recorder_id: int, since: datetime) -> int:
    mine = _since(recorder_id, since)
    if db.exec(select(Session.id).where(*mine, Session.figures == "waiting").limit(1)).first() is not None:
        # Its figures may be computed at this moment, from what was known before: it is looked at once they are there.
        db.add(DoubtDue(recorder_id=recorder_id, since=since, again=True))
    rows = db.exec(select(Session).where(*mine, Session.figures == "assessed")).all()
    changed = [row.id for row in rows if _known(db, row) != _known_then(db, row)]
    if changed:
        still = (col(Session.id).in_(changed), col(Session.signed_at).is_(None))
        db.exec(update(Session).where(*still).values(figures="waiting"))
        tell(db, "sessions")
    return len(changed)


def _known(db: Db, session: Session) -> list[list[object]]:
    return [for_store(of_session(db, session)), for_store(checks_beside(db, session))]


def _known_then(db: Db, session: Session) -> list[list[object]]:
    """What was doubted, and checked, when the newest figures of a session were computed."""
    newest = (
        select(Result.decisions)
        .where(Result.session_id == session.id, Result.basis == "as reviewed")
        .order_by(col(Result.id).desc())
        .limit(1)
    )
    found = db.exec(newest).first()
    return [list((found or {}).get(key, [])) for key in ("doubts", "checks")]
