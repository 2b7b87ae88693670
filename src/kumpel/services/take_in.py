"""Taking in: what is new on the recorders, reading it block by block, filing it once and only once, clearing."""

from __future__ import annotations

import dataclasses
import hashlib
import uuid
from collections import defaultdict
from collections.abc import Callable, Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

import numpy as np
from sqlalchemy import Engine, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import defer
from sqlmodel import Session as Db
from sqlmodel import col, delete, func, select

from kumpel.core.recording import Event as CoreEvent
from kumpel.formats import krec
from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import KINDS, kind_of
from kumpel.link.client import LinkError, RecorderLink
from kumpel.link.messages import Piece
from kumpel.services import review
from kumpel.services.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.recorders import all_recorders, link_to, recorder_of, refresh
from kumpel.services.tags import tags_of
from kumpel.store import samples
from kumpel.store.database import tell
from kumpel.store.tables import Block, Channel, Event, HandOver, Person, Recorder, Session, Tag, now

CLOCK_TOLERANCE_S = 5.0
READS = 3
Starter = Callable[[int], None]


@dataclass(frozen=True)
class Found:
    """A session on a recorder, and where it stands here: new, arriving, stored, aside, deleted or recording."""

    recorder_session: str
    start: datetime
    length_s: float
    size: int
    about: str
    standing: str
    too_short: bool
    session_id: int | None
    received: int
    trouble: str
    tags: dict[str, str]
    may_clear: bool


@dataclass(frozen=True)
class Bay:
    """A recorder with what is on it and who had it."""

    recorder: Recorder
    holder: Person | None
    since: datetime | None
    tags: dict[str, str]
    sessions: list[Found]


def standing_of(listed: dict[str, Any], known: Session | None) -> str:
    if not listed["complete"]:
        return "recording"
    if known is None:
        return "new"
    if known.deleted_at is not None:
        return "deleted"
    if known.state == "arriving":
        return "arriving"
    return "aside" if known.aside else "stored"


def bays(db: Db) -> list[Bay]:
    """Every recorder in reach with its sessions; the rest is in the recorders' register."""
    return [_bay(db, recorder) for recorder in all_recorders(db) if recorder.in_reach]


def _bay(db: Db, recorder: Recorder) -> Bay:
    given = db.exec(
        select(HandOver).where(HandOver.recorder_id == recorder.id).order_by(col(HandOver.given_at).desc()).limit(1)
    ).first()
    holder = db.get(Person, given.person_id) if given and given.returned_at is None else None
    listed_ids = [listed["id"] for listed in recorder.inventory]
    known = {
        (s.recorder_session, s.sha256.hex()): s
        for s in db.exec(
            select(Session)
            .where(Session.serial == recorder.serial, col(Session.recorder_session).in_(listed_ids))
            .options(defer(Session.head))  # type: ignore[arg-type]
        ).all()
    }
    tags = tags_of(db, [s.id for s in known.values()])
    slip_tags = given.tags if given and holder else {}
    shortest = KINDS[recorder.kind].shortest_s if recorder.kind in KINDS else 0
    found = []
    for listed in recorder.inventory:
        session = known.get((listed["id"], listed["sha256"] or ""))
        standing = standing_of(listed, session)
        found.append(
            Found(
                listed["id"],
                datetime.fromtimestamp(listed["start"], UTC),
                listed["length_s"],
                listed["size"],
                listed["about"],
                standing,
                listed["length_s"] < shortest,
                session.id if session else None,
                session.received if session else 0,
                session.trouble if session else "",
                (tags.get(session.id or 0) or session.wish.get("tags") if session else None) or slip_tags,
                standing in ("stored", "aside", "deleted"),
            )
        )
    return Bay(recorder, holder, given.given_at if given and holder else None, slip_tags, found)


def new_count(db: Db) -> int:
    return sum(f.standing == "new" for bay in bays(db) for f in bay.sessions)


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


