"""Live values of a recorder, and its link shared with the calls that are made meanwhile.

A recorder on a serial port, and many a small one on a network, talks to one at a time: whoever calls it while somebody watches its
live values borrows the link of the watcher.
"""

from __future__ import annotations

import math
import threading
import time
from collections import deque
from collections.abc import Generator, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime

from kumpel.link.abilities import RAW_VALUE, LiveValue
from kumpel.link.client import RecorderLink
from kumpel.link.errors import LinkError
from kumpel.services.ground.problems import ConflictError
from kumpel.services.recorders.reaching import able
from kumpel.services.recorders.recorders import in_words, link_to
from kumpel.store.tables import Recorder, now

__all__ = ["RAW_VALUE", "LiveValue", "talk_to", "was_shown", "watch"]

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


def watch(recorder: Recorder, channels: Sequence[str], raw: Sequence[str]) -> Generator[list[LiveValue]]:
    """Packs of live values, ten a second where the channels can; the raw values of some beside them. Until closed.

    Raises ConflictError when too many watch already, RecorderError when the link ends.
    """
    if not _watchers.acquire(blocking=False):
        raise ConflictError(f"{MOST_WATCHED} recorders are watched already. Close one of these pages.", code="watched")
    try:
        with link_to(recorder) as any_link:
            link = able(any_link)
            every_ms = link.live(channels, EVERY_MS, raw).every_ms
            shared = _Shared(link)
            _watched[recorder.id or 0] = shared
            try:
                asked = {*channels, *(key + RAW_VALUE for key in raw)}
                wait_s = 3.0 + 3 * every_ms / 1000
                last_s = time.monotonic()
                while True:
                    values = [value for value in shared.next_values(wait_s) if value.channel in asked]
                    since_s = time.monotonic() - last_s
                    if not values and since_s > wait_s:
                        raise LinkError("live values: nothing of what was asked for")
                    # One that sends faster than it said is not shown faster.
                    if values and since_s >= LEAST_S:
                        last_s = time.monotonic()
                        _remember(recorder.id or 0, values, raw)
                        yield values
            finally:
                if _watched.get(recorder.id or 0) is shared:
                    del _watched[recorder.id or 0]
                with shared.lock:
                    pass  # whoever has borrowed it finishes first
    finally:
        _watchers.release()


def _remember(recorder_id: int, values: Sequence[LiveValue], raw: Sequence[str]) -> None:
    kept = {value.channel: value.value for value in values if value.channel in raw}
    _shown.setdefault(recorder_id, deque(maxlen=MOST_SHOWN)).append(_Pack(now(), kept))


def was_shown(recorder_id: int, channel: str, value: float, since: datetime) -> bool:
    """Whether a recorder gave just this live value since a moment, while somebody watched it here."""
    # A copy: whoever watches goes on adding to it.
    shown = tuple(_shown.get(recorder_id, ()))
    return any(pack.at >= since and abs(pack.values.get(channel, math.nan) - value) <= SAME for pack in shown)


@contextmanager
def talk_to(recorder: Recorder, passcode: str = "") -> Iterator[RecorderLink]:
    """The link to a recorder for a few calls: that of whoever watches it, else one of its own."""
    shared = _watched.get(recorder.id or 0)
    if shared is None:
        with link_to(recorder, passcode) as link:
            yield able(link)
        return
    with in_words(recorder), shared.lent(passcode) as lent:
        yield lent
