"""Starting and stopping the simulated recorders, and talking to their control ports."""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any, ClassVar, Protocol


class Process(Protocol):
    """A process that was started, as `subprocess.Popen` is one."""

    @property
    def pid(self) -> int: ...
    def poll(self) -> int | None: ...
    def wait(self, timeout: float | None = None) -> Any: ...
    def terminate(self) -> None: ...
    def kill(self) -> None: ...


@dataclass(frozen=True)
class StandIn:
    """A simulated recorder as the demo starts it; `rest` is whatever else its declaration says (standins/recorder.py)."""

    token: str
    serial: str
    name: str
    place: str = "Dock A"
    clock_error_s: float = 0.0
    battery: float = 0.9
    passcode: str = ""
    auto_start: bool = True
    kind: str = "noise"
    declaration: Path | None = None
    rest: Mapping[str, Any] = field(default_factory=dict)

    def entry(self, time_factor: float) -> dict[str, Any]:
        """Its line in the file of a dock."""
        own = json.loads(self.declaration.read_text()) if self.declaration else None
        about = {
            "token": self.token,
            "serial": self.serial,
            "name": self.name,
            "place": self.place,
            "clock_error_s": self.clock_error_s,
            "battery": self.battery,
            "passcode": self.passcode,
            "auto_start": self.auto_start,
            "time_factor": time_factor,
        }
        return about | ({"device": own} if own else {"kind": self.kind}) | dict(self.rest)


@dataclass
class Running:
    """A simulated recorder in a dock's process, with its ports."""

    process: Process | None
    folder: Path
    link: int
    control: int
    token: str

    def tell(self, do: str, **about: Any) -> dict[str, Any]:
        """One command over the control port."""
        with socket.create_connection(("127.0.0.1", self.control), timeout=120) as wire:
            wire.sendall(json.dumps({"to": self.token, "do": do} | about).encode() + b"\n")
            answer: dict[str, Any] = json.loads(wire.makefile("rb").readline())
        if "error" in answer:
            raise RuntimeError(f"the stand-in refused “{do}”: {answer['error']}")
        return answer


def _end(process: Process) -> None:
    try:
        process.wait(5)
    except subprocess.TimeoutExpired:
        process.kill()


def _start(arguments: list[str], log: IO[bytes]) -> Process:
    environment = os.environ | {"PYTHONPATH": str(Path(__file__).resolve().parents[2])}
    command = [sys.executable, "-m", "kumpel.standins.dock", *arguments]
    return subprocess.Popen(command, stdout=log, stderr=log, env=environment, start_new_session=True)


@dataclass
class Ensemble:
    """Docks of simulated recorders, a process each; `start` begins one with its arguments, its words going to a log."""

    start: ClassVar[Callable[[list[str], IO[bytes]], Process]] = _start

    folder: Path
    time_factor: float = 1440.0
    running: dict[str, Running] = field(default_factory=dict)
    _starting: list[tuple[tuple[StandIn, ...], Process, Path]] = field(default_factory=list)
    _processes: list[Process] = field(default_factory=list)

    def launch(self, recorders: tuple[StandIn, ...], announce: bool = True) -> None:
        """Start a dock of recorders and wait until it says its ports."""
        self.begin(recorders, announce)
        self.wait()

    def begin(self, recorders: tuple[StandIn, ...], announce: bool = True) -> None:
        """Start a dock of recorders and do not wait."""
        folder = self.folder / f"dock-{len(self._processes) + 1}"
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "ports.json").unlink(missing_ok=True)
        declared = folder / "recorders.json"
        declared.write_text(json.dumps([each.entry(self.time_factor) for each in recorders]))
        arguments = ["--folder", str(folder), "--recorders", str(declared), *([] if announce else ["--quiet-net"])]
        with (folder / "log").open("ab") as log:
            process = type(self).start(arguments, log)
        self._processes.append(process)
        self._starting.append((recorders, process, folder))

    def wait(self) -> None:
        """Until each dock says its ports."""
        while self._starting:
            recorders, process, folder = self._starting[0]
            ports = self._ports(process, folder)
            for each in recorders:
                link = ports["links"][each.token]
                self.running[each.token] = Running(process, folder / each.token, link, ports["control"], each.token)
            self._starting.pop(0)

    @staticmethod
    def _ports(process: Process, folder: Path) -> dict[str, Any]:
        limit = time.monotonic() + 30
        while time.monotonic() < limit and process.poll() is None:
            file = folder / "ports.json"
            if file.exists():
                ports: dict[str, Any] = json.loads(file.read_text())
                return ports
            time.sleep(0.02)
        raise RuntimeError(f"the simulated recorders did not start; their log is {folder / 'log'}")

    def stop(self) -> None:
        for process in self._processes:
            process.terminate()
        for process in self._processes:
            _end(process)


def press_key(folder: Path, token: str) -> str:
    """Press the key of a simulated recorder of a running ensemble; a sentence of what came of it."""
    for ports in sorted(folder.glob("dock-*/ports.json")):
        about = json.loads(ports.read_text())
        if token not in about["links"]:
            continue
        running = Running(None, ports.parent / token, about["links"][token], about["control"], token)
        try:
            running.tell("press")
            return f"{token} is now in the mode “{running.tell('state')['mode']}”."
        except OSError:
            return "The demo does not run."
    return f"There is no simulated recorder {token}."