def begin(db: Db, wishes: list[Wish], who: int | None, start: Starter) -> list[int]:
    """Put sessions on the way in; the reading itself is a job each. Asking twice changes nothing."""
    ids: list[int] = []
    for wish in wishes:
        recorder = recorder_of(db, wish.recorder_id)
        listed = next((s for s in recorder.inventory if s["id"] == wish.recorder_session), None)
        if listed is None or not listed["complete"] or not listed["sha256"]:
            raise NotFoundError(f"Session {wish.recorder_session} is not (or not yet complete) on {recorder.token}.")
        row = {
            "serial": recorder.serial,
            "recorder_session": listed["id"],
            "sha256": bytes.fromhex(listed["sha256"]),
            "recorder_id": recorder.id,
            "kind": recorder.kind,
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
            "accepted": {},
            "review_version": 0,
            "verdict": "",
            "key_figure": "",
            "taken_in_by": who,
            "wish": {
                "tags": wish.tags,
                "person_id": wish.person_id,
                "unclaimed": wish.unclaimed,
                "shift_clock": wish.shift_clock,
            },
        }
        db.connection().execute(insert(Session).values(row).on_conflict_do_nothing(constraint="session_once"))
        session = db.exec(
            select(Session).where(
                Session.serial == recorder.serial,
                Session.recorder_session == listed["id"],
                Session.sha256 == row["sha256"],
            )
        ).one()
        if session.deleted_at is not None and session.state == "stored":
            session.deleted_at = None  # asked for by name: comes back
            db.add(session)
        elif session.state == "arriving":
            session.trouble = ""
            db.add(session)
            assert session.id is not None
            ids.append(session.id)
    tell(db, "take-in")
    db.commit()
    for session_id in ids:
        start(session_id)
    return ids


def unfinished(db: Db, serial: str | None = None, stopped_too: bool = True) -> list[int]:
    """Sessions that are on the way, for going on after a cut or a restart; also those stopped by trouble, or not."""
    where = [Session.state == "arriving"]
    if not stopped_too:
        where.append(Session.trouble == "")
    if serial is not None:
        where.append(Session.serial == serial)
    return [i for i in db.exec(select(Session.id).where(*where)).all() if i is not None]


def run(store: Engine, session_id: int) -> bool:
    """Read a session to its end, from the last whole block on. True when it is stored.

    A cut leaves everything read so far and a sentence in `trouble`. Only one process works on a session at a time:
    the lock belongs to this function's own connection and dies with it.
    """
    with store.connect() as connection, Db(connection) as db:
        wanted = {"id": session_id}
        if not db.connection().execute(text("select pg_try_advisory_lock(7245002, :id)"), wanted).scalar_one():
            return False
        try:
            return _run(db, session_id)
        finally:
            db.rollback()
            db.connection().execute(text("select pg_advisory_unlock(7245002, :id)"), wanted)
            db.commit()


def _run(db: Db, session_id: int) -> bool:
    session = db.get(Session, session_id)
    if session is None or session.state == "stored" or session.recorder_id is None:
        return session is not None
    recorder = recorder_of(db, session.recorder_id)
    arrival = Arrival(db, session)
    for attempts_left in reversed(range(READS)):
        try:
            _read(recorder, arrival)
            break
        except DifferentError:
            arrival.withdraw()
            refresh(db, recorder)
            return False
        except LinkError as error:
            arrival.stopped(f"{error}; {arrival.share} is here and safe. It goes on when the recorder is back.")
            return False
        except krec.FileError as error:
            if not attempts_left:
                why = f"damaged on the way ({error}); everything before it is here. Take it in again to go on."
                arrival.stopped(why)
                return False
    refresh(db, recorder)
    return True


