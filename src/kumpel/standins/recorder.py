"""A recorder in software: its clock and its error, its modes, recording by its setup.

It shares nothing with the server but the protocol library (frames, messages, recording file).
"""

from __future__ import annotations

import asyncio
import time
from dataclasses import dataclass, field
from typing import Any

from kumpel.link.abilities import NEWS
from kumpel.link.messages import SHUT, Code, Mode
from kumpel.standins.device import Began, Device, Measured, Recorded
from kumpel.standins.memory import Memory

CAPACITY_BYTES = 256 * 1024 * 1024
BETWEEN_S = 60.0
"""Between two sessions on one recorder, at the least."""
UPDATE_S = 3.0


class Refuse(Exception):
    """The recorder does not do what was asked; a code of the protocol and a sentence."""

    def __init__(self, code: str, text: str) -> None:
        super().__init__(text)
        self.code = code


@dataclass(frozen=True)
class Declared:
    """One simulated recorder: who it is, how it stands, what is wrong with it. Times in s."""

    token: str
    serial: str
    name: str
    place: str = "cable"
    over: str = "dock"
    quality: float | None = None
    bytes_per_s: float | None = None
    clock_error_s: float = 0.0
    battery: float = 0.8
    passcode: str = ""
    time_factor: float = 1.0
    lasts_s: float | None = None
    """A whole recording takes this long, whatever its length; else time passes `time_factor` times as fast."""
    auto_start: bool = False
    mode: str = Mode.READY
    press: str = ""
    warm_up_s: float = 0.0
    setup: dict[str, Any] = field(default_factory=dict)
    courses: tuple[dict[str, Any], ...] = ()
    checks: tuple[dict[str, Any], ...] = ()
    calibrations: dict[str, Any] = field(default_factory=dict)
    tells: bool = True
    """Says by itself when something changed on it."""
    air: str = ""
    """The folder of the air that it hears (standins/radio_manager.py); empty: whatever it is told to join is there."""
    opens: bool = False
    """It opens a network of its own, and is in reach only while the machine is in that, or it is in the machine's."""
    moved: bool = False
    """Somebody turns its wheel and presses its pedals, one position after the other."""


@dataclass
class Faults:
    """Told over the control port, by tests and the demo only."""

    vanish_after: int | None = None
    corrupt_reads: int = 0
    bytes_per_s: float | None = None
    garbage: bytes = b""
    misremembers: bool = False
    """The next calibration is kept with another true value."""


