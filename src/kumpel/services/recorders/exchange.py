"""The exchange of the lookout: through it every process shares the links that the lookout holds.

A recorder on a serial port, and many a small one on a network, talks to one at a time. Whoever watches its live values therefore does so
through the process that leads (`Exchange`, announced in the row of its term), and so does who calls it meanwhile: one link, however many
web processes and browsers. Only processes that can read the database know the secret that opens it, and it never goes over the wire.

It listens on this machine only; where others have processes of their own, at the address of KUMPEL_EXCHANGE.

A message is a CBOR map in a frame of its own: first `{want: "watch" | "link" | "shown", ...}`, then what belongs to it. What goes wrong comes
as `{refused: [code, words]}`, `{broken: words}` or `{problem: [class, words, code]}`.
"""

from __future__ import annotations

import contextlib
import logging
import os
import secrets
import socket
import threading
from collections.abc import Callable, Collection, Generator
from multiprocessing import AuthenticationError
from multiprocessing.connection import Connection, answer_challenge, deliver_challenge
from typing import Any

import cbor2
from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.link.client import RecorderLink
from kumpel.link.errors import LinkError, RefusedError
from kumpel.link.messages import Hello
from kumpel.services.ground import problems
from kumpel.services.ground.problems import ProblemError
from kumpel.services.recorders.reaching import NETWORKS, AnyLink
from kumpel.store.tables import LookoutTerm

log = logging.getLogger("kumpel.exchange")
GREETS_S = 3.0
"""Within this a caller has proved that it knows the secret."""
ANSWERS_S = 30.0
"""The longest that a call takes at the other end, and what it asks to be held for."""
MOST_CALLERS = 64
THIS_MACHINE = "127.0.0.1"
ENDED = "the part of Kumpel that holds this link has ended"
Message = dict[str, Any]
Serve = Callable[["Wire", Message], None]


class Wire:
    """One connection of the exchange, at either end."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection

    def send(self, message: Message) -> None:
        """Raises OSError."""
        self._connection.send_bytes(cbor2.dumps(message))

    def receive(self, wait_s: float | None = None) -> Message:
        """The next message. Raises EOFError or OSError when the other end has gone, TimeoutError."""
        if wait_s is not None and not self._connection.poll(wait_s):
            raise TimeoutError
        found: Message = cbor2.loads(self._connection.recv_bytes())
        return found

    def close(self) -> None:
        self._connection.close()


class Exchange:
    """The end in the lookout: answers whoever knows the secret, each in a thread of its own."""

    def __init__(self, serve: Serve) -> None:
        self.secret = secrets.token_hex(32)
        self._serve = serve
        self._socket, host = _listening()
        self.address = f"{host}:{self._socket.getsockname()[1]}"
        self._callers = threading.BoundedSemaphore(MOST_CALLERS)
        self._open: set[Connection] = set()
        threading.Thread(target=self._accept, name="exchange", daemon=True).start()

    def close(self) -> None:
        with contextlib.suppress(OSError):
            self._socket.shutdown(socket.SHUT_RDWR)
        self._socket.close()
        for connection in [*self._open]:
            # Whoever waits for the next message learns of it; closing belongs to the thread that reads.
            _cut(connection)

    def _accept(self) -> None:
        while True:
            try:
                found, _ = self._socket.accept()
            except OSError:
                return
            found.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            if not self._callers.acquire(blocking=False):
                found.close()
                continue
            threading.Thread(target=self._answer, args=(Connection(found.detach()),), daemon=True).start()

    def _answer(self, connection: Connection) -> None:
        self._open.add(connection)
        try:
            too_long = threading.Timer(GREETS_S, _cut, (connection,))
            too_long.start()
            try:
                deliver_challenge(connection, self.secret.encode())
                answer_challenge(connection, self.secret.encode())
            finally:
                too_long.cancel()
            wire = Wire(connection)
            self._answered(wire, wire.receive(GREETS_S))
        except (AuthenticationError, EOFError, OSError, TimeoutError, cbor2.CBORDecodeError):
            pass  # gone, or nobody of ours
        except Exception:
            log.exception("the exchange did not answer")
        finally:
            self._open.discard(connection)
            connection.close()
            self._callers.release()

    def _answered(self, wire: Wire, asked: Message) -> None:
        try:
            self._serve(wire, asked)
        except ProblemError as problem:
            wire.send({"problem": [type(problem).__name__, problem.detail, problem.code]})


def _listening() -> tuple[socket.socket, str]:
    """A socket at the address that is set, else at this machine alone: recorders are looked for whatever is wrong with it."""
    wished = os.environ.get("KUMPEL_EXCHANGE", THIS_MACHINE)
    try:
        return socket.create_server((wished, 0)), wished
    except OSError as error:
        log.error(
            "nothing can listen at %s (KUMPEL_EXCHANGE): %s. Other machines do not reach the recorders of this one.",
            wished,
            error.strerror,
        )
        return socket.create_server((THIS_MACHINE, 0)), THIS_MACHINE


def _cut(connection: Connection) -> None:
    with contextlib.suppress(OSError), socket.socket(fileno=os.dup(connection.fileno())) as copy:
        copy.shutdown(socket.SHUT_RDWR)


def dial(db: Db, area: str = NETWORKS, own: Collection[str] = ()) -> Wire | None:
    """A connection to the lookout that leads for an area; None when its address is of this process' `own`, or none answers: then a link
    of one's own is free."""
    term = db.exec(select(LookoutTerm).where(LookoutTerm.area == area)).first()
    if term is None or not term.exchange or term.exchange in own:
        return None
    host, _, port = term.exchange.rpartition(":")
    try:
        found = socket.create_connection((host, int(port)), GREETS_S)
    except OSError:
        return None
    found.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
    found.settimeout(None)
    connection = Connection(found.detach())
    too_long = threading.Timer(GREETS_S, _cut, (connection,))
    too_long.start()
    try:
        answer_challenge(connection, term.secret.encode())
        deliver_challenge(connection, term.secret.encode())
    except (AuthenticationError, EOFError, OSError):
        connection.close()
        return None
    finally:
        too_long.cancel()
    return Wire(connection)


