"""Taking in: what is new on the recorders, reading it block by block, filing it once and only once, clearing."""

from __future__ import annotations

import dataclasses
import hashlib
import io
import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, BinaryIO

from sqlalchemy import Engine, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.exc import DataError, IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.formats import krec
from kumpel.kinds.registry import KINDS, bounds_of, today
from kumpel.link.client import LinkError
from kumpel.link.errors import InUseError
from kumpel.link.messages import Piece
from kumpel.services.ground import deeds, figures
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError, ProblemError
from kumpel.services.recorders import bays
from kumpel.services.recorders.reaching import AnyLink, open_link
from kumpel.services.recorders.recorders import link_to, recorder_of, refresh
from kumpel.services.take_in.arrival import Arrival, DifferentError
from kumpel.store import locks, samples
from kumpel.store.database import among, tell
from kumpel.store.tables import Recorder, Session

CLOCK_TOLERANCE_S = 5.0
READS = 3
CLEAR_AFTER = "clear_after"
STOPPED = "stopped before its turn; nothing of it was read"
SMALLEST_PIECE = 16_384
ROTTEN = "the stored copy does not match its hash any more: it was damaged on the disk or changed outside Kumpel"
Starter = Callable[[list[int]], None]
"""Puts sessions in line to be read."""


@dataclass(frozen=True)
class Wish:
    """A session to take in, with what is already known about it."""

    recorder_id: int
    recorder_session: str
    tags: dict[str, str] = dataclasses.field(default_factory=dict)
    note: str = ""
    person_id: int | None = None
    unclaimed: bool = False
    shift_clock: bool = False
    clear_after: bool = False
    """Remove it on the recorder once it is stored and its copy was read again."""


def begin(db: Db, wishes: list[Wish], who: int | None, start: Starter) -> list[int]:
    """Put sessions on the way in; the reading itself is a job for each recorder. Asking twice changes nothing."""
    rows = [_row(db, wish, who) for wish in _asked(db, wishes)]
    if rows:
        once = insert(Session).on_conflict_do_nothing(constraint="session_once")
        # In one order, so that two who ask for the same do not wait for each other.
        db.connection().execute(once, sorted(rows, key=_key))
    there = _on_record(db, rows)
    ids: list[int] = []
    for row in rows:
        session = there[_key(row)]
        if session.purged_at is not None:
            _begin_anew(session, row)
            ids.append(session.id or 0)
        elif session.deleted_at is not None and session.state == "stored":
            session.deleted_at = None  # asked for by name: comes back
        elif session.state == "arriving":
            session.trouble = ""
            ids.append(session.id or 0)
        db.add(session)
        about = {"recorder_id": row["recorder_id"], "session": row["recorder_session"]}
        deeds.keep(db, "taken in", Whom("session", session.id), after=about, who=who)
    tell(db, "take-in")
    db.commit()
    if ids:
        start(ids)
    return ids


def _asked(db: Db, wishes: list[Wish]) -> list[Wish]:
    """Each session once: of the same asked for twice the last counts."""
    for recorder_id in {wish.recorder_id for wish in wishes}:
        deeds.ask(db, "taken in", Whom("recorder", recorder_id))
    return list({(wish.recorder_id, wish.recorder_session): wish for wish in wishes}.values())


def _row(db: Db, wish: Wish, who: int | None) -> dict[str, Any]:
    """A session as it is put on record before anything of it is read."""
    recorder = recorder_of(db, wish.recorder_id)
    listed = _by_name(recorder).get(wish.recorder_session)
    if listed is None or not listed["complete"] or not listed["sha256"]:
        raise NotFoundError(f"Session {wish.recorder_session} is not (or not yet complete) on {recorder.token}.")
    return {
        "serial": bays.made_by(recorder, listed),
        "recorder_session": listed["id"],
        "sha256": bytes.fromhex(listed["sha256"]),
        "recorder_id": recorder.id,
        "kind": today(listed.get("kind") or recorder.kind),
        "state": "arriving",
        "started_at": datetime.fromtimestamp(listed["start"], UTC),
        "length_s": listed["length_s"],
        "utc_offset_min": recorder.status.get("utc_offset_min", 0),
        "size": listed["size"],
        "received": 0,
        "trouble": "",
        "aside": "",
        "note": wish.note,
        "head": {},
        "clock_error_s": recorder.clock_error_s,
        "clock_shift_s": 0.0,
        "review_version": 0,
        "figures": figures.WAITING,
        "failure": "",
        "verdict": "",
        "verdict_step": "",
        "key_figure": "",
        "taken_in_by": who,
        "wish": {
            "tags": wish.tags,
            "person_id": wish.person_id,
            "unclaimed": wish.unclaimed,
            "shift_clock": wish.shift_clock,
            "clear_after": wish.clear_after,
        },
    }


