"""The conformance table: every simulated recorder keeps to it, and one with planted faults fails in exactly those."""

from __future__ import annotations

import asyncio
import tempfile
import threading
import time
import zlib
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

import numpy as np

from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.link import frames
from kumpel.link.client import RecorderLink
from kumpel.services.recorders import conformance
from kumpel.services.recorders.conformance import FAILS, KEPT, NOT_ASKED, ROWS, Outcome, Probe
from kumpel.standins import vehicle_signal
from kumpel.standins.calls import Calls
from kumpel.standins.device import Began, Recorded
from kumpel.standins.devices import DEVICES
from kumpel.standins.memory import Memory
from kumpel.standins.recorder import Declared, Recorder
from kumpel.standins.serving import Serving
from kumpel.standins.talk import Talk, TcpStream
from tests.link.test_abilities import Dock

COURSE = vehicle_signal.course_of(vehicle_signal.loop("Practice loop", 1200, 7))
PLANTED: dict[str, str] = {
    # fault of the recorder: the row that has to find it
    "answers a frame with a wrong CRC": "a frame with a wrong CRC is not answered",
    "answers what is no call": "what is no call is a bad request, and the conversation goes on",
    "fault in place of unknown call": "a call that nobody specified is unknown",
    "refuses unknown keys": "unknown keys are ignored",
    "same nonce": "every greeting has a nonce of its own",
    "changes while locked": "changing is refused before unlocking, reading is not",
    "another code for a wrong proof": "a wrong proof is refused",
    "another serial number": "it is who its greeting said",
    "two channels of one key": "channels have keys of their own",
    "answers to what it lacks": "a call of an ability that it lacks is unknown",
    "clock stands": "its clock goes on",
    "oldest first": "sessions come newest first, each once, complete ones with their hash",
    "pages too long": "a page holds no more than was asked for, and the pages are the whole",
    "wrong hash": "a session read has the size and the hash that were listed",
    "half an item": "even the smallest piece holds whole items",
    "loses an event": "the events apart are those of the file",
    "another code for no session": "a session that is not there is not found",
    "tells names": "names are withheld until it is unlocked, and said nowhere else",
    "live values in another unit": "live values come in SenML at their rate, and end",
    "raw values in another unit": "a raw value comes beside its live value, in its unit",
    "holds another channel": "a raw value is held and told with its spread",
    "course with another hash": "courses have the hash that is listed",
    "another firmware": "the firmware that runs is the one described",
    "takes stale settings": "settings written on an older reading are refused, and nothing is written",
    "revision jumps": "settings written are read back equal, one revision further",
    "clears what is right of a wrong list": "clearing is all or nothing, and a hash has to be right",
    "takes a firmware of nobody's": "a firmware signed with a key of nobody is thrown away, and the running one stays",
    "forgets what came of a firmware": "what was received of a firmware is still there after a cut, and goes on there",
    "keeps another picture": "a picture is kept as it was sent",
    "counts back": "a recorder that tells says within its time that it is still there, and counts on",
    "tells of nothing": "a change is told within a second",
}