class Recorder:
    """State of one simulated recorder; what it answers is in `calls`, what it is told by tests in `control`."""

    def __init__(self, memory: Memory, device: Device, declared: Declared) -> None:
        self.memory, self.device, self.declared = memory, device, declared
        self.faults = Faults()
        self.gone = False
        self.listeners: set[asyncio.Event] = set()
        """Set when something changed: of those who want to be told."""
        self._told = 0
        self._start_at: float | None = None
        self._saving: asyncio.Task[None] | None = None
        memory.load(
            {
                "clock_error_s": declared.clock_error_s,
                "utc_offset_min": round((time.localtime().tm_gmtoff or 0) / 60),
                "battery": declared.battery,
                "passcode": declared.passcode,
                "place": declared.place,
                "over": declared.over,
                "quality": declared.quality,
                "setup": device.setup | declared.setup,
                "slip": {},
                "names": {},
                "revision": 1,
                "sessions": {},
                "counter": 0,
                "recording": None,
                "mode": declared.mode,
                "press": declared.press,
                "mode_until": None,
                "raw": {},
                "held": {},
                "calibrations": dict(declared.calibrations),
                "checks": list(declared.checks),
                "checking": None,
                "courses": list(declared.courses),
                "picture": "",
                "firmware": device.firmware,
                "image": {},
                "brought": False,
                "network": "",
                "network_key": "",
            }
        )

    @property
    def state(self) -> dict[str, Any]:
        return self.memory.state

    @property
    def can(self) -> tuple[str, ...]:
        return self.device.can + ((NEWS,) if self.declared.tells else ())

    @property
    def measured(self) -> tuple[Measured, ...]:
        """What it measures with the setup that is on it."""
        return self.device.measured + self.device.further(self.state["setup"])

    def clock(self) -> float:
        return time.time() + float(self.state["clock_error_s"])

    # -- modes

    def mode(self) -> str:
        if self.state["recording"]:
            return Mode.RECORDING
        return str(self.state["mode"])

    def mode_left_s(self) -> float | None:
        until = self.state["mode_until"]
        return None if until is None or self.state["recording"] else max(float(until) - time.time(), 0.0)

    def enter(self, mode: str, for_s: float | None = None, press: str = "") -> None:
        until = None if for_s is None else time.time() + for_s
        self.state.update({"mode": mode, "mode_until": until, "press": press})
        self.memory.save()

    def pressed(self) -> None:
        """Somebody did what `press` says."""
        if self.declared.warm_up_s and self.mode() == Mode.TRANSFER_OFF:
            self.enter(Mode.WARMING_UP, self.declared.warm_up_s)
        elif self.mode() in SHUT:
            self.enter(Mode.READY)
        elif self.mode() == Mode.READY:
            self.state["brought"] = True
            self.memory.save()

    def presses_first(self) -> str:
        """What somebody still has to do on it before it takes another program."""
        return "" if self.state["brought"] else self.device.update_press

    # -- recording

    def planned_s(self) -> float:
        return max(float(self.device.planned_s(self.state["setup"])), 1.0)

    def factor(self) -> float:
        """How much faster than real a recording goes."""
        lasts = self.declared.lasts_s
        return self.declared.time_factor if lasts is None else max(self.planned_s() / lasts, 1.0)

    def start_recording(self) -> None:
        if self.mode() in SHUT:
            raise Refuse(Code.WRONG_MODE, self.state["press"] or "not in this mode")
        if self.state["recording"]:
            raise Refuse(Code.RECORDING, "it is recording already")
        if self.device.keeps_one and self.device.stores(self.state["setup"]):
            self.memory.forget(list(self.state["sessions"]))
        self.state["recording"] = {"id": self.new_id(), "since": time.time()}
        self.memory.save()

    def stop_recording(self) -> None:
        running = self.state["recording"]
        if not running:
            raise Refuse(Code.NOT_RECORDING, "it is not recording")
        if self._saving is not None:
            return
        length = self.recorded_s()
        if not self.device.stores(self.state["setup"]):
            self._put_down()
        elif self.device.heavy:
            self._saving = asyncio.get_running_loop().create_task(self._save_beside(running["id"], length))
        else:
            self.record(running["id"], self.placed(length), length, {})
            self._put_down()

    def _put_down(self) -> None:
        self.state["recording"] = None
        self.memory.save()

    async def _save_beside(self, session: str, length_s: float) -> None:
        """A long session is made in a thread, so that the other recorders go on."""
        began, recorded = self._recorded(session, self.placed(length_s), length_s, {})
        written = await asyncio.to_thread(self.memory.write, session, recorded.items)
        self._list(began, recorded, written)
        self._saving = None
        self._put_down()

    def recorded_s(self) -> float:
        """Length of the running session so far, as its wearer lives through it."""
        running = self.state["recording"]
        elapsed: float = time.time() - running["since"]
        return min(elapsed * self.factor(), self.planned_s())

    def placed(self, length_s: float) -> float:
        """When a session that ends now began, by the recorder's clock.

        Where time goes faster than real it is put where it fits before now: at the wall time of its setup, if that hangs on one,
        and never over another session of this recorder.
        """
        latest = self.clock() - length_s
        if self.factor() <= 1.0:
            return latest
        wall = self.device.begins(self.state["setup"])
        spans = [(s["start"], s["start"] + s["length_s"]) for s in self.state["sessions"].values()]
        while True:
            start = latest if not wall else self._at_wall_time(wall, latest)
            over = [a for a, b in spans if start < b + BETWEEN_S and start + length_s + BETWEEN_S > a]
            if not over:
                return start
            latest = min(over) - BETWEEN_S - length_s

    def _at_wall_time(self, wall: str, latest: float) -> float:
        hours, _, minutes = wall.partition(":")
        second = 3600 * int(hours) + 60 * int(minutes)
        offset = 60 * int(self.state["utc_offset_min"])
        return latest - (latest + offset - second) % 86_400

    def record(self, session: str, start: float, length_s: float, wishes: dict[str, Any]) -> str:
        """Record a whole session at once."""
        began, recorded = self._recorded(session, start, length_s, wishes)
        self._list(began, recorded, self.memory.write(session, recorded.items))
        return session

    def _recorded(self, session: str, start: float, length_s: float, wishes: dict[str, Any]) -> tuple[Began, Recorded]:
        who = self.declared
        about: dict[str, Any] = {
            "serial": who.serial,
            "name": who.name,
            "token": who.token,
            "model": self.device.model,
            "firmware": self.state["firmware"],
        }
        if self.state["recording"] and self.factor() > 1.0:
            about["simulated"] = f"{self.factor():.0f} times faster than it says"
        setup = dict(self.state["setup"])
        if self.state["courses"]:
            setup["courses"] = self.state["courses"]
        began = Began(session, start, self.state["utc_offset_min"], length_s, setup, self.state["slip"], about)
        return began, self.device.record(began, wishes)

    def sensors(self) -> dict[str, dict[str, str]]:
        """Type and serial number of each sensor that can be checked."""
        tail = "".join(sign for sign in self.declared.serial if sign.isalnum())[-3:]
        names = dict.fromkeys(name for each in self.device.checks.values() for name in each)
        return {
            name: {"type": f"{self.device.model} {name}", "serial": f"{name.upper()}-{tail}{i:02d}"}
            for i, name in enumerate(names, 1)
        }

    def _list(self, began: Began, recorded: Recorded, written: tuple[int, str]) -> None:
        about = str(self.state["setup"].get("name", ""))
        if "simulated" in began.recorder:
            about = f"{about}, simulated".removeprefix(", ")
        self.memory.keep(began.session, written, {"start": began.start, "length_s": recorded.length_s, "about": about})

    def new_id(self) -> str:
        self.state["counter"] += 1
        return f"{self.declared.serial}-{self.state['counter']:05d}"

    def handed_out(self) -> None:
        """It was written for a wearer: it begins by itself a little later, as if somebody pressed its key."""
        if self.declared.auto_start and self.state["slip"]:
            self._start_at = time.time() + 4.0

    def tick(self) -> None:
        """What happens by itself: a planned start, the end of a run, of a check, of warming up."""
        now = time.time()
        if self._start_at is not None and now >= self._start_at and self.mode() == Mode.READY:
            self._start_at = None
            self.start_recording()
        if self.state["recording"] and self._saving is None and self.recorded_s() >= self.planned_s():
            self.stop_recording()
        until = self.state["mode_until"]
        if until is not None and now >= until:
            self.finish_check()
            self.enter(Mode.READY)
        if self._told != self.memory.changes:
            self._told = self.memory.changes
            for listener in self.listeners:
                listener.set()

    def finish_check(self) -> None:
        if self.state["checking"]:
            self.state["checks"] = [self.state["checking"], *self.state["checks"]][:500]
            self.state["checking"] = None
