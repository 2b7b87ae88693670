"""`kumpel start`: web, workers and lookout as processes of their own, each started again when it dies.

Each can be started alone, too (`kumpel start --worker`), on another machine, with the same DATABASE_URL: they know each other by
the database alone.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal

from kumpel.serve import ENDS_S, say

log = logging.getLogger("kumpel.supervise")
Role = Literal["web", "worker", "lookout"]
STEP_S = 0.2
CHILDREN_END_S = 5.0
"""A process that has not ended by then hangs, and is killed: all of it ends within ten seconds."""
SOON_S, LATEST_S = 0.5, 15.0
"""A process that dies is started again after this; one that dies again and again after twice as long each time, at the latest."""
LIVED_S = 60.0
"""One that has lived so long starts from the shortest pause again."""


@dataclass
class Child:
    """A process of one role, as often as it has to be started."""

    role: Role
    number: int
    arguments: Sequence[str]
    passes: tuple[int, ...] = ()
    _process: subprocess.Popen[bytes] | None = None
    _began_s: float = 0.0
    _pause_s: float = SOON_S
    _due_s: float = field(default_factory=time.monotonic)

    def look(self) -> None:
        """Start it when it is due; when it has died, say so and when it will be."""
        now_s = time.monotonic()
        if self._process is not None and self._process.poll() is not None:
            lived_s, code, self._process = now_s - self._began_s, self._process.returncode, None
            self._pause_s = SOON_S if lived_s >= LIVED_S else min(2 * self._pause_s, LATEST_S)
            self._due_s = now_s + self._pause_s
            log.warning("%s %s ended (%s); it is started again in %.1f s", self.role, self.number, code, self._pause_s)
        if self._process is None and now_s >= self._due_s:
            command = [sys.executable, "-m", "kumpel", "start", f"--{self.role}", *self.arguments]
            # A group of its own: Ctrl-C is for the supervisor, which tells each of them.
            self._process = subprocess.Popen(command, pass_fds=self.passes, start_new_session=True)
            self._began_s = now_s

    def tell(self, number: int) -> None:
        if self._process is not None and self._process.poll() is None:
            with contextlib.suppress(ProcessLookupError):
                self._process.send_signal(number)

    def wait(self, until_s: float) -> None:
        if self._process is None:
            return
        try:
            self._process.wait(max(until_s - time.monotonic(), 0.1))
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()


def supervise(url: str, host: str, port: int, *, webs: int = 1, workers: int = 1) -> int:
    """Everything on this machine until Ctrl-C or SIGTERM. The webs share one socket, which outlives each of them.

    Each prepares the database for itself, one after the other: what only watches over processes imports nothing of what they do.
    """
    os.environ["DATABASE_URL"] = url
    try:
        listening = socket.create_server((host, port), family=socket.AF_INET6 if ":" in host else socket.AF_INET)
    except OSError as error:
        say(
            f"\nNothing can listen at {host}, port {port}: {os.strerror(error.errno or 0).lower()}. Is Kumpel running already? Else choose another port: --port."
        )
        return 1
    # Handed on as a number, it is not known for a network's any more, and nobody else would see to it: an answer in two parts took 40 ms longer.
    listening.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    ending = _told_to_end()
    with listening as shared:
        fd = shared.fileno()
        children = [
            *(
                Child("web", n, ["--host", host, "--port", str(port), "--fd", str(fd)], (fd,))
                for n in range(1, webs + 1)
            ),
            *(Child("worker", n, []) for n in range(1, workers + 1)),
            Child("lookout", 1, []),
        ]
        say(f"\n  Kumpel: http://{host}:{port}   stop with Ctrl-C\n")
        while not ending:
            for child in children:
                child.look()
            time.sleep(STEP_S)
        for child in children:
            child.tell(signal.SIGTERM)
        until_s = time.monotonic() + CHILDREN_END_S
        for child in children:
            child.wait(until_s)
    return 0


def _told_to_end() -> list[int]:
    """Fills when this process is told to end."""
    told: list[int] = []
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda n, _: told.append(n))
    return told


def alone(url: str, role: Role) -> int:
    """A worker or a lookout by itself, until it is told to end."""
    asyncio.run(_alone(url, works=role == "worker", watches=role == "lookout"))
    return 0


async def _alone(url: str, *, works: bool, watches: bool) -> None:
    from kumpel.services.ground import apart
    from kumpel.services.work.background import background, prepare
    from kumpel.services.work.children import children_for_jobs
    from kumpel.services.work.jobs import Jobs

    ending = asyncio.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(number, _end, ending)
    await asyncio.to_thread(prepare, url)
    children = children_for_jobs() if works else None
    apart.use(children)
    async with background(url, Jobs(url, children=children), works=works, watches=watches):
        await ending.wait()


def _end(ending: asyncio.Event) -> None:
    """Whatever hangs, it has ended in time."""
    asyncio.get_running_loop().call_later(ENDS_S, os._exit, 1)
    ending.set()
