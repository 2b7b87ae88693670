"""Recorders that answer whatever a test wants: many good ones, and wild ones, on loopback in a thread of their own."""

from __future__ import annotations

import asyncio
import threading
import time
from dataclasses import dataclass, field
from typing import Any

from kumpel.link import frames

Answers = dict[str, Any]


def good(serial: str) -> Answers:
    """What a well-behaved noise meter answers to each call."""
    return {
        "describe": {
            "serial": serial,
            "name": serial,
            "token": serial[-4:],
            "kind": "noise",
            "model": "NM-1",
            "firmware": "1",
            "keeps_one": False,
        },
        "status": lambda: {
            "clock": time.time(),
            "utc_offset_min": 60,
            "battery": 0.5,
            "memory_used": 0.1,
            "mode": "ready",
            "place": "",
        },
        "sessions": {"sessions": []},
        "setup": {"revision": 1, "setup": {"name": "Full shift"}, "slip": {}},
    }


@dataclass
class Wild:
    """A recorder: `answers` by call (a value, a function that makes one, or raw bytes); `greeting` and `flood` as wanted. After its
    answer to “live” it sends the note `live` (of any name) without end, every `live_s`."""

    serial: str
    answers: Answers = field(default_factory=dict)
    greets: bool = True
    notes_without_end: bool = False
    drip_s: float = 0.0
    live: Any = None
    live_note: str = "live"
    live_s: float = 0.1
    port: int = 0
    asked: list[float] = field(default_factory=list)

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        try:
            self.asked.append(time.monotonic())
            if not self.greets:
                await asyncio.sleep(60)
            hello = {"protocol": 1, "serial": self.serial, "nonce": bytes(16), "locked": False}
            await self.send(writer, frames.pack({"note": "hello", "with": hello}))
            while True:
                header = await reader.readexactly(frames.HEADER.size)
                message = frames.unpack(header, await reader.readexactly(frames.payload_length(header)))
                while self.notes_without_end:
                    await self.send(writer, frames.pack({"note": "x", "with": {}}))
                answer = self.answers.get(message["call"], good(self.serial).get(message["call"], {}))
                answer = answer() if callable(answer) else answer
                raw = answer if isinstance(answer, bytes) else frames.pack({"id": message["id"], "ok": answer})
                await self.send(writer, raw)
                while message["call"] == "live" and self.live is not None:
                    await self.send(writer, frames.pack({"note": self.live_note, "with": self.live}))
                    await asyncio.sleep(self.live_s)
        except (OSError, asyncio.IncompleteReadError, asyncio.CancelledError):
            pass
        finally:
            writer.close()

    async def send(self, writer: asyncio.StreamWriter, raw: bytes) -> None:
        if not self.drip_s:
            writer.write(raw)
            await writer.drain()
            return
        for byte in raw:
            writer.write(bytes((byte,)))
            await writer.drain()
            await asyncio.sleep(self.drip_s)


class Crowd:
    """Recorders served side by side until closed."""

    def __init__(self, *recorders: Wild) -> None:
        self.recorders = recorders
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._loop.run_forever, daemon=True)
        self._thread.start()
        asyncio.run_coroutine_threadsafe(self._start(), self._loop).result(20)

    async def _start(self) -> None:
        self._servers = []
        for each in self.recorders:
            server = await asyncio.start_server(each.serve, "127.0.0.1", each.port)
            each.port = server.sockets[0].getsockname()[1]
            self._servers.append(server)

    def close(self) -> None:
        async def stop() -> None:
            for server in self._servers:
                server.close()
            for task in asyncio.all_tasks():
                if task is not asyncio.current_task():
                    task.cancel()

        asyncio.run_coroutine_threadsafe(stop(), self._loop).result(10)
        self._loop.call_soon_threadsafe(self._loop.stop)
        self._thread.join(5)
