"""What a simulated recorder answers to the calls of every recorder (docs/link-protocol.md, 5)."""

from __future__ import annotations

import hmac
import inspect
import time
from dataclasses import dataclass
from typing import Any

from kumpel.formats import krec
from kumpel.link import abilities, messages
from kumpel.link.messages import SHUT, Code, Mode
from kumpel.standins.ability_calls import AbilityCalls
from kumpel.standins.device import Measured
from kumpel.standins.firmware_calls import FirmwareCalls
from kumpel.standins.radio_calls import RadioCalls
from kumpel.standins.recorder import CAPACITY_BYTES, Recorder, Refuse
from kumpel.standins.talk import Talk

CHANGES = (
    "write-setup",
    "set-clock",
    "start",
    "stop",
    "clear",
    "calibrate",
    "check",
    "write-course",
    "remove-course",
    "write-picture",
    "maker-picture",
    "firmware-begin",
    "firmware-block",
    "firmware-verify",
    "firmware-switch",
    "join-network",
    "leave-network",
)
WHILE_SHUT = ("hello", "describe", "status", "unlock", "news")
BELONGS = {call: ability for ability, calls in abilities.CALLS.items() for call in calls}
PAGE = 500


@dataclass
class Calls(AbilityCalls, FirmwareCalls, RadioCalls):
    """The calls of one recorder."""

    recorder: Recorder

    async def answer(self, talk: Talk, message: dict[str, Any]) -> dict[str, Any]:
        number, call, values = message.get("id"), message.get("call"), message.get("with")
        try:
            if not isinstance(number, int) or not isinstance(call, str) or not isinstance(values, dict):
                raise Refuse(Code.BAD_REQUEST, "a request is {id, call, with}")
            handler = getattr(self, "call_" + call.replace("-", "_"), None)
            if handler is None or BELONGS.get(call, "") not in ("", *self.recorder.can):
                raise Refuse(Code.UNKNOWN_CALL, f"this recorder knows no call “{call}”")
            self._allowed(talk, call)
            found = handler(talk, values)
            return {"id": number, "ok": await found if inspect.isawaitable(found) else found}
        except Refuse as refuse:
            return {"id": number, "error": {"code": refuse.code, "text": str(refuse)}}
        except (KeyError, TypeError, ValueError) as error:
            return {"id": number, "error": {"code": Code.BAD_REQUEST, "text": f"{call}: {error!r}"}}

    def _allowed(self, talk: Talk, call: str) -> None:
        """Passcode first, then the mode it is in."""
        mode = self.recorder.mode()
        if call in CHANGES and not talk.unlocked:
            raise Refuse(Code.LOCKED, "changing this recorder needs its passcode")
        if mode in SHUT and call not in WHILE_SHUT:
            raise Refuse(Code.WRONG_MODE, str(self.recorder.state["press"]) or f"it is in the mode “{mode}”")
        if mode == Mode.CHECKING and call in CHANGES:
            raise Refuse(Code.WRONG_MODE, "a check is running")
        if mode == Mode.RECORDING and call in CHANGES and call not in ("start", "stop"):
            raise Refuse(Code.RECORDING, "it is recording: stop it first")
        if mode == Mode.RECORDING and call == "read" and self.recorder.device.stop_first:
            raise Refuse(Code.RECORDING, "it has to be stopped before it can be read")

    def call_hello(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        return {}

    def call_describe(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        who, device = self.recorder.declared, self.recorder.device
        return {
            "serial": who.serial,
            "name": who.name,
            "token": who.token,
            "kind": device.kind,
            "model": device.model,
            "firmware": self.recorder.state["firmware"],
            "keeps_one": device.keeps_one,
            "can": list(self.recorder.can),
            "channels": [_channel(m) for m in self.recorder.measured],
        }

    def call_status(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        state = self.recorder.state
        link: dict[str, Any] = {"over": talk.over or state["over"]}
        if state["quality"] is not None:
            link["quality"] = float(state["quality"])
        rate = talk.bytes_per_s or self.recorder.faults.bytes_per_s or self.recorder.declared.bytes_per_s
        if rate:
            link["bytes_per_s"] = float(rate)
        answer = {
            "clock": self.recorder.clock(),
            "utc_offset_min": state["utc_offset_min"],
            "battery": state["battery"],
            "lasts_h": round(state["battery"] * self.recorder.device.full_h(state["setup"]), 1),
            "memory_bytes": CAPACITY_BYTES,
            "memory_used": min(self.recorder.memory.used() / CAPACITY_BYTES, 1.0),
            "mode": self.recorder.mode(),
            "press": state["press"],
            "place": state["place"],
            "link": link,
        }
        left = self.recorder.mode_left_s()
        return answer if left is None else answer | {"mode_left_s": left}

    def call_sessions(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        listed = self._listed()
        after, most = values.get("after"), min(int(values.get("most", PAGE)), PAGE)
        first = next((i + 1 for i, s in enumerate(listed) if s["id"] == after), 0)
        return {"sessions": listed[first : first + most], "more": len(listed) > first + most}

    def _listed(self) -> list[dict[str, Any]]:
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
            for i, s in self.recorder.state["sessions"].items()
        ]
        running = self.recorder.state["recording"]
        if running:
            length = self.recorder.recorded_s()
            listed.append(
                {
                    "id": running["id"],
                    "start": self.recorder.clock() - length,
                    "length_s": length,
                    "size": 0,
                    "complete": False,
                    "about": "recording now",
                }
            )
        return sorted(listed, key=lambda s: -s["start"])

    def call_read(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        offset, session = int(values["offset"]), self._session(values)
        most = min(int(values.get("most", 262_144)), 1_048_576)
        with self.recorder.memory.file_of(session).open("rb") as file:
            file.seek(offset)
            data = file.read(max(most, krec.MAX_ITEM_BYTES if most < 65_536 else most))
        end = _whole_items(data, most)
        items = bytearray(data[:end])
        if items and offset and self.recorder.faults.corrupt_reads > 0:
            self.recorder.faults.corrupt_reads -= 1
            items[len(items) // 2] ^= 0x5A
        return {"offset": offset, "next": offset + end, "items": bytes(items)}

    def call_events(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        session, first = self._session(values), int(values.get("first", 0))
        most = min(int(values.get("most", PAGE)), PAGE)
        with self.recorder.memory.file_of(session).open("rb") as file:
            found = [item.content for item in krec.stream_items(file) if isinstance(item.content, krec.Event)]
        page = found[first : first + most]
        listed = [{"at_s": e.at_s, "code": e.code, "text": e.text, "data": dict(e.data)} for e in page]
        return {"events": listed, "more": len(found) > first + most}

    def _session(self, values: dict[str, Any]) -> str:
        session = str(values["session"])
        if session not in self.recorder.state["sessions"]:
            raise Refuse(Code.NOT_FOUND, f"no session {session}")
        return session

    def call_setup(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        state = self.recorder.state
        answer = {"revision": state["revision"], "setup": state["setup"], "slip": state["slip"]}
        if abilities.NAMES not in self.recorder.device.can:
            return answer
        withheld = not talk.unlocked
        return answer | {"names": {} if withheld else state["names"], "names_withheld": withheld}

    def call_write_setup(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        state = self.recorder.state
        names = values.get("names")
        if not isinstance(values["based_on"], int):
            raise Refuse(Code.BAD_REQUEST, "based_on must be a whole number")
        if not isinstance(values["setup"], dict) or not isinstance(values.get("slip", {}), dict):
            raise Refuse(Code.BAD_SETUP, "setup and slip must be maps")
        if names is not None and not self._names_fit(names):
            raise Refuse(Code.BAD_SETUP, "names that this recorder cannot keep")
        if values["based_on"] != state["revision"]:
            raise Refuse(Code.STALE_SETUP, "the settings on the recorder have changed meanwhile")
        state.update({"setup": values["setup"], "slip": values.get("slip", {}), "revision": state["revision"] + 1})
        if names is not None:
            state["names"] = names
        self.recorder.memory.save()
        self.recorder.handed_out()
        return self.call_setup(talk, values)

    def _names_fit(self, names: object) -> bool:
        known = self.recorder.device.names
        return isinstance(names, dict) and all(
            key in known and isinstance(text, str) and len(text) <= 40 for key, text in names.items()
        )

    def call_set_clock(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        self.recorder.state["clock_error_s"] = float(values["clock"]) - time.time()
        self.recorder.state["utc_offset_min"] = int(values["utc_offset_min"])
        self.recorder.memory.save()
        return self.call_status(talk, values)

    def call_start(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        self.recorder.start_recording()
        return self.call_status(talk, values)

    def call_stop(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        self.recorder.stop_recording()
        return self.call_status(talk, values)

    def call_clear(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        named = {str(s["id"]): bytes(s["sha256"]).hex() for s in values["sessions"]}
        for session, digest in named.items():
            known = self.recorder.state["sessions"].get(session)
            if known is None:
                raise Refuse(Code.NOT_FOUND, f"no session {session}; nothing was cleared")
            if known["sha256"] != digest:
                raise Refuse(Code.HASH_MISMATCH, f"session {session} differs from what was stored; nothing was cleared")
        self.recorder.memory.forget(named)
        return {"cleared": list(named)}

    def call_unlock(self, talk: Talk, values: dict[str, Any]) -> dict[str, Any]:
        passcode, nonce = str(self.recorder.state["passcode"]), bytes(values["nonce"])
        expected = messages.proof(passcode, "client", talk.nonce, nonce)
        if not hmac.compare_digest(expected, bytes(values["proof"])):
            raise Refuse(Code.WRONG_PASSCODE, "the passcode is not the one of this recorder")
        talk.unlocked = True
        return {"proof": messages.proof(passcode, "recorder", talk.nonce, nonce)}


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


def _channel(measured: Measured) -> dict[str, Any]:
    about = {"key": measured.key, "name": measured.name, "unit": measured.unit, "most_hz": measured.most_hz}
    return about | ({"raw_unit": measured.sensor.unit} if measured.sensor else {})