def _read(recorder: Recorder, arrival: Arrival) -> None:
    if recorder.host is None or recorder.port is None:
        raise LinkError("the recorder is not in reach")
    with RecorderLink(recorder.host, recorder.port, 10.0) as link:
        arrival.take(link.pieces(arrival.session.recorder_session, arrival.received))
    arrival.finish()


class DifferentError(Exception):
    """The recorder sent another file than the one it listed."""


@dataclass(frozen=True)
class Prepared:
    """A piece, checked: its good items, their cells, and what was wrong after them."""

    items: list[krec.Item]
    cells: list[tuple[int, int, int, samples.Cells]]
    error: Exception | None


class Arrival:
    """A session on its way into the store: every piece a transaction, the last one makes it visible.

    While one piece is being stored, the next is checked, hashed and reduced to cells by a second thread.
    """

    def __init__(self, db: Db, session: Session) -> None:
        assert session.id is not None
        self._db, self._id = db, session.id
        self.session = session
        self._checker = krec.Checker()
        self._kind = kind_of(session.kind)
        self._second: dict[int, list[samples.Cells]] = defaultdict(list)
        self._broken = False
        self.received = 0
        for item in samples.read_items(db, self._id):
            self._checker.take(item)
            self.received = item.end
        if self._checker.head is not None:
            for index, channel in enumerate(self._checker.head.channels):
                stored = samples.read_cells(db, self._id, index, 1, 0, 2**31 - 1)
                self._second[index].append(samples.coarser(stored, self._kind.is_energy(channel.key)))

    @property
    def share(self) -> str:
        return f"{100 * self.received // max(self.session.size, 1)} %"

    def take(self, pieces: Iterable[Piece]) -> None:
        """Check and store the whole items of each piece; those before a damaged one, or before a cut, are kept."""
        self._broken = False
        ahead: Future[Prepared] | None = None
        with ThreadPoolExecutor(1) as worker:
            try:
                for piece in pieces:
                    previous, ahead = ahead, worker.submit(self._prepare, piece)
                    if previous is not None:
                        self._store(previous.result())
            finally:
                if ahead is not None:
                    self._store(ahead.result())

    def _prepare(self, piece: Piece) -> Prepared:
        items: list[krec.Item] = []
        cells: list[tuple[int, int, int, samples.Cells]] = []
        if self._broken:
            return Prepared(items, cells, None)
        try:
            for item in krec.read_items(piece.items, piece.offset):
                reduced = self._cells_of(item)
                self._checker.take(item)
                items.append(item)
                cells += reduced
        except krec.IncompleteError:
            self._broken = True
            return Prepared(items, cells, LinkError("the recorder sent half an item"))
        except krec.FileError as error:
            self._broken = True
            return Prepared(items, cells, error)
        return Prepared(items, cells, None)

    def _cells_of(self, item: krec.Item) -> list[tuple[int, int, int, samples.Cells]]:
        block, head = item.content, self._checker.head
        if not isinstance(block, krec.Block) or head is None or block.channel >= len(head.channels):
            return []
        channel = head.channels[block.channel]
        values = krec.unpack(block, channel, item.offset)
        return [
            (
                block.channel,
                1,
                block.first // samples.FACTOR,
                samples.cells_of(values, self._kind.is_energy(channel.key)),
            )
        ]

    def _store(self, prepared: Prepared) -> None:
        if prepared.items:
            samples.add_items(self._db, self._id, prepared.items)
            samples.add_cells(self._db, self._id, prepared.cells)
            self.received = self.session.received = prepared.items[-1].end
            self._db.add(self.session)
            tell(self._db, "arriving", session=self._id, received=self.received, size=self.session.size)
            self._db.commit()
        head = self._checker.head
        for channel, _, _, cells in prepared.cells:
            assert head is not None
            self._second[channel].append(samples.coarser(cells, self._kind.is_energy(head.channels[channel].key)))
        if prepared.error is not None:
            raise prepared.error

    def finish(self) -> None:
        """Verify the whole file and make the session visible, in one transaction."""
        db, session, head = self._db, self.session, self._checker.head
        if head is None or self._checker.tail is None:
            raise LinkError("the recorder ended the session before its tail")
        if self._checker.digest != session.sha256:
            raise DifferentError("what was read is not what the recorder listed")
        _describe(db, session, head, self._checker, self._kind)
        for index, channel in enumerate(head.channels):
            second = np.concatenate([np.empty((3, 0), np.float32), *self._second[index]], axis=1)
            samples.add_coarse_levels(db, self._id, index, second, self._kind.is_energy(channel.key))
        _file(db, session, self._id, head)
        session.state, session.taken_in_at, session.trouble = "stored", now(), ""
        db.add(session)
        db.flush()
        if not session.aside:
            review.reassess(db, session)
        _bring_back(db, session)
        tell(db, "stored", session=self._id)
        db.commit()

    def withdraw(self) -> None:
        """Forget what was read: it is not the session that was asked for. The recorder still has everything."""
        self._db.rollback()
        self._db.exec(delete(Session).where(col(Session.id) == self._id))
        tell(self._db, "take-in")
        self._db.commit()

    def stopped(self, why: str) -> None:
        self._db.rollback()
        session = self._db.get(Session, self._id)
        assert session is not None
        session.trouble = why
        self._db.add(session)
        tell(self._db, "take-in")
        self._db.commit()


