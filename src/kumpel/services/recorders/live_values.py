"""Live values of a recorder, and its link shared with the calls that are made meanwhile.

A recorder on a serial port, and many a small one on a network, talks to one at a time: whoever calls it while somebody watches its
live values borrows the link of the watcher. All of it happens in the lookout that leads, other processes ask it through its exchange (`hold`);
where no lookout leads, here.
"""

from __future__ import annotations

import math
import threading
import time
from collections import deque
from collections.abc import Callable, Generator, Iterator, Mapping, Sequence
from contextlib import closing, contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import partial
from typing import Any

from sqlmodel import Session as Db

from kumpel.link.abilities import RAW_VALUE, LiveValue
from kumpel.link.client import RecorderLink
from kumpel.link.errors import LinkError
from kumpel.services.ground.problems import ConflictError
from kumpel.services.recorders.exchange import DistantLink, Exchange, Message, Wire, dial, lend, packs
from kumpel.services.recorders.reaching import AnyLink, able
from kumpel.services.recorders.recorders import in_words, link_to, recorder_of
from kumpel.store.database import engine
from kumpel.store.tables import Recorder, now

__all__ = ["RAW_VALUE", "LiveValue", "hold", "talk_to", "was_shown", "watch"]

EVERY_MS = 100
LEAST_S = 0.02
MOST_SHOWN = 6000
"""Ten minutes at ten a second."""
SAME = 1e-6
MOST_WATCHED = 12
"""Watchers at once: each has a thread while it waits for the next values."""


@dataclass(frozen=True)
class _Pack:
    at: datetime
    values: dict[str, float]


@dataclass(eq=False)
class _Shared:
    """A link that one thread listens on, lent to another between two packs."""

    link: RecorderLink
    passcode: str = ""
    wanted: int = 0

    def __post_init__(self) -> None:
        self.lock = threading.Lock()

    def next_values(self, wait_s: float) -> list[LiveValue]:
        while self.wanted:
            time.sleep(0.005)
        with self.lock:
            return self.link.live_values(wait_s)

    @contextmanager
    def lent(self, passcode: str) -> Iterator[RecorderLink]:
        self.wanted += 1
        try:
            with self.lock:
                if passcode and passcode != self.passcode and self.link.hello.locked:
                    self.link.unlock(passcode)
                    self.passcode = passcode
                yield self.link
        finally:
            self.wanted -= 1


_watched: dict[int, _Shared] = {}
_shown: dict[int, deque[_Pack]] = {}
"""What was shown last of each recorder, of the channels whose raw values were watched."""
_watchers = threading.BoundedSemaphore(MOST_WATCHED)
_held: set[str] = set()
"""Addresses of the exchanges of this process, while it leads."""


def hold(url: str, others: Answers | None = None) -> Exchange:
    """Share the links of this process with all others, until they are let go."""
    exchange = Exchange(partial(_answer, url, others or {}))
    _held.add(exchange.address)
    return exchange


def own_exchanges() -> frozenset[str]:
    """Addresses of the exchanges of this process."""
    return frozenset(_held)


def let_go(exchange: Exchange) -> None:
    _held.discard(exchange.address)
    exchange.close()


def watch(url: str, recorder: Recorder, channels: Sequence[str], raw: Sequence[str]) -> Generator[list[LiveValue]]:
    """Packs of live values, ten a second where the channels can; the raw values of some beside them. Until closed.

    Raises ConflictError when too many watch already, RecorderError when the link ends.
    """
    with Db(engine(url)) as db:
        wire = dial(db, recorder.machine, _held)
    if wire is None:
        yield from _watch_here(url, recorder, channels, raw)
        return
    asked = {"want": "watch", "recorder": recorder.id, "channels": [*channels], "raw": [*raw]}
    with in_words(recorder), closing(packs(wire, asked)) as found:
        for pack in found:
            yield [LiveValue.model_validate(value) for value in pack["values"]]


@contextmanager
def talk_to(db: Db, recorder: Recorder, passcode: str = "") -> Iterator[RecorderLink]:
    """The link to a recorder for a few calls: that of whoever watches it, else one of its own."""
    wire = dial(db, recorder.machine, _held)
    db.commit()
    if wire is None:
        with _talk_here(db, recorder, passcode) as link:
            yield able(link)
        return
    with in_words(recorder), DistantLink(wire, recorder.id or 0, passcode) as distant:
        yield able(distant)


def was_shown(db: Db, recorder: Recorder, channel: str, value: float, since: datetime) -> bool:
    """Whether a recorder gave just this live value since a moment, while somebody watched it."""
    wire = dial(db, recorder.machine, _held)
    if wire is None:
        return _was_shown_here(recorder.id or 0, channel, value, since)
    asked = {"want": "shown", "recorder": recorder.id, "channel": channel, "value": value, "since": since.timestamp()}
    with in_words(recorder), closing(packs(wire, asked)) as found:
        return bool(next(found)["shown"])


