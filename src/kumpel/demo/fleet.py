"""Starting and stopping the simulated recorders, and talking to their control ports."""

from __future__ import annotations

import json
import os
import socket
import subprocess
import sys
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any


@dataclass(frozen=True)
class Meter:
    """A simulated recorder as the demo starts it: a noise meter, unless a declaration says something else."""

    token: str
    serial: str
    name: str
    place: str = "Dock A"
    clock_error_s: float = 0.0
    battery: float = 0.9
    passcode: str = ""
    auto_start: bool = True
    declaration: Path | None = None


METERS = (
    Meter("N-02", "NM-000102", "Noise meter 2", "Dock A, bay 1", 1.0, 0.72),
    Meter("N-03", "NM-000103", "Noise meter 3", "Dock A, bay 3", 0.6, 0.97),
    Meter("N-04", "NM-000104", "Noise meter 4", "Dock A, bay 4", 38.0, 0.91),
    Meter("N-06", "NM-000106", "Noise meter 6", "Dock A, bay 5", -1.2, 0.83, passcode="2718"),
    Meter("N-07", "NM-000107", "Noise meter 7", "Dock A, bay 2", -250.0, 0.61),
)


@dataclass
class Running:
    """A stand-in process with its ports."""

    process: subprocess.Popen[bytes]
    folder: Path
    link: int
    control: int

    def tell(self, do: str, **about: Any) -> dict[str, Any]:
        """One command over the control port."""
        with socket.create_connection(("127.0.0.1", self.control), timeout=30) as wire:
            wire.sendall(json.dumps({"do": do} | about).encode() + b"\n")
            answer: dict[str, Any] = json.loads(wire.makefile("rb").readline())
        if "error" in answer:
            raise RuntimeError(f"the stand-in refused “{do}”: {answer['error']}")
        return answer

    def stop(self) -> None:
        self.process.terminate()
        try:
            self.process.wait(5)
        except subprocess.TimeoutExpired:
            self.process.kill()


@dataclass
class Fleet:
    folder: Path
    time_factor: float = 1440.0
    running: dict[str, Running] = field(default_factory=dict)
    _starting: list[tuple[Meter, subprocess.Popen[bytes], Path]] = field(default_factory=list)

    def launch(self, meters: tuple[Meter, ...], announce: bool = True) -> None:
        """Start the meters side by side and wait until each says its ports."""
        self.begin(meters, announce)
        self.wait()

    def begin(self, meters: tuple[Meter, ...], announce: bool = True) -> None:
        """Start the meters and do not wait."""
        self._starting += [(m, *self._spawn(m, announce)) for m in meters]

    def wait(self) -> None:
        """Until each says its ports."""
        while self._starting:
            meter, process, folder = self._starting[0]
            ports = self._ports(process, folder)
            self.running[meter.token] = Running(process, folder, ports["link"], ports["control"])
            self._starting.pop(0)

    def _spawn(self, meter: Meter, announce: bool) -> tuple[subprocess.Popen[bytes], Path]:
        folder = self.folder / meter.token
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "ports.json").unlink(missing_ok=True)
        command = [
            sys.executable,
            "-m",
            "kumpel.standins.any_recorder" if meter.declaration else "kumpel.standins.noise_meter",
            "--folder",
            str(folder),
            "--serial",
            meter.serial,
            "--token",
            meter.token,
            "--name",
            meter.name,
            "--place",
            meter.place,
            "--clock-error",
            str(meter.clock_error_s),
            "--battery",
            str(meter.battery),
            "--passcode",
            meter.passcode,
            "--time-factor",
            str(self.time_factor),
        ]
        command += ["--declaration", str(meter.declaration)] if meter.declaration else []
        command += ["--auto-start"] if meter.auto_start else []
        command += [] if announce else ["--quiet-net"]
        environment = os.environ | {"PYTHONPATH": str(Path(__file__).resolve().parents[2])}
        log = (folder / "log").open("ab")
        return subprocess.Popen(command, stdout=log, stderr=log, env=environment, start_new_session=True), folder

    @staticmethod
    def _ports(process: subprocess.Popen[bytes], folder: Path) -> dict[str, int]:
        limit = time.monotonic() + 20
        while time.monotonic() < limit and process.poll() is None:
            file = folder / "ports.json"
            if file.exists():
                try:
                    ports: dict[str, int] = json.loads(file.read_text())
                    return ports
                except json.JSONDecodeError:
                    pass
            time.sleep(0.02)
        raise RuntimeError(f"a stand-in did not start; its log is {folder / 'log'}")

    def stop(self) -> None:
        for _, process, _ in self._starting:
            process.kill()
        for each in self.running.values():
            each.process.terminate()
        for each in self.running.values():
            each.stop()
