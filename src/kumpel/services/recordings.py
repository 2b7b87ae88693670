"""Stored recordings as the core reads them: decoded once, kept in memory up to a bound; views of any span."""

from __future__ import annotations

import threading
from collections import OrderedDict

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.recording import Event as CoreEvent
from kumpel.core.recording import Recording
from kumpel.formats import krec
from kumpel.kinds.registry import kind_of
from kumpel.services.problems import NotFoundError
from kumpel.store import samples
from kumpel.store.tables import Channel, Event, Session

KEPT_BYTES = 256 * 2**20
"""Decoded recordings that a process keeps in memory, together."""


class Kept:
    """The recordings decoded last: review asks for the same one again and again. They never change.

    Together they take `most` bytes at the most; one that is larger is not kept at all.
    """

    def __init__(self, most: int) -> None:
        self._most, self._kept, self._bytes = most, OrderedDict[tuple[int, bytes], Recording](), 0
        self._lock = threading.Lock()

    @property
    def size(self) -> int:
        """Bytes that the kept ones take."""
        return self._bytes

    def get(self, key: tuple[int, bytes]) -> Recording | None:
        with self._lock:
            if key in self._kept:
                self._kept.move_to_end(key)
            return self._kept.get(key)

    def put(self, key: tuple[int, bytes], recording: Recording) -> None:
        size = size_of(recording)
        with self._lock:
            if size > self._most or key in self._kept:
                return
            self._kept[key] = recording
            self._bytes += size
            while self._bytes > self._most:
                self._bytes -= size_of(self._kept.popitem(last=False)[1])


def size_of(recording: Recording) -> int:
    """Bytes of memory that a recording takes: its samples, and half a kilobyte an event."""
    return sum(c.values.nbytes for c in recording.channels.values()) + 512 * len(recording.events)


_kept = Kept(KEPT_BYTES)


def session_of(db: Db, session_id: int) -> Session:
    session = db.get(Session, session_id)
    if session is None or session.state != "stored":
        raise NotFoundError("This session is not on record.")
    return session


def channel_heads(session: Session) -> tuple[krec.ChannelHead, ...]:
    return tuple(krec.ChannelHead(**c) for c in session.head["channels"])


def recording_of(db: Db, session: Session) -> Recording:
    """The whole recording, decoded, its start moved by the clock shift."""
    assert session.id is not None
    key = (session.id, session.sha256 + repr(session.started_at).encode())
    known = _kept.get(key)
    if known is not None:
        return known
    blocks = []
    for item in samples.read_items(db, session.id):
        if isinstance(item.content, krec.Block):
            blocks.append((item.offset, item.content))
    events = [
        CoreEvent(e.at_s, e.code, e.text, e.data)
        for e in db.exec(select(Event).where(Event.session_id == session.id).order_by(col(Event.at_s))).all()
    ]
    head = krec.Head(
        session.kind,
        session.recorder_session,
        session.started_at.timestamp(),
        session.utc_offset_min,
        session.head["recorder"],
        session.head["setup"],
        channel_heads(session),
    )
    recording = krec.recording_of(head, blocks, events)
    _kept.put(key, recording)
    return recording


def view(
    db: Db, session: Session, keys: list[str], start_s: float, end_s: float, points: int, bin_s: float | None
) -> list[samples.View]:
    """Channels over a span of the session in at most `points` bins."""
    kind = kind_of(session.kind)
    heads = channel_heads(session)
    rows = db.exec(select(Channel).where(Channel.session_id == session.id, col(Channel.key).in_(keys))).all()
    by_key = {row.key: row for row in rows}
    missing = [key for key in keys if key not in by_key]
    if missing:
        raise NotFoundError(f"This session has no channel {', '.join(missing)}.")
    return [
        samples.view(db, by_key[key], heads[by_key[key].index], kind.is_energy(key), start_s, end_s, points, bin_s)
        for key in keys
    ]
