"""How the sensors of a recorder stand with their checks at a moment: what was overdue, failed, never made."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Any, Literal

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.check_rules import DRIFT_DECIMALS, DriftAllowed
from kumpel.core.rounding import shown
from kumpel.kinds.registry import KINDS
from kumpel.kinds.sensors import Watched
from kumpel.services.ground import settings
from kumpel.services.ground.carriers import carriers
from kumpel.store.database import among
from kumpel.store.tables import Recorder, SensorCheck, now

CALIBRATION, PROOF, REPLACED = "calibration", "proof", "replaced"
BEGINS_ANEW = (CALIBRATION, PROOF, REPLACED)
"""These speak of the same thing: the newest of them tells whether a sensor measures right."""
FOLLOWS_HELD, FOLLOWS_ACCEPTED = "held", "accepted"
"""What somebody decided about the sessions before a check that was not passed; nothing: not yet."""
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
    follows: str
    follows_why: str


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
    same = BEGINS_ANEW if each.check == CALIBRATION else (each.check, REPLACED)
    mine = sorted((r for r in rows if r.what in same and r.sensor == each.sensor), key=lambda r: r.at)

    def standing(state: State, words: str, due_at: datetime | None = None) -> Standing:
        return Standing(each.check, each.sensor, each.label, state, mine[-1].at if mine else None, due_at, words)

    if not mine:
        return standing("never", f"{each.label}: never {_done(each)}")
    last = mine[-1]
    if last.what == REPLACED:
        return standing("never", f"{each.label}: sensor replaced {day(last.at)}, not {_done(each)} since")
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


@dataclass(frozen=True)
class Wrong:
    """Something that was wrong with a sensor of a recorder when a session was recorded. `code` names it to a review, `check` is the one
    that tells of it where it was made afterwards.

    `held`: it stops the verdicts of the figures of its sensor until somebody accepts it.
    """

    code: str
    sensor: str
    words: str
    held: bool
    check: int | None = None


def wrong_at(db: Db, recorder: Recorder | None, at: datetime) -> list[Wrong]:
    """What was wrong with the checks of a recorder when a session was recorded; and which of them was failed the next time it was made,
    or had moved too far by then: since when the sensor had not measured right nobody knows.

    Nothing is said of a sensor of which no check is on record: it may have been checked where Kumpel was not told.
    """
    if recorder is None or recorder.id is None:
        return []
    before, after = _around(db, recorder.id, at)
    holds = settings.value_of(db, settings.OVERDUE_FIGURES, kind=recorder.kind) == settings.HELD
    found = standings(recorder, before, at, carriers().check_days(db, [recorder]).get(recorder.id))
    said = [
        Wrong(f"check-{s.state}.{s.check}.{s.sensor}", s.sensor, s.words, holds)
        for s in found
        if s.state in ("overdue", "failed") or (s.state == "never" and s.at is not None)
    ]
    last = {(row.what, row.sensor): row for row in before}
    told = (_told_after(recorder, last.get((row.what, row.sensor)), row, holds) for row in after)
    return said + [each for each in told if each is not None]


def _around(db: Db, recorder_id: int, at: datetime) -> tuple[list[SensorCheck], list[SensorCheck]]:
    """Of each check the last one until a moment, and the first one after it."""
    one = (col(SensorCheck.what), col(SensorCheck.sensor))
    mine = select(SensorCheck).where(SensorCheck.recorder_id == recorder_id).distinct(*one)
    before = mine.where(SensorCheck.at <= at).order_by(*one, col(SensorCheck.at).desc())
    after = mine.where(SensorCheck.at > at).order_by(*one, col(SensorCheck.at))
    return list(db.exec(before).all()), list(db.exec(after).all())


def _told_after(recorder: Recorder, last: SensorCheck | None, row: SensorCheck, holds: bool) -> Wrong | None:
    """What the first check after a session tells against it: it was failed, or the sensor had moved too far since the last one."""
    moved = _moved(recorder, last, row)
    if moved is not None:
        allowed, by = moved
        words = (
            f"{_label(recorder, row)}: moved by {shown(by, DRIFT_DECIMALS, '+')} {row.unit} from {day(last.at) if last else ''} to "
            f"{day(row.at)}, {allowed.most:g} {row.unit} allowed ({allowed.source})"
        )
    elif not row.passed:
        words = f"{_label(recorder, row)}: failed {day(row.at)}, the next time it was made"
    else:
        return None
    held = row.follows == FOLLOWS_HELD or (row.follows == "" and (moved is not None or holds))
    if row.follows == FOLLOWS_ACCEPTED:
        words += f"; accepted: {row.follows_why}"
    return Wrong(f"check-after.{row.what}.{row.sensor}.{row.id}", row.sensor, words, held, row.id)


def told_by(db: Db, recorder: Recorder, last: SensorCheck | None, row: SensorCheck) -> Wrong | None:
    """What a check tells against the sessions between the one before and it; None where it speaks for them."""
    holds = settings.value_of(db, settings.OVERDUE_FIGURES, kind=recorder.kind) == settings.HELD
    return _told_after(recorder, last, row, holds)


def has_moved(recorder: Recorder, last: SensorCheck | None, row: SensorCheck) -> bool:
    return _moved(recorder, last, row) is not None


def _moved(recorder: Recorder, last: SensorCheck | None, row: SensorCheck) -> tuple[DriftAllowed, float] | None:
    """By how much a sensor moved from a check to the next, where that is more than its kind allows."""
    kind = KINDS.get(recorder.kind)
    allowed = next((each.drift for each in kind.bench if each.key == row.what), None) if kind else None
    if allowed is None or last is None or None in (last.applied, last.read, row.applied, row.read):
        return None
    left, found = float(last.read or 0.0) - float(last.applied or 0.0), float(row.read or 0.0)
    found = (found if row.before is None else row.before) - float(row.applied or 0.0)
    by = allowed.too_far(left, found)
    return None if by is None else (allowed, by)


def _label(recorder: Recorder, row: SensorCheck) -> str:
    kind = KINDS.get(recorder.kind)
    watched = kind.watched(recorder.setup) if kind and kind.watched else ()
    label = next((w.label for w in watched if (w.check, w.sensor) == (row.what, row.sensor)), "")
    if label or kind is None:
        return label or f"{row.sensor}, {row.what}"
    word = next((each for each in kind.bench if each.key == row.what), None)
    name = word.label if word else row.what.capitalize()
    return name if not row.sensor or word else f"{row.sensor}, {row.what}"
