"""Heavy work in processes of its own, each with a cap on its memory: what a recording does to one of them, it does to nobody else.

Figures, pages and files are made by functions that are called here by `call`: in a child where this process has some (`use`), else where they
are. A child is asked for one thing after the other, and ends when nobody has asked it for a while.
"""

from __future__ import annotations

import contextlib
import errno
import functools
import multiprocessing
import os
import pickle
import queue
import resource
import signal
import threading
import time
from collections.abc import Callable, Sequence
from multiprocessing.connection import Connection
from multiprocessing.context import ForkServerContext
from typing import Concatenate, ParamSpec, TypeVar

from sqlmodel import Session as Db

from kumpel.services.ground.problems import TooMuchError
from kumpel.store.database import engine, url_of
from kumpel.store.freed import give_back

MOST_BYTES = 1536 * 2**20
"""What a child may have of its own. The longest night that a kind takes needs a third of it."""
OVER_ITS_CAP = 3
"""How a child ends that has no memory left to say so."""
ASKS = 200
"""A child is replaced after so many: what it could not give back goes with it."""
RESTS_S = 0.2
"""One that is not asked again so soon gives back what its work took."""
IDLE_S = 60.0
"""One that nobody has asked for so long ends: it holds some 100 MB."""
P = ParamSpec("P")
Made = TypeVar("Made")


class ChildEndedError(Exception):
    """The child died while it was at work."""


class Child:
    """One process that works on what it is asked for."""

    def __init__(self, context: ForkServerContext, most_bytes: int, nice: int) -> None:
        self._wire, theirs = context.Pipe()
        self.process = context.Process(target=_work, args=(theirs, most_bytes, nice), daemon=True)
        self.process.start()
        theirs.close()
        self.asked = 0
        self.rests_since_s = 0.0

    def call(self, function: Callable[..., Made], *arguments: object) -> Made:
        """What the function gives, or raises. Raises ChildEndedError."""
        self.asked += 1
        try:
            self._wire.send((function, arguments))
            done, answer = self._wire.recv()
            made: Made = answer
        except (EOFError, OSError):
            self.process.join()
            raise ChildEndedError from None
        if not done:
            raise answer
        return made

    def end(self) -> None:
        self._wire.close()
        self.process.kill()


class Children:
    """As many children as are asked at once; made when they are first needed, ended when they are not any more."""

    def __init__(
        self, preloaded: Sequence[str], *, nice: int = 0, most_bytes: int = MOST_BYTES, idle_s: float = IDLE_S
    ) -> None:
        """`preloaded` are modules that each child has from its beginning."""
        self._most, self._idle_s, self._nice = most_bytes, idle_s, nice
        self._context = multiprocessing.get_context("forkserver")
        self._context.set_forkserver_preload([*preloaded])
        # The one that rested last is asked first: the others end.
        self._idle: queue.LifoQueue[Child] = queue.LifoQueue()
        self._all: set[Child] = set()
        self.ended = False
        self._looks = False
        """Whether it will be looked for children that nobody asks any more."""

    def call(self, function: Callable[P, Made], *arguments: P.args, **named: P.kwargs) -> Made:
        """What a function of a module gives for arguments that can be sent. Raises what it raises, and ChildEndedError."""
        child = self._one()
        try:
            done = child.call(functools.partial(function, **named), *arguments)
        except ChildEndedError:
            self._all.discard(child)
            raise
        except BaseException:
            self._rest(child)
            raise
        self._rest(child)
        return done

    def pids(self) -> list[int]:
        return [child.process.pid or 0 for child in self._all]

    def end(self) -> None:
        self.ended = True
        for child in [*self._all]:
            child.end()
        self._all.clear()

    def _one(self) -> Child:
        try:
            return self._idle.get_nowait()
        except queue.Empty:
            child = Child(self._context, self._most, self._nice)
            self._all.add(child)
            return child

    def _rest(self, child: Child) -> None:
        if child.asked >= ASKS or self.ended:
            self._away(child)
            return
        child.rests_since_s = time.monotonic()
        self._idle.put(child)
        self._look_later()

    def _look_later(self) -> None:
        if not self._looks:
            self._looks = True
            later = threading.Timer(self._idle_s / 2, self._end_idle)
            later.daemon = True
            later.start()

    def _end_idle(self) -> None:
        """End those that have rested for long enough."""
        self._looks = False
        resting: list[Child] = []
        with contextlib.suppress(queue.Empty):
            while True:
                resting.append(self._idle.get_nowait())
        now_s = time.monotonic()
        for child in reversed(resting):
            if now_s - child.rests_since_s >= self._idle_s:
                self._away(child)
            else:
                self._idle.put(child)
        if self._all and not self.ended:
            self._look_later()

    def _away(self, child: Child) -> None:
        self._all.discard(child)
        child.end()


_children: Children | None = None


def use(children: Children | None) -> None:
    """What `call` works in from now on in this process."""
    global _children
    _children = children


def call(what: str, function: Callable[P, Made], *arguments: P.args, **named: P.kwargs) -> Made:
    """What a function gives, in a child where this process has some. TooMuchError names `what` could not be made."""
    if _children is None:
        return function(*arguments, **named)
    try:
        return _children.call(function, *arguments, **named)
    except ChildEndedError:
        raise TooMuchError(
            f"{what} could not be made: the process that worked on it needed too much memory, or was ended. Nothing is lost. Try again, with less in it."
        ) from None


def read(
    what: str, db: Db, function: Callable[Concatenate[Db, P], Made], *arguments: P.args, **named: P.kwargs
) -> Made:
    """As `call`, of a function that reads the database: in a child by a connection of its own."""
    if _children is None:
        return function(db, *arguments, **named)
    return call(what, _reading, url_of(db), functools.partial(function, **named), *arguments)


def _reading(url: str, function: Callable[..., Made], *arguments: object) -> Made:
    with Db(engine(url), expire_on_commit=False) as db:
        return function(db, *arguments)


def _work(wire: Connection, most_bytes: int, nice: int) -> None:
    # Ctrl-C is for those who know what to do about it; a parent that has gone closes the wire.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    signal.signal(signal.SIGTERM, signal.SIG_DFL)
    resource.setrlimit(resource.RLIMIT_DATA, (most_bytes, most_bytes))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    os.nice(nice)
    with contextlib.suppress(EOFError, OSError):
        while True:
            function, arguments = wire.recv()
            try:
                answer: tuple[bool, object] = True, function(*arguments)
            except Exception as error:
                if is_about_memory(error):
                    os._exit(OVER_ITS_CAP)
                answer = False, error
            wire.send_bytes(_packed(answer))
            del function, arguments, answer
            if not wire.poll(RESTS_S):
                give_back()


NO_MEMORY = ("out of memory", "cannot allocate memory", "failed to map segment")
"""How libraries say it that do not raise MemoryError; the last is a shared object that could not be loaded."""


def is_about_memory(error: BaseException | None) -> bool:
    """Whether an error, or one that it came of, is that no memory was left."""
    while error is not None:
        if isinstance(error, MemoryError) or (isinstance(error, OSError) and error.errno == errno.ENOMEM):
            return True
        if any(words in str(error).lower() for words in NO_MEMORY):
            return True
        error = error.__cause__ or error.__context__
    return False


def _packed(answer: tuple[bool, object]) -> bytes:
    """As it is sent; an error that cannot be read as it is comes as its words."""
    try:
        packed = pickle.dumps(answer, protocol=5)
        if not answer[0]:
            pickle.loads(packed)
    except Exception:
        return pickle.dumps((False, RuntimeError(f"{type(answer[1]).__name__}: {answer[1]}")))
    return packed
