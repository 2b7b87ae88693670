"""The store of checks: what was checked on which sensor of a recorder, and what is due."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from typing import Any, Literal

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line
from kumpel.kinds.registry import KINDS
from kumpel.kinds.sensors import Watched
from kumpel.link.abilities import CheckMade
from kumpel.services.ground import deeds
from kumpel.services.ground.carriers import carriers
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.store.database import among, tell
from kumpel.store.tables import Account, Recorder, SensorCheck, metadata, now

CALIBRATION, PROOF, REPLACED = "calibration", "proof", "replaced"
BEGINS_ANEW = (CALIBRATION, PROOF, REPLACED)
"""These speak of the same thing: the newest of them tells whether a sensor measures right."""
MOST_TOLD = 5000
"""A recorder that tells of more checks than this tells nothing that anybody reads."""
State = Literal["right", "overdue", "never", "failed"]


@dataclass(frozen=True)
class CheckRow:
    """A check with the name of who made it; `by` is empty where the recorder itself tells of it."""

    id: int
    what: str
    sensor: str
    serial: str
    points: dict[str, Any]
    applied: float | None
    before: float | None
    read: float | None
    factor: float | None
    unit: str
    type: str
    gas: str
    lot: str
    adjusted: bool
    passed: bool
    at: datetime
    due_at: datetime | None
    by: str
    certificate: str
    note: str


@dataclass(frozen=True)
class Standing:
    """How a sensor stands with a check at a moment: when it last had it, until when that holds, in words if something is wrong."""

    check: str
    sensor: str
    label: str
    state: State
    at: datetime | None
    due_at: datetime | None
    words: str


def of_recorder(db: Db, recorder_id: int) -> list[CheckRow]:
    """All checks of a recorder, newest first."""
    found = db.exec(
        select(SensorCheck, Account.name)
        .outerjoin(Account, col(SensorCheck.made_by) == Account.id)
        .where(SensorCheck.recorder_id == recorder_id)
        .order_by(col(SensorCheck.at).desc(), col(SensorCheck.id).desc())
    ).all()
    return [CheckRow(**row.model_dump(exclude={"recorder_id", "made_by"}), by=name or "") for row, name in found]


def keep(db: Db, recorder: Recorder, made: SensorCheck) -> SensorCheck:
    """Keep a check, in the transaction of the caller."""
    assert recorder.id is not None
    made.recorder_id, made.made_by = recorder.id, made.made_by or deeds.actor(db)
    db.add(made)
    db.flush()
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


def standings(
    recorder: Recorder,
    rows: Sequence[SensorCheck | CheckRow],
    at: datetime | None = None,
    days: Mapping[str, int] | None = None,
) -> list[Standing]:
    """How the sensors of a recorder stand at a moment (now): those that its kind watches, then every other check that is due once.

    `days` is for how long a calibration holds, by sensor, where its vehicle says so (`Carriers.check_days`).
    """
    at = at or now()
    before = [row for row in rows if row.at <= at]
    kind = KINDS.get(recorder.kind)
    watched = list(kind.watched(recorder.setup)) if kind and kind.watched else []
    own = days or {}
    watched = [replace(each, every_days=own.get(each.sensor, each.every_days)) for each in watched]
    found = [_standing(each, before, at) for each in watched]
    seen = {(each.check, each.sensor) for each in watched} | {(w, e.sensor) for e in watched for w in BEGINS_ANEW}
    for row in sorted(before, key=lambda r: r.at, reverse=True):
        if (row.what, row.sensor) in seen:
            continue
        seen.add((row.what, row.sensor))
        if row.due_at is not None:
            label = f"{row.sensor}, {row.what}" if row.sensor else row.what.capitalize()
            found.append(_standing(Watched(row.what, row.sensor, label, 0), before, at))
    return found


def _standing(each: Watched, rows: Iterable[SensorCheck | CheckRow], at: datetime) -> Standing:
    same = BEGINS_ANEW if each.check == CALIBRATION else (each.check,)
    mine = sorted((r for r in rows if r.what in same and r.sensor == each.sensor), key=lambda r: r.at)

    def standing(state: State, words: str, due_at: datetime | None = None) -> Standing:
        return Standing(each.check, each.sensor, each.label, state, mine[-1].at if mine else None, due_at, words)

    if not mine:
        return standing("never", f"{each.label}: never {_done(each)}")
    last = mine[-1]
    if last.what == REPLACED:
        return standing("never", f"{each.label}: sensor replaced {day(last.at)}, not calibrated since")
    if not last.passed:
        return standing("failed", f"{each.label}: failed {day(last.at)}")
    due_at = last.due_at or (last.at + timedelta(days=each.every_days) if each.every_days else None)
    if due_at is not None and due_at < at:
        return standing("overdue", f"{each.label}: due since {day(due_at)}, last {_done(each)} {day(last.at)}", due_at)
    return standing("right", "", due_at)


def _done(each: Watched) -> str:
    return "calibrated" if each.check == CALIBRATION else "done"


def day(at: datetime) -> str:
    """The day of a moment where the server stands: "3 Nov 2026"."""
    local = at.astimezone()
    return f"{local.day} {local:%b %Y}"


def overdue(db: Db, recorders: Sequence[Recorder], at: datetime | None = None) -> dict[int, list[str]]:
    """By recorder, what is wrong with its checks at a moment (now), in words."""
    ids = [r.id for r in recorders if r.id is not None]
    rows: dict[int, list[SensorCheck]] = {i: [] for i in ids}
    for row in db.exec(select(SensorCheck).where(among(col(SensorCheck.recorder_id), ids))).all():
        rows[row.recorder_id].append(row)
    days = carriers().check_days(db, recorders)
    return {
        r.id: [s.words for s in standings(r, rows[r.id], at, days.get(r.id)) if s.state != "right"]
        for r in recorders
        if r.id is not None
    }


@dataclass(frozen=True)
class Fitted:
    """A sensor of a recorder as it was at a moment: which one it is, when it was last calibrated before. What nobody told is empty or None."""

    sensor: str
    label: str
    type: str
    serial: str
    calibrated_at: datetime | None
    due_at: datetime | None


CALIBRATES = (CALIBRATION, "span")


def fitted_at(db: Db, recorder: Recorder | None, at: datetime) -> list[Fitted]:
    """The sensors of a recorder that anything is known of, as they were at a moment."""
    if recorder is None or recorder.id is None:
        return []
    rows = db.exec(
        select(SensorCheck)
        .where(SensorCheck.recorder_id == recorder.id, SensorCheck.at <= at, SensorCheck.sensor != "")
        .order_by(col(SensorCheck.at), col(SensorCheck.id))
    ).all()
    kind = KINDS.get(recorder.kind)
    every = {
        each.sensor: each.every_days
        for each in (kind.watched(recorder.setup) if kind and kind.watched else ())
        if each.check in CALIBRATES
    }
    found: dict[str, Fitted] = {}
    for row in rows:
        last = found.get(row.sensor) or Fitted(row.sensor, row.sensor, "", "", None, None)
        if row.what == REPLACED:
            last = Fitted(row.sensor, row.sensor, "", "", None, None)
        last = replace(last, type=row.type or last.type, serial=row.serial or last.serial)
        if row.what in CALIBRATES and row.passed:
            days = every.get(row.sensor)
            due_at = row.due_at or (row.at + timedelta(days=days) if days else None)
            last = replace(last, calibrated_at=row.at, due_at=due_at)
        found[row.sensor] = last
    return list(found.values())


def wrong_at(db: Db, recorder: Recorder | None, at: datetime) -> list[str]:
    """What was wrong with the checks of a recorder when a session was recorded, in words; and which of them was failed the next time it
    was made: since when the sensor had not measured right nobody knows.

    Nothing is said of a sensor of which no check is on record: it may have been checked where Kumpel was not told.
    """
    if recorder is None or recorder.id is None:
        return []
    rows = db.exec(select(SensorCheck).where(SensorCheck.recorder_id == recorder.id)).all()
    found = standings(recorder, rows, at, carriers().check_days(db, [recorder]).get(recorder.id))
    said = [s.words for s in found if s.state in ("overdue", "failed") or (s.state == "never" and s.at is not None)]
    return said + [
        words for row in _first_after(rows, at) if not row.passed and (words := _failed_after(recorder, row))
    ]


def _first_after(rows: Sequence[SensorCheck], at: datetime) -> list[SensorCheck]:
    """Of each check the first one after a moment."""
    found: dict[tuple[str, str], SensorCheck] = {}
    for row in sorted(rows, key=lambda each: each.at):
        if row.at > at:
            found.setdefault((row.what, row.sensor), row)
    return list(found.values())


def _failed_after(recorder: Recorder, row: SensorCheck) -> str:
    kind = KINDS.get(recorder.kind)
    watched = kind.watched(recorder.setup) if kind and kind.watched else ()
    label = next((w.label for w in watched if (w.check, w.sensor) == (row.what, row.sensor)), "")
    label = label or (f"{row.sensor}, {row.what}" if row.sensor else row.what.capitalize())
    return f"{label}: failed {day(row.at)}, the next time it was made"
