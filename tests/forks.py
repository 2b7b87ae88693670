"""Servers and simulated recorders as processes of their own that need not import anything anew: forked from one that has it.

Importing takes seconds and a server takes none, and some hundred tests start one. What is forked is a process like
any other: it can be killed, stopped and looked at, and shares nothing with the next. That the commands themselves start
is tested where commands are tested.
"""

from __future__ import annotations

import gc
import importlib
import json
import os
import pkgutil
import select
import signal
import subprocess
import sys
from collections.abc import Mapping
from pathlib import Path
from typing import IO, Any

import uvicorn
from fastapi import FastAPI

from kumpel.api.app import create_app, set_up
from kumpel.config import ROOT, Config
from kumpel.serve import Server
from kumpel.standins import dock


class Forked:
    """A process that is another's child: told and awaited by its handle (pidfd), as `subprocess.Popen` would."""

    def __init__(self, pid: int) -> None:
        self.pid = pid
        self._handle = os.pidfd_open(pid)
        self._ended = False

    def poll(self) -> int | None:
        """0 once it has ended, however it did."""
        return 0 if self._wait(0) else None

    def wait(self, timeout: float | None = None) -> None:
        if not self._wait(timeout):
            raise subprocess.TimeoutExpired(f"process {self.pid}", timeout or 0)

    def _wait(self, seconds: float | None) -> bool:
        if not self._ended and select.select([self._handle], [], [], seconds)[0]:
            self._ended = True
            os.close(self._handle)
        return self._ended

    def send_signal(self, number: int) -> None:
        if self.poll() is None:
            signal.pidfd_send_signal(self._handle, number)

    def terminate(self) -> None:
        self.send_signal(signal.SIGTERM)

    def kill(self) -> None:
        self.send_signal(signal.SIGKILL)


class Mother:
    """The process that has imported the application and forks on demand."""

    def __init__(self) -> None:
        self._process = subprocess.Popen(
            [sys.executable, "-m", "tests.forks"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            cwd=ROOT,
            env=os.environ | {"PYTHONPATH": str(ROOT / "src")},
        )

    def server(self, port: int, environment: Mapping[str, str], log: IO[bytes]) -> Forked:
        """A web server on a port; what it says goes to `log`."""
        return self._child("server", [str(port)], environment, f"/proc/{os.getpid()}/fd/{log.fileno()}")

    def dock(self, arguments: list[str], log: IO[bytes]) -> Forked:
        """A dock of simulated recorders with the arguments of its command."""
        return self._child("dock", arguments, os.environ, log.name)

    def _child(self, what: str, arguments: list[str], environment: Mapping[str, str], log: str) -> Forked:
        assert self._process.stdin and self._process.stdout
        wish = {
            "what": what,
            "arguments": arguments,
            "environment": dict(environment),
            "log": log,
        }
        self._process.stdin.write(json.dumps(wish).encode() + b"\n")
        self._process.stdin.flush()
        return Forked(int(self._process.stdout.readline()))

    def end(self) -> None:
        self._process.terminate()
        self._process.communicate()


def _serve(wish: dict[str, Any], app: FastAPI) -> None:
    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    os.environ.clear()
    os.environ.update(wish["environment"])
    log = os.open(wish["log"], os.O_WRONLY | os.O_APPEND)
    nothing = os.open(os.devnull, os.O_RDONLY)
    for number, target in ((nothing, 0), (log, 1), (log, 2)):
        os.dup2(number, target)
    os.setsid()
    if wish["what"] == "dock":
        dock.main(wish["arguments"])
    else:
        set_up(app, Config.from_environment())
        options = uvicorn.Config(app, port=int(wish["arguments"][0]), log_level="warning", timeout_graceful_shutdown=1)
        Server(options, lambda: None).run()


EARLY = ("kumpel.api", "kumpel.core", "kumpel.formats", "kumpel.kinds", "kumpel.services", "kumpel.standins")
LATE = ("scipy.signal", "uvicorn.loops.auto", "uvicorn.protocols.http.auto", "uvicorn.lifespan.on")


def main() -> None:
    # What every child needs is imported here, once: also what is imported late to start sooner.
    for package in EARLY:
        found = pkgutil.walk_packages(importlib.import_module(package).__path__, f"{package}.")
        for name in [each.name for each in found if not each.name.endswith("__main__")]:
            importlib.import_module(name)
    for name in LATE:
        importlib.import_module(name)
    web = Path(os.environ.get("KUMPEL_WEB", ROOT / "web" / "dist"))
    app = create_app(Config("postgresql://nowhere", web, False, False))
    nowhere = {"type": "http", "method": "GET", "path": "/api/nowhere", "headers": []}
    for route in app.routes:
        # Routes are made ready when something is first held against them.
        route.matches(nowhere)
    # Nobody waits for the children here: they are gone when they end.
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    gc.freeze()
    for line in sys.stdin.buffer:
        child = os.fork()
        if child == 0:
            _serve(json.loads(line), app)
            os._exit(0)
        print(child, flush=True)


if __name__ == "__main__":
    main()