def _describe(db: Db, session: Session, head: krec.Head, checker: krec.Checker, kind: Kind) -> None:
    """What the file says about itself goes into the tables."""
    if head.kind != session.kind or str(head.recorder.get("serial", session.serial)) != session.serial:
        raise krec.FileError("the file belongs to another recorder or kind than the one that sent it", 0)
    assert session.id is not None
    for index, channel in enumerate(head.channels):
        db.add(
            Channel(
                session_id=session.id,
                index=index,
                key=channel.key,
                name=channel.name,
                unit=channel.unit,
                interval_s=channel.interval_s,
                samples=checker.samples[index],
            )
        )
    for item in db.exec(select(Block).where(Block.session_id == session.id, Block.what == krec.EVENT)).all():
        content = next(krec.read_items(item.item, item.at)).content
        assert isinstance(content, CoreEvent)
        db.add(
            Event(
                session_id=session.id, at_s=content.at_s, code=content.code, text=content.text, data=dict(content.data)
            )
        )
    session.length_s = max((n * c.interval_s for n, c in zip(checker.samples, head.channels, strict=True)), default=0.0)
    session.started_at = datetime.fromtimestamp(head.start, UTC)
    session.utc_offset_min = head.utc_offset_min
    session.head = {
        "setup": dict(head.setup),
        "slip": dict(head.slip),
        "recorder": dict(head.recorder),
        "channels": [dataclasses.asdict(c) for c in head.channels],
    }
    if session.length_s < kind.shortest_s:
        session.aside = f"only {session.length_s:.0f} s long"


def _file(db: Db, session: Session, session_id: int, head: krec.Head) -> None:
    """File under the person of the hand-over that the recorder carries; tags from the slip and from the screen."""
    given = _slip_of(db, head)
    wish = session.wish
    if given is not None:
        session.hand_over_id = given.id
    if wish.get("person_id"):
        session.person_id = wish["person_id"]
    elif given is not None and not wish.get("unclaimed"):
        session.person_id = given.person_id
    tags = (given.tags if given else {}) | (wish.get("tags") or {})
    for key, value in tags.items():
        if str(value).strip():
            db.add(Tag(session_id=session_id, key=key, value=str(value).strip()))
    if wish.get("shift_clock") and session.clock_error_s:
        shift_clock(session, -session.clock_error_s)


def shift_clock(session: Session, by_s: float) -> None:
    """Move a session in time; the recorder's own clock stays known as the start minus the shift."""
    session.started_at = datetime.fromtimestamp(session.started_at.timestamp() + by_s - session.clock_shift_s, UTC)
    session.clock_shift_s = by_s


