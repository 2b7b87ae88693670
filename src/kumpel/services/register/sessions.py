"""The register of sessions: find, file under somebody, tag, shift, delete with a way back."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import Engine
from sqlmodel import Session as Db
from sqlmodel import col, delete

from kumpel.kinds.registry import KINDS
from kumpel.services.ground import deeds, figures
from kumpel.services.ground.carriers import carriers
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import owner_of
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.ground.recordings import locked_session, session_of
from kumpel.services.ground.tags import tags_of
from kumpel.services.register.session_list import report_numbers
from kumpel.services.take_in.arrival import shift_clock
from kumpel.services.take_in.take_in import ROTTEN, is_whole
from kumpel.store import samples
from kumpel.store.database import tell
from kumpel.store.tables import Person, Recorder, Session, Tag, now


@dataclass(frozen=True)
class SessionRow:
    """A session with whom and what it belongs to."""

    session: Session
    person: Person | None
    recorder: Recorder | None
    tags: dict[str, str]
    report: str


def row_of(db: Db, session: Session) -> SessionRow:
    person = db.get(Person, session.person_id) if session.person_id else None
    recorder = db.get(Recorder, session.recorder_id) if session.recorder_id else None
    row = session.id or 0
    return SessionRow(
        session, person, recorder, tags_of(db, [row]).get(row, {}), report_numbers(db, [row]).get(row, "")
    )


def change(db: Db, session_id: int, changes: dict[str, Any]) -> Session:
    """Give to somebody (or to nobody), tag, note, shift the clock, bring in from aside."""
    deeds.ask(db, "session changed", Whom("session", session_id))
    session = locked_session(db, session_id)
    before = _facts(db, session)
    limits_before = carriers().limit_set_id(db, session)
    if session.signed_at is not None and changes.keys() - {"note"}:
        raise ConflictError("This session is signed off. Open it again before changing it.", code="signed")
    if "person_id" in changes:
        given = changes["person_id"]
        session.person_id = owner_of(db, given, KINDS.get(session.kind)).id if given else None
    if "note" in changes:
        session.note = changes["note"]
    if "clock_shift_s" in changes:
        if not abs(changes["clock_shift_s"]) <= 366 * 86_400:
            raise InvalidError("A session can be shifted by a year at most.")
        shift_clock(session, changes["clock_shift_s"])
    if "tags" in changes:
        # Only those that are named: somebody else may be writing another one.
        db.exec(delete(Tag).where(col(Tag.session_id) == session_id, col(Tag.key).in_(changes["tags"])))
        for key, value in changes["tags"].items():
            if value.strip():
                db.add(Tag(session_id=session_id, key=key, value=value.strip()[:200]))
    if "aside" in changes:
        session.aside = changes["aside"]
    db.add(session)
    db.flush()
    other_limits = "tags" in changes and carriers().limit_set_id(db, session) != limits_before
    if (
        not session.aside
        and session.signed_at is None
        and (changes.keys() & {"clock_shift_s", "aside"} or other_limits)
    ):
        figures.refresh(db, session)
    after = _facts(db, session)
    changed = {key for key in after if after[key] != before[key]}
    if changed:
        deeds.keep(
            db,
            "session changed",
            Whom("session", session_id),
            {key: before[key] for key in changed},
            {key: after[key] for key in changed},
        )
    tell(db, "sessions", session=session_id)
    db.commit()
    db.refresh(session)
    return session


def shift_together(db: Db, ids: Sequence[int], back: bool) -> list[int]:
    """Move sessions that were recorded under a wrong clock to where they belong, or back to what the recorder said; all or none.

    Each by the error its recorder's clock had when it was taken in. Signed ones and those whose clock is not known stay; gives those
    that moved. Their figures are for workers to compute, however many they are.
    """
    moved = []
    # In one order, so that two who move the same ones do not wait for each other.
    for session_id in sorted(set(ids)):
        session = locked_session(db, session_id)
        if session.signed_at is not None or session.clock_error_s is None:
            continue
        wished = 0.0 if back else -session.clock_error_s
        if session.clock_shift_s == wished:
            continue
        whom = Whom("session", session_id)
        deeds.ask(db, "session changed", whom)
        before = {"clock_shift_s": session.clock_shift_s}
        shift_clock(session, wished)
        if not session.aside:
            session.figures, session.failure, session.begun = figures.WAITING, "", 0
        db.add(session)
        deeds.keep(db, "session changed", whom, before, {"clock_shift_s": wished})
        tell(db, "sessions", session=session_id)
        moved.append(session_id)
    db.commit()
    return moved


def _facts(db: Db, session: Session) -> dict[str, Any]:
    """What of a session can be changed by hand."""
    facts = session.model_dump(include={"person_id", "note", "clock_shift_s", "aside"})
    return facts | {"tags": tags_of(db, [session.id]).get(session.id or 0, {})}


def delete_session(db: Db, session_id: int) -> Session:
    """Take a session off the lists; it can be brought back, and does not come back by itself at the next take-in."""
    return _marked(db, session_id, "session deleted", now())


def restore_session(db: Db, session_id: int) -> Session:
    return _marked(db, session_id, "session brought back", None)


def _marked(db: Db, session_id: int, what: str, deleted_at: datetime | None) -> Session:
    deeds.ask(db, what, Whom("session", session_id))
    session = locked_session(db, session_id)
    session.deleted_at = deleted_at
    db.add(session)
    deeds.keep(db, what, Whom("session", session_id))
    tell(db, "sessions", session=session.id)
    db.commit()
    db.refresh(session)
    return session


def original(store: Engine, session_id: int) -> Iterator[bytes]:
    """The recording file as it came, bit for bit.

    Its hash is checked before the first byte: ConflictError when the stored copy is rotten. Connections are short, one for
    each few items, however slowly they are taken. Should the copy change meanwhile, the last piece is not given:
    DamagedError, so that whoever reads knows that the file is not whole.
    """
    with Db(store) as db:
        session = session_of(db, session_id)
        wanted, name = session.sha256, session.recorder_session
        if not is_whole(db, session):
            raise ConflictError(
                f"The stored copy of {name} is damaged: {ROTTEN}. If it is still on the recorder, take it in again."
            )
    return _pieces(store, session_id, wanted)


class DamagedError(Exception):
    """A stored file changed while it was given out; what was given is not whole."""


def _pieces(store: Engine, session_id: int, wanted: bytes) -> Iterator[bytes]:
    digest, last, held = hashlib.sha256(), -1, b""
    while True:
        with Db(store) as db:
            rows = samples.read_batch(db, session_id, last)
        if not rows:
            break
        if held:
            yield held
        held, last = b"".join(raw for _, raw in rows), rows[-1][0]
        digest.update(held)
    if digest.digest() != wanted:
        raise DamagedError(ROTTEN)
    yield held


def wall_start(session: Session) -> datetime:
    """The start of a session by the wall clock of its recorder, to the nearest second: starts lie on fractions of one."""
    return session.started_at.astimezone(UTC) + timedelta(minutes=session.utc_offset_min, seconds=0.5)


def file_name(row: SessionRow) -> str:
    """What a session's file is called: day, person, recorder, session."""
    local = wall_start(row.session)
    parts = (f"{local:%Y-%m-%d}", row.person.name if row.person else "", row.session.recorder_session)
    return " ".join(p for p in parts if p) + ".krec"
