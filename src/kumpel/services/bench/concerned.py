"""The sessions that a check puts in doubt: those since it was passed last; and what somebody decides about them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line
from kumpel.services.ground import deeds, doubts, sensor_checks
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.store.database import among, tell
from kumpel.store.tables import Person, Recorder, SensorCheck, Session, now

MOST = 200
ASKED = timedelta(days=90)
"""So long something that was not passed is asked about."""


@dataclass(frozen=True)
class Concerned:
    """A session in doubt: whose, when, whether it is signed off."""

    id: int
    person: str
    started_at: datetime
    utc_offset_min: int
    signed: bool


@dataclass(frozen=True)
class Asked:
    """Checks of a recorder that were not passed, or by which a sensor had moved too far, with the sessions since they were passed last;
    `follows` is what was decided about them, empty as long as nobody did. `holds`: their figures are held although nobody said so."""

    recorder: Recorder
    what: str
    checks: tuple[int, ...]
    words: tuple[str, ...]
    sessions: tuple[Concerned, ...]
    follows: str
    why: str
    holds: bool


def asked(db: Db, recorder: Recorder, rows: Sequence[SensorCheck]) -> list[Asked]:
    """What a recorder's checks (all of them) ask about; nothing where no session is concerned."""
    found = []
    for what in sorted({row.what for row in rows}):
        chains = _open_chains([row for row in rows if row.what == what], recorder)
        chains = {sensor: chain for sensor, chain in chains.items() if now() - chain[-1].at < ASKED}
        if not chains:
            continue
        mine = [row for chain in chains.values() for row in chain]
        since = min((_before(rows, chain[0]) for chain in chains.values()), key=lambda at: at.timestamp())
        sessions = _sessions(db, recorder, since, max(row.at for row in mine))
        if not sessions:
            continue
        told = [sensor_checks.told_by(db, recorder, _last(rows, chain[0]), chain[0]) for chain in chains.values()]
        said = [each for each in told if each is not None]
        follows = {row.follows for row in mine}
        found.append(
            Asked(
                recorder,
                what,
                tuple(row.id or 0 for row in mine),
                tuple(each.words for each in said),
                tuple(sessions),
                follows.pop() if len(follows) == 1 else "",
                next((row.follows_why for row in mine if row.follows_why), ""),
                any(each.held for each in said),
            )
        )
    return found


def _open_chains(rows: Sequence[SensorCheck], recorder: Recorder) -> dict[str, list[SensorCheck]]:
    """By sensor, the checks that speak against it since it was passed last. One that moved too far and was passed closes its own chain."""
    found: dict[str, list[SensorCheck]] = {}
    last: dict[str, SensorCheck] = {}
    for row in sorted(rows, key=lambda each: each.at):
        speaks = not row.passed or sensor_checks.has_moved(recorder, last.get(row.sensor), row)
        before = last.get(row.sensor)
        closed = before is None or before.passed
        if speaks:
            found[row.sensor] = [row] if closed else [*found.get(row.sensor, []), row]
        last[row.sensor] = row
    return found


def _last(rows: Sequence[SensorCheck], check: SensorCheck) -> SensorCheck | None:
    same = (row for row in rows if (row.what, row.sensor) == (check.what, check.sensor) and row.at < check.at)
    return max(same, key=lambda row: row.at, default=None)


def _before(rows: Sequence[SensorCheck], check: SensorCheck) -> datetime:
    last = _last(rows, check)
    return doubts.EVER if last is None else last.at


def _sessions(db: Db, recorder: Recorder, since: datetime, until: datetime) -> list[Concerned]:
    rows = db.exec(
        select(Session, Person.name)
        .outerjoin(Person, col(Session.person_id) == Person.id)
        .where(
            Session.recorder_id == recorder.id,
            Session.state == "stored",
            Session.aside == "",
            col(Session.deleted_at).is_(None),
            Session.started_at >= since,
            Session.started_at < until,
        )
        .order_by(col(Session.started_at).desc())
        .limit(MOST)
    ).all()
    return [
        Concerned(row.id or 0, name or "", row.started_at, row.utc_offset_min, row.signed_at is not None)
        for row, name in rows
    ]


def decide(db: Db, check_ids: Sequence[int], follows: str, why: str, who: int | None) -> None:
    """Hold the figures of the sessions before checks that were not passed, accept them for a reason, or (empty) take that back.

    Of sessions that come in later it holds as well; signed ones stay as they were signed.
    """
    words = clean_line(why)
    if follows == sensor_checks.FOLLOWS_ACCEPTED and not words:
        raise InvalidError("Accepting them needs a reason.", field="why")
    if len(words) > 200:
        raise InvalidError("At most 200 characters.", field="why")
    rows = db.exec(select(SensorCheck).where(among(col(SensorCheck.id), check_ids)).with_for_update()).all()
    if len(rows) != len(set(check_ids)):
        raise NotFoundError("This check is not on record.")
    for row in rows:
        whom = Whom("recorder", row.recorder_id)
        deeds.ask(db, "doubt decided", whom)
        before = {"check": row.id, "follows": row.follows, "why": row.follows_why}
        row.follows, row.follows_why, row.follows_by = follows, words, who
        db.add(row)
        doubts.look_again(db, row)
        deeds.keep(db, "doubt decided", whom, before, {"check": row.id, "follows": follows, "why": words}, who)
    doubts.renew(db)
    tell(db, "bench")
    db.commit()
