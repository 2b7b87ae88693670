"""The sessions that a failed check puts in doubt: those of its recorder since the check was passed last."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.services.ground.problems import NotFoundError
from kumpel.store.tables import BenchRun, Person, SensorCheck, Session

MOST = 200


@dataclass(frozen=True)
class Concerned:
    """A session in doubt: whose, when, whether it is signed off."""

    id: int
    person: str
    started_at: datetime
    utc_offset_min: int
    signed: bool


def sessions_since(db: Db, run_id: int) -> list[Concerned]:
    """The sessions of the recorder of a run since the last time that what failed in it was passed, the newest first; none where all passed."""
    run = db.get(BenchRun, run_id)
    if run is None:
        raise NotFoundError("This check is not on record.")
    failed = [row["sensor"] for row in run.rows if row["state"] == "failed"]
    if not failed:
        return []
    passed = dict(
        db.exec(
            select(SensorCheck.sensor, func.max(SensorCheck.at))
            .where(
                SensorCheck.recorder_id == run.recorder_id,
                SensorCheck.what == run.what,
                col(SensorCheck.sensor).in_(failed),
                col(SensorCheck.passed).is_(True),
                SensorCheck.at < run.began_at,
            )
            .group_by(col(SensorCheck.sensor))
        ).all()
    )
    # One that was never passed puts everything in doubt.
    since = None if any(sensor not in passed for sensor in failed) else min(passed.values())
    asked = (
        select(Session, Person.name)
        .outerjoin(Person, col(Session.person_id) == Person.id)
        .where(
            Session.recorder_id == run.recorder_id,
            Session.state == "stored",
            Session.aside == "",
            col(Session.deleted_at).is_(None),
            Session.started_at <= run.began_at,
        )
        .order_by(col(Session.started_at).desc())
        .limit(MOST)
    )
    if since is not None:
        asked = asked.where(Session.started_at > since)
    return [
        Concerned(row.id or 0, name or "", row.started_at, row.utc_offset_min, row.signed_at is not None)
        for row, name in db.exec(asked).all()
    ]