Answers = Mapping[str, Callable[[str, Wire, Message], None]]
"""What others of this room answer through the same exchange, by what is wanted."""


def _answer(url: str, others: Answers, wire: Wire, asked: Message) -> None:
    """What other processes ask of the one that leads."""
    if also := others.get(asked["want"]):
        also(url, wire, asked)
        return
    with Db(engine(url)) as db:
        recorder = recorder_of(db, asked["recorder"])
        db.expunge(recorder)
    match asked["want"]:
        case "watch":
            with closing(_watch_here(url, recorder, asked["channels"], asked["raw"])) as found:
                for values in found:
                    wire.send({"values": [value.model_dump() for value in values]})
        case "link":
            with Db(engine(url)) as db, _talk_here(db, recorder, asked["passcode"]) as link:
                db.commit()
                lend(wire, link)
        case "shown":
            since = datetime.fromtimestamp(asked["since"], UTC)
            wire.send({"shown": _was_shown_here(recorder.id or 0, asked["channel"], asked["value"], since)})


def _watch_here(
    url: str, recorder: Recorder, channels: Sequence[str], raw: Sequence[str]
) -> Generator[list[LiveValue]]:
    if not _watchers.acquire(blocking=False):
        raise ConflictError(f"{MOST_WATCHED} recorders are watched already. Close one of these pages.", code="watched")
    try:
        with closing(_packs_of(url, recorder, channels, raw)) as found:
            next(found)
            for values in found:
                assert not isinstance(values, float)
                _remember(recorder.id or 0, values, raw)
                yield values
    finally:
        _watchers.release()


def watch_held(url: str, recorder: Recorder, channels: Sequence[str]) -> Generator[Any]:
    """For the wall, in the process that leads: how far its words are apart, in s, then packs of live values, until closed.

    Of the channels those that the recorder measures. Raises RecorderError when the link ends.
    """
    with Db(engine(url)) as db:
        wire = dial(db, recorder.machine, _held)
    if wire is None:
        yield from _packs_of(url, recorder, channels, (), there=True)
        return
    yield 1.0
    asked = {"want": "watch", "recorder": recorder.id, "channels": [*channels], "raw": []}
    with in_words(recorder), closing(packs(wire, asked)) as found:
        for pack in found:
            yield [LiveValue.model_validate(value) for value in pack["values"]]


def _packs_of(
    url: str, recorder: Recorder, channels: Sequence[str], raw: Sequence[str], there: bool = False
) -> Generator[float | list[LiveValue]]:
    with Db(engine(url)) as db, link_to(db, recorder) as any_link:
        db.commit()  # a watch lasts for hours
        link = able(any_link)
        if there:
            measured = {channel.key for channel in link.describe().channels}
            channels = [key for key in channels if key in measured]
            if not channels:
                raise LinkError("it measures nothing that is watched")
        every_ms = link.live(channels, EVERY_MS, raw).every_ms
        shared = _Shared(link)
        _watched[recorder.id or 0] = shared
        try:
            asked = {*channels, *(key + RAW_VALUE for key in raw)}
            wait_s = 3.0 + 3 * every_ms / 1000
            last_s = time.monotonic()
            yield every_ms / 1000
            while True:
                values = [value for value in shared.next_values(wait_s) if value.channel in asked]
                since_s = time.monotonic() - last_s
                if not values and since_s > wait_s:
                    raise LinkError("live values: nothing of what was asked for")
                # One that sends faster than it said is not shown faster.
                if values and since_s >= LEAST_S:
                    last_s = time.monotonic()
                    yield values
        finally:
            if _watched.get(recorder.id or 0) is shared:
                del _watched[recorder.id or 0]
            with shared.lock:
                pass  # whoever has borrowed it finishes first


def _remember(recorder_id: int, values: Sequence[LiveValue], raw: Sequence[str]) -> None:
    kept = {value.channel: value.value for value in values if value.channel in raw}
    _shown.setdefault(recorder_id, deque(maxlen=MOST_SHOWN)).append(_Pack(now(), kept))


def _was_shown_here(recorder_id: int, channel: str, value: float, since: datetime) -> bool:
    # A copy: whoever watches goes on adding to it.
    shown = tuple(_shown.get(recorder_id, ()))
    return any(pack.at >= since and abs(pack.values.get(channel, math.nan) - value) <= SAME for pack in shown)


@contextmanager
def _talk_here(db: Db, recorder: Recorder, passcode: str = "") -> Iterator[AnyLink]:
    shared = _watched.get(recorder.id or 0)
    if shared is None:
        with link_to(db, recorder, passcode) as link:
            yield link
        return
    with in_words(recorder), shared.lent(passcode) as lent:
        yield lent