Key = tuple[str, str, bytes]


def _key(row: Mapping[str, Any]) -> Key:
    return row["serial"], row["recorder_session"], row["sha256"]


def _on_record(db: Db, rows: Sequence[Mapping[str, Any]]) -> dict[Key, Session]:
    mine = select(Session).where(
        col(Session.serial).in_({row["serial"] for row in rows}),
        col(Session.recorder_session).in_({row["recorder_session"] for row in rows}),
        col(Session.sha256).in_({row["sha256"] for row in rows}),
    )
    return {(each.serial, each.recorder_session, each.sha256): each for each in db.exec(mine).all()}


def _by_name(recorder: Recorder) -> dict[str, dict[str, Any]]:
    return {listed["id"]: listed for listed in recorder.inventory}


def _begin_anew(session: Session, row: Mapping[str, Any]) -> None:
    """One that was removed for good is read again from its recorder, as if it had never been here."""
    for key, value in row.items():
        setattr(session, key, value)
    session.person_id = session.hand_over_id = session.taken_in_at = session.deleted_at = session.purged_at = None
    session.begun = 0


@dataclass(frozen=True)
class Turn:
    """Sessions of one recorder that are to be read: each with its size in bytes, how many bytes in a second the link carries (None: not
    known), and the machine whose port or folder it is on (empty: on a network)."""

    recorder_id: int
    sizes: dict[int, int]
    bytes_per_s: float | None
    machine: str = ""


def turns(db: Db, ids: Sequence[int]) -> list[Turn]:
    """Sessions that are to be read, by recorder; what had stopped them is over."""
    stopped = (col(Session.trouble) != "", col(Session.trouble) != STOPPED, col(Session.state) == "arriving")
    db.connection().execute(update(Session).where(col(Session.id).in_(ids), *stopped).values(trouble=""))
    db.commit()
    mine = select(Session.id, Session.size, Recorder).join(Recorder, col(Session.recorder_id) == Recorder.id)
    found: dict[int, Turn] = {}
    for session_id, size, recorder in db.exec(mine.where(among(col(Session.id), ids))).all():
        row, rate = recorder.id or 0, recorder.status.get("link", {}).get("bytes_per_s")
        found.setdefault(row, Turn(row, {}, rate, recorder.machine)).sizes[session_id or 0] = size
    return list(found.values())


def unfinished(db: Db, serial: str | None = None, stopped_too: bool = True) -> list[int]:
    """Sessions that are on the way, for going on after a cut or a restart; also those stopped by trouble, or not."""
    where = [Session.state == "arriving", Session.trouble != STOPPED]
    if not stopped_too:
        where.append(Session.trouble == "")
    wanted = select(Session.id).where(*where)
    if serial is not None:
        wanted = wanted.join(Recorder, col(Session.recorder_id) == Recorder.id).where(Recorder.serial == serial)
    return [i for i in db.exec(wanted).all() if i is not None]


def run(store: Engine, session_id: int) -> bool:
    """Take a session in and compute its figures; the first is safe whatever becomes of the second. True when it is stored."""
    stored = read_and_clear(store, session_id)
    if stored:
        figures.run(store, session_id)
    return stored


def read_and_clear(store: Engine, session_id: int) -> bool:
    """Take a session in, and clear it on its recorder where that was wished with it. True when it is stored."""
    stored = read(store, session_id)
    if stored:
        clear_if_wished(store, session_id)
    return stored


