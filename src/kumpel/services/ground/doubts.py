"""What is doubted of a session because of the checks of its recorder, as an input of its figures; and which sessions that concerns anew."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import func, literal
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session as Db
from sqlmodel import col, delete, select, update

from kumpel.core.assessment import BothWays
from kumpel.core.review import Doubt
from kumpel.kinds.registry import KINDS
from kumpel.services.ground.as_json import for_store
from kumpel.services.ground.sensor_checks import Wrong, wrong_at
from kumpel.store.database import tell
from kumpel.store.tables import DoubtDue, Recorder, Result, SensorCheck, Session, metadata

EVER = datetime.fromtimestamp(0, UTC)


def of_session(db: Db, session: Session) -> tuple[Doubt, ...]:
    """What stops verdicts of a session until a person accepts it."""
    recorder = db.get(Recorder, session.recorder_id) if session.recorder_id else None
    return tuple(_doubt(session.kind, each) for each in wrong_at(db, recorder, session.started_at) if each.held)


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
    db.connection().execute(due.on_conflict_do_update(index_elements=["recorder_id"], set_={"since": earliest}))


def renew(db: Db) -> int:
    """Put the unsigned sessions in line of which something else is doubted now than when their figures were computed; how many. Commits."""
    count = 0
    for recorder_id in db.exec(select(DoubtDue.recorder_id)).all():
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
        db.add(DoubtDue(recorder_id=recorder_id, since=since))
    rows = db.exec(select(Session).where(*mine, Session.figures == "assessed")).all()
    changed = [row.id for row in rows if for_store(of_session(db, row)) != _doubted(db, row)]
    if changed:
        still = (col(Session.id).in_(changed), col(Session.signed_at).is_(None))
        db.exec(update(Session).where(*still).values(figures="waiting"))
        tell(db, "sessions")
    return len(changed)


def _doubted(db: Db, session: Session) -> list[object]:
    """What was doubted when the newest figures of a session were computed."""
    newest = (
        select(Result.decisions)
        .where(Result.session_id == session.id, Result.basis == "as reviewed")
        .order_by(col(Result.id).desc())
        .limit(1)
    )
    found = db.exec(newest).first()
    return list((found or {}).get("doubts", []))
