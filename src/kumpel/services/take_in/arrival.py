"""A session on its way into the store: checked, hashed, stored piece by piece; described, filed and made visible."""

from __future__ import annotations

import dataclasses
import uuid
from collections import defaultdict
from collections.abc import Iterable
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from datetime import UTC, datetime

import numpy as np
from sqlmodel import Session as Db
from sqlmodel import col, delete, select

from kumpel.core.recording import Event as CoreEvent
from kumpel.formats import krec
from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import bounds_of, kind_of, today
from kumpel.link.client import LinkError
from kumpel.link.messages import Piece
from kumpel.services.ground import filter_factors
from kumpel.services.recorders import begun_hand_overs
from kumpel.store import samples
from kumpel.store.database import tell
from kumpel.store.tables import Block, Channel, Event, HandOver, Person, Session, Tag, Writing, now


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

    def __init__(self, db: Db, session: Session, at_once: bool = False) -> None:
        """With `at_once`, everything is one transaction, which the caller ends; else every piece is one."""
        assert session.id is not None
        self._at_once = at_once
        self._db, self._id = db, session.id
        self.session = session
        self._checker = krec.Checker(bounds_of)
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
            if not self._at_once:
                tell(self._db, "arriving", session=self._id, received=self.received, size=self.session.size)
                self._db.commit()
        head = self._checker.head
        for channel, _, _, cells in prepared.cells:
            assert head is not None
            self._second[channel].append(samples.coarser(cells, self._kind.is_energy(head.channels[channel].key)))
        if prepared.error is not None:
            raise prepared.error

    def finish(self) -> None:
        """Verify the whole file and make the session visible, in one transaction. Its figures are a job that comes after."""
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
        filter_factors.put_on_new(db, session)
        session.state, session.taken_in_at, session.trouble = "stored", now(), ""
        db.add(session)
        db.flush()
        _bring_back(db, session)
        tell(db, "stored", session=self._id)
        if not self._at_once:
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
    if today(head.kind) != session.kind or str(head.recorder.get("serial", session.serial)) != session.serial:
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
    session.length_s = checker.length_s
    session.started_at = datetime.fromtimestamp(head.start, UTC)
    session.utc_offset_min = head.utc_offset_min
    session.head = {
        "setup": dict(head.setup),
        "slip": dict(head.slip),
        "recorder": dict(head.recorder),
        "channels": [dataclasses.asdict(c) for c in head.channels],
    }
    session.aside = worthless(
        session.length_s, kind.shortest_s, zip((c.interval_s for c in head.channels), checker.samples, strict=True)
    )


def worthless(length_s: float, shortest_s: float, channels: Iterable[tuple[float, int]]) -> str:
    """Why nothing can be judged by a recording, empty where something can: it is too short, has one record or none (a switch-on), or is
    shorter than its interval. `channels` are (interval in s, samples); a recording of events alone has none."""
    if length_s < shortest_s:
        return f"only {length_s:.0f} s long"
    known = list(channels)
    if not known or max(samples for _, samples in known) > 1:
        return ""
    interval_s = min(interval for interval, _ in known)
    if length_s < interval_s:
        return f"{length_s:.0f} s long, less than one interval of {interval_s:.0f} s"
    return "one record: only switched on" if any(samples for _, samples in known) else "no record: only switched on"


def _file(db: Db, session: Session, session_id: int, head: krec.Head) -> None:
    """File under the person of the hand-over that the recorder carries; tags from the slip and from the screen."""
    given = _slip_of(db, session, head)
    wish = session.wish
    if given is not None:
        session.hand_over_id = given.id
    wished = wish.get("person_id") or (given.person_id if given and not wish.get("unclaimed") else None)
    session.person_id = _fitting(db, session, wished)
    tags = kind_of(session.kind).said(head.setup) | (given.tags if given else {}) | (wish.get("tags") or {})
    for key, value in tags.items():
        if str(value).strip():
            db.add(Tag(session_id=session_id, key=key, value=str(value).strip()))
    if wish.get("shift_clock") and session.clock_error_s:
        shift_clock(session, -session.clock_error_s)


def _fitting(db: Db, session: Session, wished: int | None) -> int | None:
    """Whom it was wished for; nobody, with a note, where that is a place that recordings of this kind cannot be of."""
    owner = db.get(Person, wished) if wished else None
    kind = kind_of(session.kind)
    if owner is None or not owner.is_place or kind.stands:
        return wished
    said = f"Was to belong to {owner.name}, a place; {kind.name.lower()} is recorded of people only."
    session.note = " ".join(filter(None, (session.note, said)))
    return None


def shift_clock(session: Session, by_s: float) -> None:
    """Move a session in time; the recorder's own clock stays known as the start minus the shift."""
    session.started_at = datetime.fromtimestamp(session.started_at.timestamp() + by_s - session.clock_shift_s, UTC)
    session.clock_shift_s = by_s


def _slip_of(db: Db, session: Session, head: krec.Head) -> HandOver | None:
    """The hand-over that the recorder carries, if it is one of this very recorder."""
    try:
        given = db.get(HandOver, uuid.UUID(str(head.slip.get("hand_over"))))
    except ValueError:
        return None
    if given is None:
        given = _begun_slip(db, session, str(head.slip.get("hand_over")))
    return given if given is not None and given.recorder_id == session.recorder_id else None


def _begun_slip(db: Db, session: Session, name: str) -> HandOver | None:
    """A hand-over that was cut off after its settings had reached the recorder: the session that came of it proves that it was made."""
    begun = db.get(Writing, uuid.UUID(name))
    if begun is None or begun.recorder_id != session.recorder_id:
        return None
    given = begun_hand_overs.as_hand_over(begun)
    given.returned_at = max(now(), given.given_at)
    db.add(given)
    begun_hand_overs.settle(db, given)
    db.flush()
    return given


def _bring_back(db: Db, session: Session) -> None:
    """A recorder whose session is stored was brought back."""
    if session.hand_over_id is None or session.aside:
        return
    given = db.get(HandOver, session.hand_over_id)
    if given is not None and given.returned_at is None:
        given.returned_at = max(now(), given.given_at)
        db.add(given)