def clear_if_wished(store: Engine, session_id: int) -> bool:
    """Take-in and clearing were one wish: it goes now. What stops it (a cut, a passcode, a recorder that has gone) leaves the wish as it
    is: it is carried out when the recorder is back, cleared by hand, or taken back. Whether it is done."""
    with Db(store, expire_on_commit=False) as db:
        session = db.get(Session, session_id)
        if session is None or session.recorder_id is None or not session.wish.get(CLEAR_AFTER):
            return True
        deeds.work_for(db, session.taken_in_by)
        try:
            clear(db, session.recorder_id, [session.recorder_session])
        except NotFoundError:
            _settle_clearing(db, session.sha256)  # it is not there any more
            db.commit()
        except ProblemError:
            db.rollback()
            return False
    return True


def to_clear(db: Db, serial: str) -> list[int]:
    """Stored sessions that are to be cleared on a recorder and are not yet."""
    wished = col(Session.wish)[CLEAR_AFTER].as_boolean()
    mine = select(Session.id).join(Recorder, col(Session.recorder_id) == Recorder.id)
    found = db.exec(mine.where(Recorder.serial == serial, Session.state == "stored", wished)).all()
    return [i for i in found if i is not None]


def keep_on_recorder(db: Db, session_id: int) -> None:
    """Take the wish to clear a session on its recorder back."""
    deeds.ask(db, "clearing taken back", Whom("session", session_id))
    session = db.get(Session, session_id)
    if session is None:
        raise NotFoundError("This session is not on record.")
    if session.wish.get(CLEAR_AFTER):
        session.wish = {key: value for key, value in session.wish.items() if key != CLEAR_AFTER}
        db.add(session)
        deeds.keep(db, "clearing taken back", Whom("session", session_id))
        tell(db, "take-in")
    db.commit()


def stop(db: Db) -> int:
    """What waits for its turn stays on the recorders, until it is wished again; what is being read is read to its end."""
    deeds.ask(db, "take-in stopped", Whom("recorder", None))
    stopped = db.connection().execute(
        update(Session)
        .where(
            col(Session.state) == "arriving",
            col(Session.trouble) == "",
            col(Session.received) == 0,
            col(Session.id).not_in(locks.held_elsewhere(db, locks.TAKE_IN)),
        )
        .values(trouble=STOPPED)
    )
    deeds.keep(db, "take-in stopped", Whom("recorder", None), after={"sessions": stopped.rowcount})
    tell(db, "take-in")
    db.commit()
    return int(stopped.rowcount)


def take_all(store: Engine, recorder_id: int, stored: Callable[[int], None], smaller_than: float = math.inf) -> int:
    """Take in what was wished of a recorder, one session after the other on one link, the smallest first; how many it were.

    `stored` is told of each. What is wished meanwhile is read, too; what has `smaller_than` bytes or more, or what somebody else reads,
    is not. One process at a time reads a recorder: the lock is of this function's own connection and dies with it. Who finds it held
    leaves what is left to whoever holds it, who looks again after letting go.
    """
    tried: set[int] = set()
    done: list[int] = []
    with store.connect() as connection, Db(connection) as db, _Link() as link:
        while todo := [i for i in _wished_of(db, recorder_id, smaller_than) if i not in tried]:
            with locks.locked(db, locks.RECORDER, recorder_id) as alone:
                if not alone:
                    break
                for session_id in todo:
                    tried.add(session_id)
                    with locks.locked(db, locks.TAKE_IN, session_id) as mine:
                        if mine and _run(db, session_id, link):
                            done.append(session_id)
                            stored(session_id)
        if done:
            link.drop()  # a serial port has room for one
            refresh(db, recorder_of(db, recorder_id))
    for session_id in done:
        clear_if_wished(store, session_id)
    return len(done)


def _wished_of(db: Db, recorder_id: int, smaller_than: float) -> list[int]:
    mine = select(Session.id).where(
        Session.recorder_id == recorder_id, Session.state == "arriving", Session.trouble == ""
    )
    small = mine if math.isinf(smaller_than) else mine.where(Session.size < smaller_than)
    found = [i for i in db.exec(small.order_by(col(Session.size), col(Session.id))).all() if i is not None]
    db.commit()
    return found


