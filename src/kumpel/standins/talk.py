"""One conversation with a client: what it proved, what it subscribed to, the stream it goes over."""

from __future__ import annotations

import asyncio
import contextlib
import os
import secrets
import tty
from collections.abc import Coroutine
from pathlib import Path
from typing import Any, Protocol

from kumpel.link import frames
from kumpel.link.wires import BAUD, BITS_A_BYTE
from kumpel.standins.recorder import Faults

SLICE = 16_384


class Unplugged(ConnectionError):
    """The recorder was told to vanish in the middle of what it sends."""


class Stream(Protocol):
    """Messages there and back, as bytes of whole frames."""

    async def receive(self) -> dict[str, Any]: ...

    async def write(self, data: bytes) -> None: ...

    def abort(self) -> None: ...


class TcpStream:
    def __init__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self._reader, self._writer = reader, writer

    async def receive(self) -> dict[str, Any]:
        header = await self._reader.readexactly(frames.HEADER.size)
        return frames.unpack(header, await self._reader.readexactly(frames.payload_length(header)))

    async def write(self, data: bytes) -> None:
        self._writer.write(data)
        await self._writer.drain()

    def abort(self) -> None:
        with contextlib.suppress(Exception):
            self._writer.transport.abort()


class SerialStream:
    """A pseudo-terminal; the client's end stands as a link in a folder, like a port that was plugged in."""

    def __init__(self, link: Path) -> None:
        self._mine, self._theirs = os.openpty()
        tty.setraw(self._theirs)
        os.set_blocking(self._mine, False)
        self.link = link
        self.plug_in()
        self._hunt = frames.Hunt()
        self._heard = asyncio.Event()
        asyncio.get_running_loop().add_reader(self._mine, self._hear)

    def plug_in(self) -> None:
        self.link.parent.mkdir(parents=True, exist_ok=True)
        self.link.unlink(missing_ok=True)
        self.link.symlink_to(os.ttyname(self._theirs))

    def _hear(self) -> None:
        with contextlib.suppress(OSError):
            self._hunt.feed(os.read(self._mine, 65_536))
        self._heard.set()

    async def receive(self) -> dict[str, Any]:
        while (found := self._hunt.next_frame()) is None:
            self._heard.clear()
            try:
                await asyncio.wait_for(self._heard.wait(), 1.0)
            except TimeoutError:
                self._hunt.give_up()
        return frames.unpack(*found)

    async def write(self, data: bytes) -> None:
        left = memoryview(data)
        while left:
            try:
                left = left[os.write(self._mine, left[:4096]) :]
            except BlockingIOError:
                await asyncio.sleep(0.005)

    def abort(self) -> None:
        """The cable is pulled: the link goes, nothing more is heard."""
        self.link.unlink(missing_ok=True)

    def close(self) -> None:
        self.abort()
        asyncio.get_running_loop().remove_reader(self._mine)
        for end in (self._mine, self._theirs):
            with contextlib.suppress(OSError):
                os.close(end)


class Talk:
    """A conversation over a stream; `marked` streams have a start marker before each frame and are no network."""

    def __init__(
        self, stream: Stream, faults: Faults, passcode: str, usual_bytes_per_s: float | None, marked: bool
    ) -> None:
        self.stream, self.faults = stream, faults
        self.over = "cable" if marked else ""
        self.bytes_per_s: float | None = BAUD / BITS_A_BYTE if marked and usual_bytes_per_s is None else None
        self._usual = usual_bytes_per_s or self.bytes_per_s
        self._marked = marked
        self._passcode = passcode
        self._sending = asyncio.Lock()
        self._kept_on: dict[str, asyncio.Task[None]] = {}
        self.ends = False
        self.begin()

    def begin(self) -> None:
        """A new greeting: what was proved or subscribed before does not count any more."""
        self.nonce = secrets.token_bytes(16)
        self.unlocked = not self._passcode
        self.let_go()

    def keep_on(self, call: str, work: Coroutine[Any, Any, None] | None) -> None:
        """Work for a call that goes on beside the answers, in place of what went on for it before."""
        if before := self._kept_on.pop(call, None):
            before.cancel()
        if work is not None:
            self._kept_on[call] = asyncio.get_running_loop().create_task(work)

    def let_go(self) -> None:
        """Nothing goes on any more."""
        for call in list(self._kept_on):
            self.keep_on(call, None)

    async def send(self, message: dict[str, Any]) -> None:
        data = frames.pack(message)
        if self._marked:
            data = self.faults.garbage + frames.MARKER + data
        async with self._sending:
            await self._put(data)

    async def _put(self, data: bytes) -> None:
        faults = self.faults
        if faults.vanish_after is not None:
            if faults.vanish_after < len(data):
                await self.stream.write(data[: faults.vanish_after])
                raise Unplugged
            faults.vanish_after -= len(data)
        rate = faults.bytes_per_s or self._usual
        if not rate or len(data) <= 2048:
            await self.stream.write(data)
            return
        step = min(SLICE, max(int(rate / 10), 256))
        for at in range(0, len(data), step):
            await self.stream.write(data[at : at + step])
            await asyncio.sleep(step / rate)
