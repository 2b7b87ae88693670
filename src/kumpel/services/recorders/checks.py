"""The store of checks: what was checked on which sensor of a recorder, typed here or told by the recorder itself."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line
from kumpel.link.abilities import CheckMade
from kumpel.services.ground import deeds, doubts
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.ground.sensor_checks import CheckRow
from kumpel.store.database import tell
from kumpel.store.tables import Account, Recorder, SensorCheck, metadata, now

MOST_TOLD = 5000
"""A recorder that tells of more checks than this tells nothing that anybody reads."""


def of_recorder(db: Db, recorder_id: int) -> list[CheckRow]:
    """All checks of a recorder, newest first."""
    found = db.exec(
        select(SensorCheck, Account.name)
        .outerjoin(Account, col(SensorCheck.made_by) == Account.id)
        .where(SensorCheck.recorder_id == recorder_id)
        .order_by(col(SensorCheck.at).desc(), col(SensorCheck.id).desc())
    ).all()
    return [
        CheckRow(**row.model_dump(exclude={"recorder_id", "made_by", "follows_by"}), by=name or "")
        for row, name in found
    ]


def keep(db: Db, recorder: Recorder, made: SensorCheck) -> SensorCheck:
    """Keep a check, in the transaction of the caller."""
    assert recorder.id is not None
    made.recorder_id, made.made_by = recorder.id, made.made_by or deeds.actor(db)
    db.add(made)
    db.flush()
    doubts.look_again(db, made)
    tell(db, "recorders")
    return made


def add(db: Db, recorder: Recorder, wish: dict[str, Any]) -> CheckRow:
    """Keep a check that was made elsewhere, such as in a laboratory. InvalidError says what is wrong with it."""
    deeds.ask(db, "check kept", Whom("recorder", recorder.id))
    what, at, due_at = clean_line(str(wish["what"])), wish["at"], wish.get("due_at")
    if not what:
        raise InvalidError("Say what was checked, such as laboratory check.", field="what")
    if at > now() + timedelta(minutes=5):
        raise InvalidError("A check cannot have been made in the future.", field="at")
    if due_at is not None and due_at <= at:
        raise InvalidError("The next check is due after this one.", field="due_at")
    try:
        made = keep(db, recorder, SensorCheck(recorder_id=0, **(wish | {"what": what})))
    except IntegrityError as error:
        db.rollback()
        raise ConflictError("This check is on record already, at this very time. Nothing was kept twice.") from error
    after = {"what": what, "sensor": made.sensor, "passed": made.passed, "certificate": made.certificate}
    deeds.keep(db, "check kept", Whom("recorder", recorder.id), after=after)
    db.commit()
    return of_recorder(db, recorder.id or 0)[0]


def told(db: Db, recorder: Recorder, made: Sequence[CheckMade]) -> None:
    """Keep what a recorder tells of its own checks; what is known already is not kept twice. The caller commits."""
    if recorder.id is None or not made:
        return
    mine = select(SensorCheck.what, SensorCheck.sensor, SensorCheck.at).where(SensorCheck.recorder_id == recorder.id)
    if len(rows := db.exec(mine).all()) > MOST_TOLD:
        return
    known = {(what, sensor, round(at.timestamp(), 3)) for what, sensor, at in rows}
    for each in made:
        key = (each.check, each.sensor, round(each.at, 3))
        if key in known:
            continue
        known.add(key)
        facts = each.model_dump(exclude={"check", "at"})
        at = datetime.fromtimestamp(round(each.at, 3), UTC)
        made_here = SensorCheck(recorder_id=recorder.id, what=each.check, at=at, **facts)
        # Somebody else may be asking the same recorder just now, and keep the same check.
        row = insert(metadata.tables["sensor_check"]).values(**made_here.model_dump(exclude={"id"}))
        db.connection().execute(row.on_conflict_do_nothing())
        doubts.look_again(db, made_here)