class _Link:
    """The link to a recorder while several sessions are read from it: opened when one is needed, and again after it broke."""

    def __init__(self) -> None:
        self._open = ExitStack()
        self._link: AnyLink | None = None

    def __enter__(self) -> _Link:
        return self

    def __exit__(self, *error: object) -> None:
        self.drop()

    def to(self, host: str, port: int) -> AnyLink:
        if self._link is None:
            opened: AnyLink = open_link(host, port, 5.0)
            self._open.enter_context(opened)
            self._link = opened
        return self._link

    def drop(self) -> None:
        self._link = None
        with suppress(LinkError, OSError):
            self._open.close()


def read(store: Engine, session_id: int) -> bool:
    """Read a session to its end, from the last whole block on. True when it is stored.

    A cut leaves everything read so far and a sentence in `trouble`. Only one process works on a session at a time:
    the lock belongs to this function's own connection and dies with it.
    """
    with (
        store.connect() as connection,
        Db(connection) as db,
        locks.locked(db, locks.TAKE_IN, session_id) as mine,
        _Link() as link,
    ):
        done = mine and _run(db, session_id, link)
        session = db.get(Session, session_id)
        if done and session is not None and session.recorder_id is not None:
            link.drop()
            refresh(db, recorder_of(db, session.recorder_id))
        return done


def _run(db: Db, session_id: int, link: _Link) -> bool:
    session = db.get(Session, session_id)
    if session is None or session.state == "stored" or session.recorder_id is None:
        return session is not None
    if session.trouble == STOPPED:
        return False
    session_id = session.id or 0
    recorder = recorder_of(db, session.recorder_id)
    if not _may_begin(db, session):
        return False
    under_way.add(session_id)
    broken_off.add(session_id)  # until the database has heard the opposite
    try:
        done = _all_of(db, session, recorder, link)
        _ended(db, session_id)
    finally:
        under_way.discard(session_id)
    return done


MOST_BEGUN = 2
"""A reading that ended the process twice at the same byte is not begun a third time: it would end every start."""
BEGUN_AT = "begun_at"
"""In a session's wish, the byte from which it was read on when that was begun last."""
under_way: set[int] = set()
broken_off: set[int] = set()
"""Sessions that this process reads just now, and those that something (the database) left it with half done."""


def _may_begin(db: Db, session: Session) -> bool:
    """Put on record that it is begun, before anything can end this process. False when that ended it twice, with nothing read between."""
    lives_on = session.id in broken_off
    went_on = lives_on or session.received > session.wish.get(BEGUN_AT, -1)
    if not went_on and session.begun >= MOST_BEGUN:
        session.begun = 0
        session.trouble = "not taken in: the server ended twice while it was read at this place (out of memory?). It is safe on the recorder. Take it in again when that is mended"
        tell(db, "take-in")
    else:
        session.begun = 1 if went_on else session.begun + 1
        session.wish = session.wish | {BEGUN_AT: session.received}
    db.add(session)
    db.commit()
    return session.begun > 0


def _ended(db: Db, session_id: int) -> None:
    """However it ended, this process lives on."""
    db.connection().execute(update(Session).where(col(Session.id) == session_id).values(begun=0))
    db.commit()
    broken_off.discard(session_id)


def let_go(db: Db) -> None:
    """The server is stopped on purpose: what is being read here was no accident."""
    figures.uncount(db, under_way)


def _all_of(db: Db, session: Session, recorder: Recorder, link: _Link) -> bool:
    arrival = Arrival(db, session)
    for attempts_left in reversed(range(READS)):
        try:
            _read(recorder, arrival, link)
            break
        except DifferentError:
            arrival.withdraw()
            refresh(db, recorder)
            return False
        except InUseError:
            return False  # its port is busy with another session of it: this one is called again
        except LinkError as error:
            arrival.stopped(f"{error}; {arrival.share} is here and safe. It goes on when the recorder is back.")
            return False
        except krec.FileError as error:
            if not attempts_left:
                why = f"damaged on the way ({error}); everything before it is here. Take it in again to go on."
                arrival.stopped(why)
                return False
        except (ValueError, TypeError, DataError) as error:
            # Read whole and right, but nothing that can be kept or assessed: it stays on the recorder, and that is said.
            what = "it holds what cannot be stored" if isinstance(error, DataError) else str(error)
            arrival.stopped(f"not taken in: {what}. It is safe on the recorder.")
            return False
    return True