class FaultyCalls(Calls):
    """A logger that does not keep to the document."""

    async def answer(self, talk: Talk, message: dict[str, Any]) -> dict[str, Any]:
        call, values = message.get("call"), message.get("with", {})
        match call:
            case "clear" if not talk.unlocked:
                return {"id": message["id"], "ok": {"cleared": []}}
            case "checks":
                return {"id": message["id"], "ok": {"checks": []}}
            case "clear" if not all(any(bytes(s["sha256"])) for s in values["sessions"]):
                right = [s for s in values["sessions"] if any(bytes(s["sha256"]))]
                await super().answer(talk, message | {"with": {"sessions": right}})
            case "describe" if "a key of a later version" in values:
                return {"id": message["id"], "error": {"code": "bad-request", "text": "unknown key"}}
            case "write-setup":
                stale = values["based_on"] > 900
                values = values | ({"based_on": self.recorder.state["revision"]} if stale else {})
                answer = await super().answer(talk, message | {"with": values})
                if "ok" in answer and not stale:
                    self.recorder.state["revision"] += 1
                return answer
        answer = await super().answer(talk, message)
        if "error" in answer:
            self._other_error(call, answer["error"])
            if answer["error"]["code"] == "not-genuine":
                answer["error"]["code"] = "bad-value"
            if call == "read" and answer["error"]["code"] == "bad-request":
                return {"id": message["id"], "ok": {}}
        else:
            self._other_answer(talk, str(call), values, answer["ok"])
        return answer

    @staticmethod
    def _other_error(call: object, error: dict[str, Any]) -> None:
        if call == "no-such-call" or (call == "read" and error["code"] == "not-found") or call == "unlock":
            error["code"] = "fault"

    def _other_answer(self, talk: Talk, call: str, values: dict[str, Any], ok: dict[str, Any]) -> None:
        match call:
            case "describe":
                ok["serial"] = "VL-OTHER"
                channels = [c | {"unit": "rad"} for c in [*ok["channels"], ok["channels"][0]]]
                ok["channels"] = [c | ({"raw_unit": "steps"} if c.get("raw_unit") else {}) for c in channels]
            case "capture":
                ok["channel"] = "another"
            case "status" if not talk.unlocked:
                ok["clock"] += 20 * (time.monotonic() % 1000)
            case "sessions" if values.get("most", 500) > 1:
                ok["sessions"] = [*ok["sessions"][1:], ok["sessions"][0]]
            case "sessions":
                ok |= self._all_sessions()
            case "read" if values.get("most") == 1:
                ok["items"] = ok["items"][:-1]
            case "events":
                ok["events"] = ok["events"][:-1]
            case "setup":
                ok |= {"names": {"driver": "Jonas T."}, "names_withheld": False}
            case "courses":
                ok["courses"] = [
                    c | {"sha256": bytes(32)} if c["name"] == "Practice loop" else c for c in ok["courses"]
                ]
            case "firmware":
                ok["received"] = 0
                ok["running"] += "x" if ok["running"] == self.recorder.device.firmware else ""
            case "news":
                ok["count"] += 100
            case "write-picture":
                ok["pixels"] = bytes(len(ok["pixels"]))
        for each in ok.get("sessions", []):
            if each["id"] == "S-2":
                each["sha256"] = bytes(32)

    def _all_sessions(self) -> dict[str, Any]:
        return {"sessions": self._listed(), "more": False}


class LaxStream(TcpStream):
    async def receive(self) -> dict[str, Any]:
        header = await self._reader.readexactly(frames.HEADER.size)
        payload = await self._reader.readexactly(frames.payload_length(header))
        return frames.unpack(frames.HEADER.pack(len(payload), zlib.crc32(payload)), payload)


class FaultyServing(Serving):
    def __init__(self, recorder: Recorder) -> None:
        super().__init__(recorder)
        self.calls = FaultyCalls(recorder)

    async def _greet(self, talk: Talk) -> None:
        talk.nonce = bytes(16)
        await super()._greet(talk)


