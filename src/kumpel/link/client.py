"""The server's side of a link: blocking calls over TCP, with clear errors."""

from __future__ import annotations

import hmac
import secrets
import socket
import time
from collections.abc import Iterator
from types import TracebackType
from typing import Any, Self, TypeVar

from pydantic import BaseModel, ValidationError

from kumpel.link import frames, messages
from kumpel.link.messages import (
    Cleared,
    Code,
    Description,
    Hello,
    ListedSession,
    Piece,
    SessionList,
    SetupState,
    Status,
)

M = TypeVar("M", bound=BaseModel)
CALL_S = 2.0
"""A call other than `read` is answered within this time, however its bytes come."""
READ_S = 10.0
"""A piece of a session may take longer, but never so long without a byte."""
SLOWEST_PIECE_S = 300.0
MOST_NOTES = 1000
"""Notes that may come before an answer; a recorder that sends more is not answering."""


class LinkError(Exception):
    """The link broke or the other side does not keep the protocol. What is stored is safe; call again."""


class RefusedError(LinkError):
    """The recorder answered with an error."""

    def __init__(self, code: str, text: str) -> None:
        super().__init__(text or code)
        self.code = code


class RecorderLink:
    """An open link to one recorder.

    >>> with RecorderLink("127.0.0.1", 40123) as link:   # doctest: +SKIP
    ...     link.status().battery
    0.61
    """

    def __init__(self, host: str, port: int, call_s: float = CALL_S) -> None:
        self._next_id = 1
        self._call_s = call_s
        self._ahead = bytearray()
        try:
            self._socket = socket.create_connection((host, port), timeout=call_s)
        except OSError as error:
            raise LinkError(f"the recorder at {host}:{port} does not answer") from error
        try:
            self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            self.hello = self._greeting()
        except BaseException:
            self._socket.close()
            raise

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        self._socket.close()

    # -- calls

    def describe(self) -> Description:
        return self._typed("describe", Description)

    def status(self) -> Status:
        return self._typed("status", Status)

    def sessions(self) -> list[ListedSession]:
        return self._typed("sessions", SessionList).sessions

    def setup(self) -> SetupState:
        return self._typed("setup", SetupState)

    def write_setup(self, setup: dict[str, Any], slip: dict[str, Any], based_on: int) -> SetupState:
        return self._typed("write-setup", SetupState, setup=setup, slip=slip, based_on=based_on)

    def set_clock(self, clock: float, utc_offset_min: int) -> Status:
        return self._typed("set-clock", Status, clock=clock, utc_offset_min=utc_offset_min)

    def start(self) -> Status:
        return self._typed("start", Status)

    def stop(self) -> Status:
        return self._typed("stop", Status)

    def clear(self, sessions: dict[str, bytes]) -> list[str]:
        """Clear the named sessions, each with its SHA-256; the recorder refuses one whose hash differs."""
        listed = [{"id": i, "sha256": digest} for i, digest in sessions.items()]
        return self._typed("clear", Cleared, sessions=listed).cleared

    def pieces(self, session: str, offset: int = 0, most: int = 1_048_576) -> Iterator[Piece]:
        """The file of a session from an item's offset on, piece by piece, to its end.

        Raises LinkError when a piece does not join the one before.
        """
        while True:
            piece = self._typed("read", Piece, session=session, offset=offset, most=most)
            if not piece.items:
                return
            if piece.offset != offset or piece.next != offset + len(piece.items):
                raise LinkError(f"the recorder sent bytes {piece.offset} to {piece.next}; {offset} was asked for")
            offset = piece.next
            yield piece

    def unlock(self, passcode: str) -> None:
        """Prove the passcode to the recorder and let the recorder prove it back."""
        nonce = secrets.token_bytes(16)
        mine = messages.proof(passcode, "client", self.hello.nonce, nonce)
        answer = self._call("unlock", nonce=nonce, proof=mine)
        theirs = messages.proof(passcode, "recorder", self.hello.nonce, nonce)
        given = answer.get("proof")
        if not isinstance(given, bytes) or not hmac.compare_digest(given, theirs):
            raise LinkError("the recorder could not prove that it knows the passcode: not the recorder it claims to be")

    # -- frames

    def _greeting(self) -> Hello:
        message = self._receive(_Patience(self._call_s, self._call_s))
        if message.get("note") != "hello":
            raise LinkError("what answers there is no recorder (no hello)")
        hello = self._checked(Hello, message.get("with"), "hello")
        if hello.protocol != frames.PROTOCOL:
            raise LinkError(f"the recorder speaks version {hello.protocol} of the link, Kumpel {frames.PROTOCOL}")
        return hello

    def _typed(self, call: str, kind: type[M], /, **values: Any) -> M:
        return self._checked(kind, self._call(call, **values), call)

    @staticmethod
    def _checked(kind: type[M], value: object, call: str) -> M:
        try:
            return kind.model_validate(value)
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(p) for p in first["loc"]) or "the answer"
            raise LinkError(f"answer to “{call}”: {where}: {first['msg']}") from error

    def _call(self, call: str, /, **values: Any) -> dict[str, Any]:
        number = self._next_id
        self._next_id += 1
        try:
            self._socket.sendall(frames.pack({"id": number, "call": call, "with": values}))
        except OSError as error:
            raise LinkError("the link to the recorder broke") from error
        patience = _Patience(READ_S, SLOWEST_PIECE_S) if call == "read" else _Patience(self._call_s, self._call_s)
        for _ in range(MOST_NOTES):
            message = self._receive(patience)
            if "note" in message:
                continue
            if message.get("id") != number:
                raise LinkError(f"an answer to call {message.get('id')}; {number} was asked")
            refused = message.get("error")
            if isinstance(refused, dict):
                raise RefusedError(str(refused.get("code", Code.FAULT)), str(refused.get("text", "")))
            answer = message.get("ok")
            if not isinstance(answer, dict):
                raise LinkError(f"an answer to “{call}” without content")
            return answer
        raise LinkError(f"notes without end in place of an answer to “{call}”")

    def _receive(self, patience: _Patience) -> dict[str, Any]:
        try:
            header = self._exactly(frames.HEADER.size, patience)
            payload = self._exactly(frames.payload_length(header), patience)
            return frames.unpack(header, payload)
        except frames.FrameError as error:
            raise LinkError(f"disturbed link: {error}") from error
        except TimeoutError as error:
            raise LinkError("the recorder stopped answering") from error
        except OSError as error:
            raise LinkError("the link to the recorder broke") from error

    def _exactly(self, count: int, patience: _Patience) -> bytes:
        while len(self._ahead) < count:
            self._socket.settimeout(patience.left_s())
            part = self._socket.recv(262_144)
            if not part:
                raise LinkError("the recorder closed the link")
            self._ahead += part
        data = bytes(self._ahead[:count])
        del self._ahead[:count]
        return data


class _Patience:
    """How long to wait for the next byte: `silence_s` at the most, and not beyond `whole_s` from the beginning."""

    def __init__(self, silence_s: float, whole_s: float) -> None:
        self._silence_s, self._until = silence_s, time.monotonic() + whole_s

    def left_s(self) -> float:
        left = min(self._silence_s, self._until - time.monotonic())
        if left <= 0:
            raise TimeoutError
        return left