def _read(recorder: Recorder, arrival: Arrival, link: _Link) -> None:
    if recorder.host is None or recorder.port is None:
        raise LinkError("the recorder is not in reach")
    rate = recorder.status.get("link", {}).get("bytes_per_s") or math.inf
    most = int(min(max(rate, SMALLEST_PIECE), krec.PIECE_BYTES))  # a second's worth, so that progress is seen
    try:
        open_one = link.to(recorder.host, recorder.port)
        arrival.take(open_one.pieces(arrival.session.recorder_session, arrival.received, most))
    except BaseException:
        link.drop()  # whatever is still on its way on it belongs to what was broken off
        raise
    arrival.finish()


def from_file(db: Db, file: bytes | BinaryIO, who: int | None, wish: dict[str, Any] | None = None) -> Session:
    """Store a recording file that came by another way; the same checks, once and only once, in one transaction.

    Whatever is wrong with it, nothing is left behind. A session that is on its way from its recorder is taken over, unless
    somebody is reading it just now.
    """
    stream = io.BytesIO(file) if isinstance(file, bytes) else file
    checker = krec.Checker(bounds_of)
    size = 0
    try:
        for item in krec.stream_items(stream):
            checker.take(item)
            size = item.end
    except krec.FileError as error:
        raise InvalidError(f"The file cannot be taken in: {error}. Nothing was stored.") from error
    head = checker.head
    if head is None or checker.tail is None:
        raise InvalidError("The file is not complete. Nothing was stored.")
    if today(head.kind) not in KINDS:
        raise InvalidError(f"The file is of kind “{head.kind}”, which this Kumpel does not know. Nothing was stored.")
    serial = str(head.recorder.get("serial", "unknown"))[:64]
    try:
        wished = _taken_over(db, serial, head.session, checker.digest)
        own = wished if wish is None else wish
        session = _stored_at_once(db, stream, head, checker.digest, serial, size, who, own)
    except IntegrityError as error:
        db.rollback()
        raise ConflictError(f"Session {head.session} of {serial} has just been stored by somebody else.") from error
    except (krec.FileError, ValueError) as error:
        db.rollback()
        raise InvalidError(f"The file cannot be taken in: {error}. Nothing was stored.") from error
    except BaseException:
        db.rollback()
        raise
    db.refresh(session)
    return session


def _taken_over(db: Db, serial: str, name: str, digest: bytes) -> dict[str, Any]:
    """What was wished of the same session on its way from its recorder, whose half is put aside; nothing when there is none."""
    known = db.exec(
        select(Session).where(Session.serial == serial, Session.recorder_session == name, Session.sha256 == digest)
    ).first()
    if known is None:
        return {}
    if known.state == "stored" and known.purged_at is None:
        where = " (deleted: bring it back in Sessions)" if known.deleted_at is not None else ""
        raise ConflictError(f"Session {name} of {serial} is stored already{where}.")
    if not locks.try_for_transaction(db, locks.TAKE_IN, known.id or 0):
        raise ConflictError(
            f"Session {name} of {serial} is being read from its recorder just now. Nothing was stored here."
        )
    wish = known.wish
    db.delete(known)
    db.flush()
    return wish


