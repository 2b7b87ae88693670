"""A recorder in software: memory and settings on disk, a clock with an error, a battery, the link, faults on command.

It shares nothing with the server but the protocol library (frames, messages, recording file).
"""

from __future__ import annotations

import asyncio
import contextlib
import hashlib
import hmac
import json
import os
import secrets
import time
from collections.abc import Awaitable, Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from zeroconf import Zeroconf

from kumpel.formats import krec
from kumpel.link import discovery, frames, messages
from kumpel.link.messages import Code

CAPACITY_BYTES = 4 * 1024 * 1024
MakeFile = Callable[[dict[str, Any], dict[str, Any]], bytes]


class Refuse(Exception):
    def __init__(self, code: str, text: str) -> None:
        super().__init__(text)
        self.code = code


@dataclass
class Memory:
    """What survives switching off: one JSON file and one file a session."""

    folder: Path
    state: dict[str, Any] = field(default_factory=dict)

    def load(self, fresh: dict[str, Any]) -> None:
        self.sessions.mkdir(parents=True, exist_ok=True)
        file = self.folder / "state.json"
        self.state = json.loads(file.read_text()) if file.exists() else fresh
        self.save()

    def save(self) -> None:
        part = self.folder / "state.part"
        part.write_text(json.dumps(self.state))
        part.replace(self.folder / "state.json")

    @property
    def sessions(self) -> Path:
        return self.folder / "sessions"

    def keep(self, session: str, data: bytes, about: dict[str, Any]) -> None:
        part = self.sessions / f"{session}.part"
        part.write_bytes(data)
        part.replace(self.sessions / f"{session}.krec")
        digest = hashlib.sha256(data).hexdigest()
        self.state["sessions"][session] = about | {"size": len(data), "sha256": digest}
        self.save()

    def used(self) -> int:
        return sum(s["size"] for s in self.state["sessions"].values())


@dataclass
class Faults:
    """Told over the control port, by tests and the demo only."""

    vanish_after: int | None = None
    corrupt_reads: int = 0
    bytes_per_s: float | None = None


