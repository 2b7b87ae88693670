"""Taking in on contact: where a house wants it, what is new on a recorder comes in without a press. Nothing is cleared by it."""

from __future__ import annotations

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.services.ground import settings
from kumpel.services.recorders import bays
from kumpel.services.take_in import take_in
from kumpel.services.take_in.take_in import Starter, Wish
from kumpel.store.tables import HandOver, Recorder, Session


def is_wanted(db: Db, recorder: Recorder) -> bool:
    """Whether recorders of its kind, where it stands, are taken in on contact."""
    held = settings.chosen(db)
    if settings.value_in(held, settings.CONTACT, kind=recorder.kind) != settings.ON_CONTACT:
        return False
    docks = [line.casefold() for line in settings.value_in(held, settings.CONTACT_DOCKS, kind=recorder.kind)]
    dock, _, _ = str(recorder.status.get("place", "")).partition(",")
    return not docks or dock.strip().casefold() in docks


def is_trusted(db: Db, recorder: Recorder) -> bool:
    """Whether somebody handed it out, or took something of it in by hand: whatever else shows up in the network waits for a person."""
    given = select(HandOver.id).where(HandOver.recorder_id == recorder.id)
    taken = select(Session.id).where(Session.recorder_id == recorder.id, col(Session.taken_in_by).is_not(None))
    return db.exec(given.limit(1)).first() is not None or db.exec(taken.limit(1)).first() is not None


def take_in_new(db: Db, recorder: Recorder, start: Starter) -> list[int]:
    """Begins with everything new that is worth it, once each; the numbers of its sessions. What was stopped, deleted or kept aside here
    stays as it is, and so does a recorder that is not in order."""
    if not recorder.in_reach or recorder.trouble or not is_wanted(db, recorder):
        return []
    new = bays.worth_taking_in(db, recorder)
    if not new or not is_trusted(db, recorder):
        return []
    return take_in.begin(db, [Wish(recorder.id or 0, name) for name in new], None, start)
