"""Listening to many recorders that say by themselves when something changed on them (docs/link-protocol.md, 16)."""

from __future__ import annotations

import contextlib
import selectors
import socket
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from pydantic import ValidationError

from kumpel.link import abilities, frames
from kumpel.link.client import RecorderLink
from kumpel.link.errors import LinkError, RefusedError

__all__ = ["Hearing"]

MISSED = 2.5
"""A recorder is gone when it was silent for so many times as long as it says it is at the most."""
LOOKS_S = 0.5
LARGEST_NOTE = 4096
MOST_NOTES_PER_S = 50
"""Larger or more than that says no recorder that keeps to the protocol: it is asked instead, as one that cannot tell."""


class _NotKeptError(Exception):
    """What it says is no news."""


@dataclass
class _Heard:
    serial: str
    wire: socket.socket
    ahead: bytearray
    news: abilities.News
    heard_s: float = field(default_factory=time.monotonic)
    second: int = 0
    in_second: int = 0

    def take(self, part: bytes) -> bool:
        """Take what came; whether something changed. Raises _NotKeptError for what is no news."""
        self.ahead += part
        count = self.news.count
        while len(self.ahead) >= frames.HEADER.size:
            header = bytes(self.ahead[: frames.HEADER.size])
            length = frames.payload_length(header)
            if length > LARGEST_NOTE:
                raise _NotKeptError
            end = frames.HEADER.size + length
            if len(self.ahead) < end:
                break
            self._note(frames.unpack(header, bytes(self.ahead[frames.HEADER.size : end])))
            del self.ahead[:end]
        return self.news.count != count

    def _note(self, message: dict[str, object]) -> None:
        self.heard_s = time.monotonic()
        if int(self.heard_s) != self.second:
            self.second, self.in_second = int(self.heard_s), 0
        self.in_second += 1
        if self.in_second > MOST_NOTES_PER_S:
            raise _NotKeptError
        if message.get("note") == "news":
            self.news = abilities.News.model_validate(message.get("with"))


class Hearing(threading.Thread):
    """Holds a link to each recorder that tells, one thread for all of them.

    `changed` and `lost` are called with the serial number, from this thread: something changed on it; its link broke, it fell silent
    or said what is no news (then `tells` is false).
    """

    def __init__(self, changed: Callable[[str], None], lost: Callable[[str, bool], None]) -> None:
        super().__init__(name="hearing", daemon=True)
        self._changed, self._lost = changed, lost
        self._selector = selectors.DefaultSelector()
        self._heard: dict[str, _Heard] = {}
        self._left_s: dict[str, float] = {}
        self._lock = threading.Lock()
        self._ending = threading.Event()

    def listen_to(self, serial: str, host: str, port: int) -> bool:
        """From now on; False for a recorder that cannot tell. Raises LinkError. Blocks as long as a call may take."""
        link = RecorderLink(host, port)
        try:
            if link.hello.serial != serial:
                raise LinkError(f"{link.hello.serial} answers in place of {serial}")
            news = link.news()
            wire, ahead = link.hand_over()
        except RefusedError:
            link.close()
            return False
        except BaseException:
            link.close()
            raise
        wire.setblocking(False)
        heard = _Heard(serial, wire, ahead, news)
        with self._lock:
            self._drop(serial)
            if self._ending.is_set():
                wire.close()
                return True
            self._heard[serial] = heard
            self._selector.register(wire, selectors.EVENT_READ, heard)
        return True

    def leave(self, serial: str) -> None:
        """Listen to it no longer."""
        with self._lock:
            self._drop(serial)

    def hears(self, serial: str) -> bool:
        return serial in self._heard

    def last_heard_s(self, serial: str) -> float | None:
        """Seconds since it was heard last; None when it never was."""
        heard = self._heard.get(serial)
        last_s = self._left_s.get(serial) if heard is None else heard.heard_s
        return None if last_s is None else time.monotonic() - last_s

    def run(self) -> None:
        looked_s = time.monotonic()
        while not self._ending.is_set():
            for key, _ in self._selector.select(LOOKS_S):
                self._read(key.data)
            # Once a while, and not after each of the many that say that they are there.
            if time.monotonic() - looked_s >= LOOKS_S:
                self._drop_silent()
                looked_s = time.monotonic()

    def stop(self) -> None:
        self._ending.set()
        with self._lock:
            for serial in list(self._heard):
                self._drop(serial)

    def _read(self, heard: _Heard) -> None:
        tells = True
        try:
            part = heard.wire.recv(65_536)
            if part:
                if heard.take(part):
                    self._changed(heard.serial)
                return
        except BlockingIOError:
            return
        except OSError:
            pass  # the link broke, or it was left just now
        except (_NotKeptError, frames.FrameError, ValidationError):
            tells = False
        except Exception:
            tells = False  # whatever one recorder says, the others are heard on
        self._lose(heard, tells)

    def _drop_silent(self) -> None:
        now_s = time.monotonic()
        for heard in list(self._heard.values()):
            if now_s - heard.heard_s > MISSED * heard.news.every_s:
                self._lose(heard, True)

    def _lose(self, heard: _Heard, tells: bool) -> None:
        with self._lock:
            if self._heard.get(heard.serial) is not heard:
                return
            self._drop(heard.serial)
        self._lost(heard.serial, tells)

    def _drop(self, serial: str) -> None:
        heard = self._heard.pop(serial, None)
        if heard is None:
            return
        self._left_s[serial] = heard.heard_s
        with contextlib.suppress(KeyError, ValueError, OSError):
            self._selector.unregister(heard.wire)
        heard.wire.close()
