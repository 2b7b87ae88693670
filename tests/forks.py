"""Servers as processes of their own that need not import the application anew: forked from one that has it.

Importing takes seconds and a server takes none, and some hundred tests start one. What is forked is a process like
any other: it can be killed, stopped and looked at, and shares nothing with the next. That the command itself starts
is tested where commands are tested.
"""

from __future__ import annotations

import gc
import importlib
import json
import os
import select
import signal
import subprocess
import sys
from collections.abc import Mapping
from typing import IO, Any

from kumpel.config import ROOT


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

    def server(self, arguments: list[str], environment: Mapping[str, str], log: IO[bytes]) -> Forked:
        """A web server with the arguments of its command; what it says goes to `log`."""
        assert self._process.stdin and self._process.stdout
        wish = {
            "arguments": arguments,
            "environment": dict(environment),
            "log": f"/proc/{os.getpid()}/fd/{log.fileno()}",
        }
        self._process.stdin.write(json.dumps(wish).encode() + b"\n")
        self._process.stdin.flush()
        return Forked(int(self._process.stdout.readline()))

    def end(self) -> None:
        self._process.terminate()
        self._process.communicate()


def _serve(wish: dict[str, Any]) -> None:
    import uvicorn

    signal.signal(signal.SIGCHLD, signal.SIG_DFL)
    os.environ.clear()
    os.environ.update(wish["environment"])
    log = os.open(wish["log"], os.O_WRONLY | os.O_APPEND)
    nothing = os.open(os.devnull, os.O_RDONLY)
    for number, target in ((nothing, 0), (log, 1), (log, 2)):
        os.dup2(number, target)
    uvicorn.main(wish["arguments"])


def main() -> None:
    # What every child needs is imported here, once.
    importlib.import_module("kumpel.api.app")
    # Nobody waits for the children here: they are gone when they end.
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    gc.freeze()
    for line in sys.stdin.buffer:
        child = os.fork()
        if child == 0:
            _serve(json.loads(line))
            os._exit(0)
        print(child, flush=True)


if __name__ == "__main__":
    main()