def _slip_of(db: Db, head: krec.Head) -> HandOver | None:
    try:
        return db.get(HandOver, uuid.UUID(str(head.slip.get("hand_over"))))
    except ValueError:
        return None


def _bring_back(db: Db, session: Session) -> None:
    """A recorder whose session is stored was brought back."""
    if session.hand_over_id is None or session.aside:
        return
    given = db.get(HandOver, session.hand_over_id)
    if given is not None and given.returned_at is None:
        given.returned_at = max(now(), given.given_at)
        db.add(given)


def from_file(db: Db, data: bytes, who: int | None, wish: dict[str, Any] | None = None) -> Session:
    """Store a recording file that came by another way; the same checks, once and only once."""
    checker = krec.Checker()
    items = []
    try:
        for item in krec.read_items(data):
            checker.take(item)
            items.append(item)
    except krec.FileError as error:
        raise InvalidError(f"The file cannot be taken in: {error}. Nothing was stored.") from error
    head = checker.head
    if head is None or checker.tail is None:
        raise InvalidError("The file is not complete. Nothing was stored.")
    serial = str(head.recorder.get("serial", "unknown"))[:64]
    if db.exec(
        select(Session.id).where(
            Session.serial == serial,
            Session.recorder_session == head.session,
            Session.sha256 == checker.digest,
        )
    ).first():
        raise ConflictError(f"Session {head.session} of {serial} is stored already.")
    recorder = db.exec(select(Recorder).where(Recorder.serial == serial)).first()
    session = Session(
        serial=serial,
        recorder_session=head.session,
        sha256=checker.digest,
        kind=kind_of(head.kind).key,
        recorder_id=recorder.id if recorder else None,
        started_at=datetime.fromtimestamp(head.start, UTC),
        size=len(data),
        taken_in_by=who,
        wish=wish or {},
    )
    db.add(session)
    db.commit()
    arrival = Arrival(db, session)
    arrival.take([Piece(offset=0, next=len(data), items=data)])
    arrival.finish()
    db.refresh(session)
    return session


def clear(db: Db, recorder_id: int, recorder_sessions: list[str], passcode: str = "") -> list[str]:
    """Clear sessions on the recorder: only those stored here whose stored bytes, read again, have the listed hash.

    ConflictError names the first that does not; then nothing is cleared.
    """
    recorder = recorder_of(db, recorder_id)
    hashes: dict[str, bytes] = {}
    for name in recorder_sessions:
        listed = next((s for s in recorder.inventory if s["id"] == name), None)
        if listed is None:
            raise NotFoundError(f"Session {name} is not on {recorder.token}.")
        session = db.exec(
            select(Session).where(
                Session.serial == recorder.serial,
                Session.recorder_session == name,
                Session.sha256 == bytes.fromhex(listed["sha256"] or ""),
                Session.state == "stored",
            )
        ).first()
        if session is None or session.id is None:
            raise ConflictError(f"Session {name} is not stored here. Nothing was cleared.")
        if stored_hash(db, session.id) != session.sha256:
            raise ConflictError(f"The stored copy of {name} does not match any more. Nothing was cleared.")
        hashes[name] = session.sha256
    with link_to(recorder, passcode) as link:
        cleared = link.clear(hashes)
    refresh(db, recorder)
    return cleared


def stored_hash(db: Db, session_id: int) -> bytes:
    """SHA-256 of the stored items, read again from the database (as bytes, in the database's own words)."""
    digest = hashlib.sha256()
    for item in samples.read_items(db, session_id):
        digest.update(item.raw)
    return digest.digest()


def arriving_count(db: Db) -> int:
    """Sessions on their way in that nothing stops."""
    query = select(func.count()).select_from(Session)
    return db.exec(query.where(Session.state == "arriving", Session.trouble == "")).one()