class Conforming(Dock):
    recorders: ClassVar[tuple[StandIn, ...]] = tuple(
        StandIn(
            f"X-{number:02d}",
            f"XX-{number:06d}",
            kind,
            kind=kind,
            passcode="2718" if number % 2 else "",
            rest={"courses": [COURSE] if kind == "vehicle" else []},
        )
        for number, kind in enumerate(DEVICES)
    )

    @classmethod
    def setUpClass(cls) -> None:
        """A process each: one that is busy with a long session keeps none of the others waiting."""
        each_alone, cls.recorders = cls.recorders, ()
        super().setUpClass()
        cls.recorders = each_alone
        for recorder in each_alone:
            cls.ensemble.begin((recorder,), False)
        cls.ensemble.wait()

    def test_every_simulated_recorder_keeps_to_every_row(self) -> None:
        asked: set[str] = set()
        # Each waits most of its time for its recorder.
        with ThreadPoolExecutor(3) as beside:
            for found in beside.map(self.keeps_to_every_row, self.recorders):
                asked |= {f.asks for f in found if f.outcome == KEPT}
        never = {row.asks for row in ROWS} - asked
        self.assertEqual(never, {"on a serial port garbage before a frame costs nothing"})

    def keeps_to_every_row(self, each: StandIn) -> list[Outcome]:
        running = self.ensemble.running[each.token]
        for number in range(2):
            if not number or not DEVICES[each.kind].keeps_one:
                running.tell("record", start=time.time() - 9000 + 2000 * number, length_s=700, names={})
        running.tell("set", names=dict.fromkeys(DEVICES[each.kind].names, "Lovise D."))
        before = running.tell("state")
        with RecorderLink("127.0.0.1", running.link) as link:
            sessions = link.sessions()
        found = list(conformance.test(Probe("127.0.0.1", running.link, each.passcode), True))
        self.assertEqual([f for f in found if f.outcome == FAILS], [], each.kind)
        self.assertGreater(sum(f.outcome == KEPT for f in found), 18, each.kind)
        after = running.tell("state")
        for key in ("setup", "slip", "names", "mode"):
            self.assertEqual(after[key], before[key], each.kind)
        self.assertAlmostEqual(after["clock_error_s"], before["clock_error_s"], delta=1, msg=each.kind)
        with RecorderLink("127.0.0.1", running.link) as link:
            self.assertEqual(link.sessions(), sessions, each.kind)
        return found

    def test_without_changes_nothing_is_changed(self) -> None:
        running = self.ensemble.running["X-00"]
        before = (running.folder / "state.json").read_bytes()
        found = list(conformance.test(Probe("127.0.0.1", running.link)))
        self.assertEqual((running.folder / "state.json").read_bytes(), before)
        self.assertEqual(len(found), sum(not row.changes for row in ROWS))


class Faulty(Dock):
    recorders: ClassVar[tuple[StandIn, ...]] = ()

    def test_each_planted_fault_is_found_and_nothing_else(self) -> None:
        self.assertGreaterEqual(len(PLANTED), 20)
        found = self.table()
        fails = {f.asks for f in found if f.outcome == FAILS}
        self.assertEqual(
            fails, set(PLANTED.values()), [f for f in found if f.outcome == FAILS and f.asks not in PLANTED.values()]
        )
        self.assertEqual(
            {f.asks for f in found if f.outcome == NOT_ASKED},
            {row.asks for row in ROWS if row.clause in ("10",) or "serial port" in row.asks or "drawn" in row.asks},
        )

    def table(self) -> list[Outcome]:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        device = replace(DEVICES["vehicle"], record=small_session)
        who = Declared("V-99", "VL-000099", "Faulty", passcode="2718", courses=(COURSE,))
        recorder = Recorder(Memory(folder), device, who)
        recorder.memory.state["revision"] = 5
        for number in range(3):
            recorder.record(f"S-{number}", time.time() - 9000 + 2000 * number, 900.0 - 300 * number, {})
        with mock.patch("kumpel.standins.serving.TcpStream", LaxStream):
            port, done = serve(recorder)
            self.addCleanup(done)
            return list(conformance.test(Probe("127.0.0.1", port, "2718"), True))


def small_session(began: Began, wishes: Any) -> Recorded:
    """A speed channel and some events."""
    count = max(int(began.length_s), 1)
    head = krec.ChannelHead("speed", "Speed", "m/s", 1.0, "f32")
    about = krec.Head("vehicle", began.session, began.start, 60, began.recorder, {}, (head,), began.slip)
    events = [krec.Event(float(i), "beacon", "passed") for i in range(min(count, 5))]
    return Recorded(float(count), (krec.write(about, {"speed": np.random.default_rng(1).random(count)}, events),))


def serve(recorder: Recorder) -> tuple[int, Any]:
    """A faulty recorder on loopback in a thread."""
    loop = asyncio.new_event_loop()
    ready: list[int] = []
    begun = threading.Event()

    async def begin() -> None:
        server = await asyncio.start_server(FaultyServing(recorder).tcp, "127.0.0.1", 0, limit=frames.MAX_PAYLOAD)
        ready.append(server.sockets[0].getsockname()[1])
        begun.set()

    def run() -> None:
        loop.run_until_complete(begin())
        loop.run_forever()

    thread = threading.Thread(target=run, daemon=True)
    thread.start()
    begun.wait(10)

    def done() -> None:
        loop.call_soon_threadsafe(loop.stop)
        thread.join(5)

    return ready[0], done