class Recorder:
    """State and calls of one simulated recorder; `make_file` records a session from its settings."""

    def __init__(
        self, memory: Memory, about: dict[str, Any], make_file: MakeFile, time_factor: float, auto_start: bool = False
    ) -> None:
        self.memory, self.about, self.make_file = memory, about, make_file
        self.time_factor, self.auto_start = time_factor, auto_start
        self._start_at: float | None = None
        self.faults = Faults()
        self.gone = False
        self._connections: set[asyncio.StreamWriter] = set()

    @property
    def state(self) -> dict[str, Any]:
        return self.memory.state

    def clock(self) -> float:
        return time.time() + float(self.state["clock_error_s"])

    # -- recording

    def start_recording(self) -> None:
        if self.state["recording"]:
            raise Refuse(Code.RECORDING, "it is recording already")
        self.state["recording"] = {"id": self._new_id(), "since": time.time()}
        self.memory.save()

    def stop_recording(self) -> None:
        running = self.state["recording"]
        if not running:
            raise Refuse(Code.NOT_RECORDING, "it is not recording")
        length = self._recorded_s(running)
        self.state["recording"] = None
        self.record(running["id"], self.clock() - length, int(length), {})

    def _recorded_s(self, running: dict[str, Any]) -> float:
        planned = float(self.state["setup"].get("run_length_min", 480)) * 60
        elapsed: float = time.time() - running["since"]
        return min(elapsed * self.time_factor, planned)

    def record(self, session: str, start: float, length_s: int, wish: dict[str, Any]) -> str:
        """Record a whole session at once; `wish` are parameters of the signal."""
        head = {
            "session": session,
            "start": start,
            "utc_offset_min": self.state["utc_offset_min"],
            "length_s": length_s,
            "setup": self.state["setup"],
            "slip": self.state["slip"],
            "recorder": {k: self.about[k] for k in ("serial", "name", "token", "model", "firmware")},
        }
        data = self.make_file(head, wish)
        about = str(self.state["setup"].get("name", ""))
        self.memory.keep(session, data, {"start": start, "length_s": float(length_s), "about": about})
        return session

    def _new_id(self) -> str:
        self.state["counter"] += 1
        return f"{self.about['serial']}-{self.state['counter']:05d}"

    async def finish_full_runs(self) -> None:
        """Stops by itself when the planned run length is reached. Ends when the program that started it is gone."""
        parent = os.getppid()
        while os.getppid() == parent:
            await asyncio.sleep(0.1)
            if self._start_at is not None and time.time() >= self._start_at and not self.state["recording"]:
                self._start_at = None
                self.start_recording()
            running = self.state["recording"]
            planned = float(self.state["setup"].get("run_length_min", 480)) * 60
            if running and self._recorded_s(running) >= planned:
                self.stop_recording()

    # -- the link

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        if self.gone:
            writer.close()
            return
        self._connections.add(writer)
        client = _Client(nonce=secrets.token_bytes(16), unlocked=not self.state["passcode"])
        try:
            await self._send(
                writer,
                {
                    "note": "hello",
                    "with": {
                        "protocol": frames.PROTOCOL,
                        "serial": self.about["serial"],
                        "nonce": client.nonce,
                        "locked": not client.unlocked,
                    },
                },
            )
            while not self.gone:
                header = await reader.readexactly(frames.HEADER.size)
                payload = await reader.readexactly(frames.payload_length(header))
                await self._send(writer, self._answer(client, frames.unpack(header, payload)))
        except (asyncio.IncompleteReadError, ConnectionError, frames.FrameError):
            pass
        finally:
            self._connections.discard(writer)
            writer.close()

    async def _send(self, writer: asyncio.StreamWriter, message: dict[str, Any]) -> None:
        data = frames.pack(message)
        faults = self.faults
        if faults.vanish_after is not None:
            if faults.vanish_after < len(data):
                writer.write(data[: faults.vanish_after])
                await writer.drain()
                self.vanish()
                raise ConnectionError("unplugged")
            faults.vanish_after -= len(data)
        if faults.bytes_per_s and len(data) > 2048:
            for at in range(0, len(data), 16_384):
                writer.write(data[at : at + 16_384])
                await writer.drain()
                await asyncio.sleep(16_384 / faults.bytes_per_s)
            return
        writer.write(data)
        await writer.drain()

    def vanish(self) -> None:
        self.gone = True
        self.faults.vanish_after = None
        for writer in list(self._connections):
            with contextlib.suppress(Exception):
                writer.transport.abort()

    def _answer(self, client: _Client, message: dict[str, Any]) -> dict[str, Any]:
        number, call, values = message.get("id"), message.get("call"), message.get("with")
        try:
            if not isinstance(number, int) or not isinstance(call, str) or not isinstance(values, dict):
                raise Refuse(Code.BAD_REQUEST, "a request is {id, call, with}")
            handler = getattr(self, "call_" + call.replace("-", "_"), None)
            if handler is None:
                raise Refuse(Code.UNKNOWN_CALL, f"this recorder knows no call “{call}”")
            if call in ("write-setup", "set-clock", "start", "stop", "clear") and not client.unlocked:
                raise Refuse(Code.LOCKED, "changing this recorder needs its passcode")
            return {"id": number, "ok": handler(client, values)}
        except Refuse as refuse:
            return {"id": number, "error": {"code": refuse.code, "text": str(refuse)}}
        except (KeyError, TypeError, ValueError) as error:
            return {"id": number, "error": {"code": Code.BAD_REQUEST, "text": f"{call}: {error!r}"}}

    def call_describe(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        return dict(self.about)

    def call_status(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        return {
            "clock": self.clock(),
            "utc_offset_min": self.state["utc_offset_min"],
            "battery": self.state["battery"],
            "memory_used": min(self.memory.used() / CAPACITY_BYTES, 1.0),
            "mode": "recording" if self.state["recording"] else "ready",
            "place": self.state["place"],
        }

    def call_sessions(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        listed = [
            {
                "id": i,
                "start": s["start"],
                "length_s": s["length_s"],
                "size": s["size"],
                "sha256": bytes.fromhex(s["sha256"]),
                "complete": True,
                "about": s["about"],
            }
            for i, s in self.state["sessions"].items()
        ]
        running = self.state["recording"]
        if running:
            length = self._recorded_s(running)
            listed.append(
                {
                    "id": running["id"],
                    "start": self.clock() - length,
                    "length_s": length,
                    "size": 0,
                    "complete": False,
                    "about": "recording now",
                }
            )
        return {"sessions": sorted(listed, key=lambda s: -s["start"])}

    def call_read(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        session, offset = str(values["session"]), int(values["offset"])
        if session not in self.state["sessions"]:
            raise Refuse(Code.NOT_FOUND, f"no session {session}")
        most = min(int(values.get("most", 262_144)), 1_048_576)
        with (self.memory.sessions / f"{session}.krec").open("rb") as file:
            file.seek(offset)
            data = file.read(max(most, krec.MAX_ITEM_BYTES if most < 65_536 else most))
        end = _whole_items(data, most)
        items = bytearray(data[:end])
        if items and offset and self.faults.corrupt_reads > 0:
            self.faults.corrupt_reads -= 1
            items[len(items) // 2] ^= 0x5A
        return {"offset": offset, "next": offset + end, "items": bytes(items)}

    def call_setup(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        return {"revision": self.state["revision"], "setup": self.state["setup"], "slip": self.state["slip"]}

    def call_write_setup(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        if self.state["recording"]:
            raise Refuse(Code.RECORDING, "it is recording: stop it first")
        if not isinstance(values["based_on"], int):
            raise Refuse(Code.BAD_REQUEST, "based_on must be a whole number")
        if not isinstance(values["setup"], dict) or not isinstance(values.get("slip", {}), dict):
            raise Refuse(Code.BAD_SETUP, "setup and slip must be maps")
        if values["based_on"] != self.state["revision"]:
            raise Refuse(Code.STALE_SETUP, "the settings on the recorder have changed meanwhile")
        self.state.update(
            {"setup": values["setup"], "slip": values.get("slip", {}), "revision": self.state["revision"] + 1}
        )
        self.memory.save()
        if self.auto_start and self.state["slip"]:
            self._start_at = time.time() + 4.0
        return self.call_setup(client, values)

    def call_set_clock(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        self.state["clock_error_s"] = float(values["clock"]) - time.time()
        self.state["utc_offset_min"] = int(values["utc_offset_min"])
        self.memory.save()
        return self.call_status(client, values)

    def call_start(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        self.start_recording()
        return self.call_status(client, values)

    def call_stop(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        self.stop_recording()
        return self.call_status(client, values)

    def call_clear(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        named = {str(s["id"]): bytes(s["sha256"]).hex() for s in values["sessions"]}
        for session, digest in named.items():
            known = self.state["sessions"].get(session)
            if known is None:
                raise Refuse(Code.NOT_FOUND, f"no session {session}; nothing was cleared")
            if known["sha256"] != digest:
                raise Refuse(Code.HASH_MISMATCH, f"session {session} differs from what was stored; nothing was cleared")
        for session in named:
            del self.state["sessions"][session]
            (self.memory.sessions / f"{session}.krec").unlink(missing_ok=True)
        self.memory.save()
        return {"cleared": list(named)}

    def call_unlock(self, client: _Client, values: dict[str, Any]) -> dict[str, Any]:
        passcode, nonce = str(self.state["passcode"]), bytes(values["nonce"])
        expected = messages.proof(passcode, "client", client.nonce, nonce)
        if not hmac.compare_digest(expected, bytes(values["proof"])):
            raise Refuse(Code.WRONG_PASSCODE, "the passcode is not the one of this recorder")
        client.unlocked = True
        return {"proof": messages.proof(passcode, "recorder", client.nonce, nonce)}

    # -- the control port: one JSON object a line

    async def control(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        while line := await reader.readline():
            try:
                answer = self.command(json.loads(line)) or {}
            except (Refuse, KeyError, TypeError, ValueError) as error:
                answer = {"error": repr(error)}
            writer.write(json.dumps(answer).encode() + b"\n")
            await writer.drain()
        writer.close()

    def command(self, wish: dict[str, Any]) -> dict[str, Any] | None:
        match wish.pop("do"):
            case "vanish":
                self.faults.vanish_after = int(wish.get("after_bytes", 0))
                if not self.faults.vanish_after:
                    self.vanish()
            case "come back":
                self.gone = False
            case "corrupt":
                self.faults.corrupt_reads = int(wish.get("reads", 1))
            case "slow":
                self.faults.bytes_per_s = wish.get("bytes_per_s")
            case "set":
                self.state.update({k: wish[k] for k in wish if k in self.state})
                self.memory.save()
            case "record":
                session = self.record(self._new_id(), wish.pop("start"), int(wish.pop("length_s")), wish)
                return {"session": session}
            case "forget":
                for session in list(self.state["sessions"]):
                    (self.memory.sessions / f"{session}.krec").unlink(missing_ok=True)
                self.state["sessions"] = {}
                self.memory.save()
            case other:
                raise ValueError(f"no command {other}")
        return None


@dataclass
class _Client:
    nonce: bytes
    unlocked: bool


def _whole_items(data: bytes, most: int) -> int:
    """End of the last whole item within `most` bytes, or of the first item when that is longer."""
    end = 0
    try:
        for item in krec.read_items(data):
            if end and item.end > most:
                break
            end = item.end
    except krec.IncompleteError:
        pass
    return end


async def run(
    recorder: Recorder, port: int, control_port: int, announce: bool, ready: Callable[[int, int], None]
) -> None:
    """Serve link and control port on loopback until cancelled."""
    link = await asyncio.start_server(recorder.serve, "127.0.0.1", port, limit=frames.MAX_PAYLOAD)
    control = await asyncio.start_server(recorder.control, "127.0.0.1", control_port)
    ports = link.sockets[0].getsockname()[1], control.sockets[0].getsockname()[1]
    mdns: Zeroconf | None = None
    if announce:
        mdns = discovery.open_mdns()
        info = discovery.service_info(recorder.about["serial"], recorder.about["kind"], ports[0])
        await mdns.async_register_service(info, allow_name_change=False, cooperating_responders=True)
    ready(*ports)
    runs: Awaitable[None] = recorder.finish_full_runs()
    try:
        await runs
    finally:
        link.close()
        control.close()
        if mdns is not None:
            await mdns.async_unregister_all_services()
            mdns.close()