def _stored_at_once(
    db: Db,
    stream: BinaryIO,
    head: krec.Head,
    digest: bytes,
    serial: str,
    size: int,
    who: int | None,
    wish: dict[str, Any],
) -> Session:
    recorder = db.exec(select(Recorder).where(Recorder.serial == serial)).first()
    session = Session(
        serial=serial,
        recorder_session=head.session,
        sha256=digest,
        kind=today(head.kind),
        recorder_id=recorder.id if recorder else None,
        started_at=datetime.fromtimestamp(head.start, UTC),
        size=size,
        taken_in_by=who,
        wish=wish,
    )
    db.add(session)
    db.flush()
    whom = Whom("session", session.id)
    deeds.ask(db, "taken in from a file", whom)
    deeds.keep(db, "taken in from a file", whom, after={"serial": serial, "session": head.session}, who=who)
    arrival = Arrival(db, session, at_once=True)
    stream.seek(0)
    arrival.take(_pieces(stream))
    arrival.finish()
    db.commit()
    return session


def _pieces(stream: BinaryIO) -> Iterator[Piece]:
    """The file's items in pieces, as a recorder would send them."""
    held, first = bytearray(), 0
    for item in krec.stream_items(stream):
        held += item.raw
        if len(held) >= krec.PIECE_BYTES:
            yield Piece(offset=first, next=item.end, items=bytes(held))
            held, first = bytearray(), item.end
    if held:
        yield Piece(offset=first, next=first + len(held), items=bytes(held))


def clear(db: Db, recorder_id: int, recorder_sessions: list[str], passcode: str = "") -> list[str]:
    """Clear sessions on the recorder: only those stored here whose stored bytes, read again, have the listed hash.

    ConflictError names the first that does not; then nothing is cleared.
    """
    deeds.ask(db, "cleared on the recorder", Whom("recorder", recorder_id))
    recorder = recorder_of(db, recorder_id)
    hashes: dict[str, bytes] = {}
    on = _by_name(recorder)
    for name in recorder_sessions:
        listed = on.get(name)
        if listed is None:
            raise NotFoundError(f"Session {name} is not on {recorder.token}.")
        session = db.exec(
            select(Session).where(
                Session.serial == bays.made_by(recorder, listed),
                Session.recorder_session == name,
                Session.sha256 == bytes.fromhex(listed["sha256"] or ""),
                Session.state == "stored",
            )
        ).first()
        if session is None or session.id is None:
            raise ConflictError(f"Session {name} is not stored here. Nothing was cleared.")
        if session.purged_at is not None:
            raise ConflictError(
                f"Session {name} was removed here for good: what is on the recorder is all there is of it. Nothing was cleared; take it in again first."
            )
        if not is_whole(db, session):
            raise ConflictError(
                f"The stored copy of {name} does not match its hash any more. Nothing was cleared; take it in again from the recorder."
            )
        hashes[name] = session.sha256
    with link_to(db, recorder, passcode) as link:
        cleared = link.clear(hashes)
    deeds.keep(
        db, "cleared on the recorder", Whom("recorder", recorder_id), {name: hashes[name].hex() for name in cleared}
    )
    for name in cleared:
        _settle_clearing(db, hashes[name])
    refresh(db, recorder)
    return cleared


def _settle_clearing(db: Db, sha256: bytes) -> None:
    """What was wished with taking in is done, or taken back."""
    for session in db.exec(select(Session).where(Session.sha256 == sha256, Session.state == "stored")).all():
        if session.wish.get(CLEAR_AFTER):
            session.wish = {key: value for key, value in session.wish.items() if key != CLEAR_AFTER}
            db.add(session)


def is_whole(db: Db, session: Session) -> bool:
    """Whether the stored copy, read again, still has the session's hash. A rotten one is said on the session."""
    assert session.id is not None
    try:
        good = stored_hash(db, session.id) == session.sha256
    except krec.FileError:
        good = False
    trouble = "" if good else ROTTEN
    if session.trouble != trouble:
        session.trouble = trouble
        db.add(session)
        tell(db, "sessions", session=session.id)
        db.commit()
    return good


def stored_hash(db: Db, session_id: int) -> bytes:
    """SHA-256 of the stored items, read again from the database."""
    digest = hashlib.sha256()
    for _, raw in samples.read_raw(db, session_id):
        digest.update(raw)
    return digest.digest()


def arriving_count(db: Db) -> int:
    """Sessions on their way in that nothing stops."""
    query = select(func.count()).select_from(Session)
    return db.exec(query.where(Session.state == "arriving", Session.trouble == "")).one()
