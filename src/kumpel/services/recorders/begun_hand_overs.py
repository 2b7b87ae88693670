"""Hand-overs that were begun: kept before a recorder is written, so that one cut off in the middle can be finished or forgotten.

The id of a hand-over is written into the recorder together with its settings, in one call: when it is there, everything is.
"""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from sqlmodel import Session as Db
from sqlmodel import col, delete, select

from kumpel.services.ground.problems import ConflictError, NotFoundError
from kumpel.services.recorders import holdings
from kumpel.store import locks
from kumpel.store.tables import HandOver, Person, Recorder, Setup, Writing, now

OnIt = Literal["all of it", "nothing of it", "not known"]


@dataclass(frozen=True)
class Unfinished:
    """A hand-over that was cut off: to whom, when, and what of it is on the recorder."""

    id: uuid.UUID
    person_id: int
    person: str
    begun_at: datetime
    on_it: OnIt


def take_hold(db: Db, recorder: Recorder) -> None:
    """Nobody else hands this recorder out until the transaction ends. ConflictError when somebody does just now."""
    if not locks.try_for_transaction(db, locks.HAND_OUT, recorder.id or 0):
        raise ConflictError(f"Somebody else is handing {recorder.token} out just now.")


def unfinished(db: Db, recorder: Recorder) -> Unfinished | None:
    """The newest hand-over of this recorder that was begun and is not on record; None while one is being made just now."""
    row = db.exec(
        select(Writing).where(Writing.recorder_id == recorder.id).order_by(col(Writing.begun_at).desc()).limit(1)
    ).first()
    if row is None or recorder.id in locks.held_elsewhere(db, locks.HAND_OUT):
        return None
    person = db.get_one(Person, row.person_id)
    return Unfinished(row.id, row.person_id, person.name, row.begun_at, _on_it(recorder, row))


def _on_it(recorder: Recorder, row: Writing) -> OnIt:
    if not recorder.in_reach or "_slip" not in recorder.setup:
        return "not known"
    return "all of it" if recorder.setup["_slip"].get("hand_over") == str(row.id) else "nothing of it"


def writing_of(db: Db, writing_id: uuid.UUID) -> Writing:
    row = db.get(Writing, writing_id)
    if row is None:
        raise NotFoundError("This hand-over is finished, or was forgotten.")
    return row


def as_hand_over(row: Writing) -> HandOver:
    """The slip that was to be made."""
    return HandOver(
        id=row.id,
        recorder_id=row.recorder_id,
        person_id=row.person_id,
        setup_id=row.setup_id,
        given_at=row.begun_at,
        given_by=row.begun_by,
        expected_at=row.expected_at,
        tags=row.tags,
        instead_of=row.instead_of,
    )


def settle(db: Db, given: HandOver) -> None:
    """A slip goes on record: whatever was begun with its recorder is done or void, and the recorder that it takes the place of counts
    as brought back. The caller commits."""
    db.exec(delete(Writing).where(col(Writing.recorder_id) == given.recorder_id))
    first = db.get(HandOver, given.instead_of) if given.instead_of else None
    if first is not None and first.returned_at is None:
        first.returned_at = max(now(), first.given_at)
        db.add(first)


def settings_of(db: Db, row: Writing) -> holdings.Holdings:
    return db.get_one(Setup, row.setup_id).settings
