"""Figures in processes of their own, each with a cap on its memory: what a recording does to one of them, it does to nobody else.

A child is asked for one session after the other. One that dies is replaced; that it had begun stands on the session, so that one which
ends its process twice is given up in words (`figures.MOST_BEGUN`).
"""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import queue
import resource
import signal
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext

from kumpel.services.ground import figures
from kumpel.store.database import engine

MOST_BYTES = 1536 * 2**20
"""What a child may have of its own. The longest night that a kind takes needs a third of it."""
OVER_ITS_CAP = 3
"""How a child ends that has no memory left to say so."""
ASKS = 200
"""A child is replaced after so many sessions: what it could not give back goes with it."""
PRELOADED = ["kumpel.services.work.children", "kumpel.kinds.registry", "scipy.signal", "scipy.interpolate"]


class ChildEndedError(Exception):
    """The child died while it was at work."""


class Child:
    """One process that computes figures."""

    def __init__(self, context: ForkServerContext, url: str, most_bytes: int) -> None:
        self._wire, theirs = context.Pipe()
        self.process = context.Process(target=_work, args=(theirs, url, most_bytes), daemon=True)
        self.process.start()
        theirs.close()
        self.asked = 0

    def figures_of(self, session_id: int, again: bool) -> bool:
        """Raises ChildEndedError."""
        self.asked += 1
        try:
            self._wire.send((session_id, again))
            answer: bool | Exception = self._wire.recv()
        except (EOFError, OSError):
            self.process.join()
            raise ChildEndedError from None
        if isinstance(answer, Exception):
            raise answer
        return answer

    def end(self) -> None:
        self._wire.close()
        self.process.kill()


class Children:
    """As many children as are asked at once; made when they are first needed."""

    def __init__(self, url: str, most_bytes: int = MOST_BYTES) -> None:
        self._url, self._most = url, most_bytes
        self._context = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload(PRELOADED)
        self._idle: queue.SimpleQueue[Child] = queue.SimpleQueue()
        self._all: set[Child] = set()
        self._ended = False

    def figures_of(self, session_id: int, *, again: bool = False) -> bool:
        """As `figures.run`, in a child; tried again when that dies, and given up in words when it dies again."""
        figures.under_way.add(session_id)
        try:
            for _ in range(figures.MOST_BEGUN):
                # Ended on purpose it is no accident of the session's, and nobody begins it anew here.
                if self._ended:
                    return False
                with contextlib.suppress(ChildEndedError):
                    return self._in_one(session_id, again)
        finally:
            figures.under_way.discard(session_id)
        if not self._ended:
            figures.give_up(engine(self._url), session_id)
        return False

    def pids(self) -> list[int]:
        return [child.process.pid or 0 for child in self._all]

    def end(self) -> None:
        self._ended = True
        for child in [*self._all]:
            child.end()
        self._all.clear()

    def _in_one(self, session_id: int, again: bool) -> bool:
        try:
            child = self._idle.get_nowait()
        except queue.Empty:
            child = Child(self._context, self._url, self._most)
            self._all.add(child)
        try:
            done = child.figures_of(session_id, again)
        except ChildEndedError:
            self._all.discard(child)
            raise
        except BaseException:
            self._idle.put(child)
            raise
        if child.asked < ASKS:
            self._idle.put(child)
        else:
            self._all.discard(child)
            child.end()
        return done


def _work(wire: Connection, url: str, most_bytes: int) -> None:
    # Ctrl-C is for those who know what to do about it; a parent that has gone closes the wire.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    resource.setrlimit(resource.RLIMIT_DATA, (most_bytes, most_bytes))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    os.nice(2)
    with contextlib.suppress(EOFError, OSError):
        while True:
            session_id, again = wire.recv()
            try:
                answer: bool | Exception = figures.run(engine(url), session_id, again=again)
            except Exception as error:
                if isinstance(error, MemoryError) or "out of memory" in str(error):
                    os._exit(OVER_ITS_CAP)
                answer = error
            try:
                wire.send(answer)
            except (TypeError, AttributeError, ValueError):  # an error that cannot be sent as it is
                wire.send(RuntimeError(f"{type(answer).__name__}: {answer}"))