def raised(message: Message) -> Message:
    """The message, unless it says what went wrong: that is raised as it would be here."""
    if "problem" in message:
        name, words, code = message["problem"]
        kind = getattr(problems, name, ProblemError)
        raise (kind if issubclass(kind, ProblemError) else ProblemError)(words, code=code)
    if "refused" in message:
        raise RefusedError(*message["refused"])
    if "broken" in message:
        raise LinkError(message["broken"])
    return message


class DistantLink(RecorderLink):
    """A link that the lookout holds, for a few calls of another process."""

    def __init__(self, wire: Wire, recorder_id: int, passcode: str) -> None:
        """Raises what opening it there raises."""
        self._ends = wire
        try:
            wire.send({"want": "link", "recorder": recorder_id, "passcode": passcode})
            self.hello = Hello.model_validate(raised(self._next(0.0))["hello"])
        except BaseException:
            wire.close()
            raise

    def close(self) -> None:
        self._ends.close()

    @property
    def bytes_per_s(self) -> float | None:
        return None

    def _call(self, call: str, /, **values: Any) -> dict[str, Any]:
        try:
            self._ends.send({"call": call, "with": values})
        except OSError as error:
            raise LinkError(ENDED) from error
        found: dict[str, Any] = raised(self._next(float(values.get("hold_s", 0.0))))["ok"]
        return found

    def _next(self, held_s: float) -> Message:
        try:
            return self._ends.receive(ANSWERS_S + held_s)
        except (EOFError, OSError) as error:
            raise LinkError(ENDED) from error


def lend(wire: Wire, link: AnyLink) -> None:
    """Answer the calls of a `DistantLink` until it is closed."""
    wire.send({"hello": link.hello.model_dump(exclude_none=True)})
    with contextlib.suppress(EOFError):
        while True:
            asked = wire.receive()
            try:
                answer: Message = {"ok": link.raw_call(asked["call"], asked["with"])}
            except RefusedError as error:
                answer = {"refused": [error.code, str(error)]}
            except LinkError as error:
                answer = {"broken": str(error)}
            wire.send(answer)


def packs(wire: Wire, first: Message) -> Generator[Message]:
    """What is watched at the other end, pack by pack, until closed. Raises what ends it there."""
    try:
        wire.send(first)
        while True:
            yield raised(wire.receive(ANSWERS_S))
    except (EOFError, OSError) as error:
        raise LinkError(ENDED) from error
    finally:
        wire.close()
