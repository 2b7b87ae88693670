"""Stored recordings as the core reads them: decoded once, kept in memory up to a bound; views of any span."""

from __future__ import annotations

import dataclasses
import threading
from collections import OrderedDict
from collections.abc import Mapping

import numpy as np
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.names import clean_line
from kumpel.core.recording import Channel as CoreChannel
from kumpel.core.recording import Event as CoreEvent
from kumpel.core.recording import Recording
from kumpel.core.samples import MOST_WHOLE_BYTES, ArraySamples
from kumpel.formats import krec
from kumpel.kinds.registry import kind_of
from kumpel.services.ground.problems import NotFoundError
from kumpel.store import samples
from kumpel.store.stored_samples import Place, stored_samples
from kumpel.store.tables import Channel, Event, Session

KEPT_BYTES = 96 * 2**20
"""Recordings that a process keeps in memory, together, with what was derived from them; beside the decoded blocks of long ones."""


Key = tuple[str, int, bytes]
"""A database, a session in it, and what its recording is: the hash of the file."""


class Recent:
    """The recordings read last: review asks for the same one again and again. They never change.

    Together they take `most` bytes at the most; one that is larger is not kept at all.
    """

    def __init__(self, most: int) -> None:
        self._most, self._kept = most, OrderedDict[Key, Recording]()
        self._sizes: dict[Key, int] = {}
        self._lock = threading.Lock()

    @property
    def size(self) -> int:
        """Bytes that the kept ones take."""
        return sum(self._sizes.values())

    def get(self, key: Key) -> Recording | None:
        with self._lock:
            found = self._kept.get(key)
            if found is not None:
                self._kept.move_to_end(key)
                # What was derived since it was put here counts too.
                self._sizes[key] = size_of(found)
                self._trim()
            return found

    def put(self, key: Key, recording: Recording) -> None:
        with self._lock:
            self._kept[key], self._sizes[key] = recording, size_of(recording)
            self._trim()

    def clear(self) -> None:
        with self._lock:
            self._kept.clear()
            self._sizes.clear()

    def _trim(self) -> None:
        for key in [k for k, size in self._sizes.items() if size > self._most]:
            del self._kept[key], self._sizes[key]
        over = sum(self._sizes.values()) - self._most
        while over > 0:
            over -= self._sizes.pop(self._kept.popitem(last=False)[0])


def size_of(recording: Recording) -> int:
    """Bytes of memory that a recording takes: its samples where they are in memory, what was derived, half a kilobyte an event."""
    channels = sum(c.samples.nbytes for c in recording.channels.values() if isinstance(c.samples, ArraySamples))
    return channels + _bytes_of(recording.derived) + 512 * len(recording.events)


def _bytes_of(value: object) -> int:
    if isinstance(value, np.ndarray):
        return value.nbytes
    if isinstance(value, Mapping):
        return sum(map(_bytes_of, [*value.values()]))
    if isinstance(value, tuple | list):
        return sum(map(_bytes_of, value))
    if dataclasses.is_dataclass(value):
        return sum(_bytes_of(getattr(value, field.name)) for field in dataclasses.fields(value))
    return 32


_kept = Recent(KEPT_BYTES)


def forget_recordings() -> None:
    """Keep none of those read so far: for a process that will not be asked for them again."""
    _kept.clear()


def session_of(db: Db, session_id: int) -> Session:
    return _there(db.get(Session, session_id))


def _there(session: Session | None) -> Session:
    if session is None or session.state != "stored":
        raise NotFoundError("This session is not on record.")
    if session.purged_at is not None:
        raise NotFoundError(
            f"This session was deleted, and removed for good on {session.purged_at:%d %b %Y}. While it is still on its recorder it can be taken in again."
        )
    return session


def locked_session(db: Db, session_id: int) -> Session:
    """A session as it is now, its row held until the transaction ends: whoever signs, changes, moves or marks one takes it this
    way, so that what was asked (is it signed?) still holds when it is changed."""
    mine = select(Session).where(Session.id == session_id).with_for_update().execution_options(populate_existing=True)
    return _there(db.exec(mine).first())


def channel_heads(session: Session) -> tuple[krec.ChannelHead, ...]:
    return tuple(krec.ChannelHead(**c) for c in session.head["channels"])


def recorder_words(session: Session) -> str:
    """What recorded it, as it said of itself then: model, serial number, the program that ran; empty where it said nothing."""
    about = session.head.get("recorder") or {}
    firmware = str(about.get("firmware") or "")
    said = [str(about.get("model") or ""), session.serial, f"firmware {firmware}" if firmware else ""]
    return ", ".join(clean_line(word)[:40] for word in said if word)


def recording_of(db: Db, session: Session) -> Recording:
    """The recording, its start moved by the clock shift; short ones decoded, the samples of long ones read where they are needed."""
    assert session.id is not None
    key = (str(db.get_bind().engine.url), session.id, session.sha256)
    known = _kept.get(key)
    if known is not None:
        start = session.started_at.timestamp()
        return known if known.start == start else known.moved_to(start)
    found = select(Channel).where(Channel.session_id == session.id).order_by(col(Channel.index))
    counts = [row.samples for row in db.exec(found).all()]
    long = 8 * sum(counts) > MOST_WHOLE_BYTES
    recording = _long(db, session, session.id, counts) if long else _short(db, session, session.id)
    _kept.put(key, recording)
    return recording


def _short(db: Db, session: Session, session_id: int) -> Recording:
    items = samples.read_items(db, session_id)
    blocks = [(item.offset, item.content) for item in items if isinstance(item.content, krec.Block)]
    return krec.recording_of(_head_of(session), blocks, _events(db, session_id))


def _long(db: Db, session: Session, session_id: int, counts: list[int]) -> Recording:
    head = _head_of(session)
    channels = {
        about.key: CoreChannel(
            about.key,
            about.name,
            about.unit,
            about.interval_s,
            stored_samples(db, Place(session_id, number, about), count),
        )
        for number, (about, count) in enumerate(zip(head.channels, counts, strict=True))
    }
    return krec.recording_with(head, channels, _events(db, session_id))


def _events(db: Db, session_id: int) -> list[CoreEvent]:
    rows = db.exec(select(Event).where(Event.session_id == session_id).order_by(col(Event.at_s))).all()
    return [CoreEvent(e.at_s, e.code, e.text, e.data) for e in rows]


def _head_of(session: Session) -> krec.Head:
    return krec.Head(
        session.kind,
        session.recorder_session,
        session.started_at.timestamp(),
        session.utc_offset_min,
        session.head["recorder"],
        session.head["setup"],
        channel_heads(session),
    )


def view(
    db: Db, session: Session, keys: list[str], start_s: float, end_s: float, points: int, bin_s: float | None
) -> list[samples.View]:
    """Channels over a span of the session in at most `points` bins."""
    kind = kind_of(session.kind)
    heads = channel_heads(session)
    rows = db.exec(select(Channel).where(Channel.session_id == session.id, col(Channel.key).in_(keys))).all()
    by_key = {row.key: row for row in rows}
    others = [key for key in keys if key not in by_key]
    # What no sensor measured is worked out only where it is asked for.
    computed = kind.computed(recording_of(db, session)) if others and kind.computed else {}
    missing = [key for key in others if key not in computed]
    if missing:
        raise NotFoundError(f"This session has no channel {', '.join(missing)}.")
    return [
        samples.view(db, by_key[key], heads[by_key[key].index], kind.is_energy(key), start_s, end_s, points, bin_s)
        if key in by_key
        else samples.view_of(computed[key], start_s, end_s, points, bin_s)
        for key in keys
    ]
