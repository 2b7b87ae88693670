"""The byte streams under a link: TCP, and a serial port with its start markers."""

from __future__ import annotations

import os
import socket
import time
from pathlib import Path
from typing import Protocol

import serial

from kumpel.link import frames
from kumpel.link.errors import InUseError, LinkError

BAUD = 115_200
BITS_A_BYTE = 10
"""On a serial port: a start bit, eight bits, a stop bit."""
FREE_S = 1.0
"""How long a port that somebody else has open is waited for."""
INSIDE_FRAME_S = 1.0
"""Silence inside a frame after which its start was none."""


class Patience:
    """How long to wait for the next byte: `silence_s` at the most, and not beyond `whole_s` from the beginning."""

    def __init__(self, silence_s: float, whole_s: float) -> None:
        self.silence_s, self._until = silence_s, time.monotonic() + whole_s

    def within(self, whole_s: float) -> Patience:
        """The same, but not beyond so many seconds from now."""
        self._until = min(self._until, time.monotonic() + whole_s)
        return self

    def left_s(self, most_s: float | None = None) -> float:
        """Seconds to wait for the next byte. Raises TimeoutError when they are over."""
        left = min(self.silence_s, self._until - time.monotonic())
        if left <= 0:
            raise TimeoutError
        return left if most_s is None else min(left, most_s)


class Wire(Protocol):
    """Frames there and back. OSError when the stream broke, TimeoutError when patience is over."""

    @property
    def greets(self) -> bool:
        """Whether the recorder speaks first on it."""
        ...

    @property
    def bytes_per_s(self) -> float | None:
        """What it carries at the most, where that is known."""
        ...

    def send(self, frame: bytes) -> None: ...

    def receive(self, patience: Patience) -> tuple[bytes, bytes]:
        """Header and payload of the next frame, its length checked. Raises FrameError for what is no frame."""
        ...

    def hand_over(self) -> tuple[socket.socket, bytearray]:
        """The connection itself, with what was received and not read yet. LinkError when there is none to give away."""
        ...

    def close(self) -> None: ...


class TcpWire:
    greets = True
    bytes_per_s: float | None = None

    def __init__(self, host: str, port: int, timeout_s: float) -> None:
        try:
            self._socket = socket.create_connection((host, port), timeout=timeout_s)
        except OSError as error:
            raise LinkError(f"the recorder at {host}:{port} does not answer") from error
        self._socket.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        self._ahead = bytearray()

    def send(self, frame: bytes) -> None:
        self._socket.sendall(frame)

    def receive(self, patience: Patience) -> tuple[bytes, bytes]:
        header = self._exactly(frames.HEADER.size, patience)
        return header, self._exactly(frames.payload_length(header), patience)

    def _exactly(self, count: int, patience: Patience) -> bytes:
        while len(self._ahead) < count:
            self._socket.settimeout(patience.left_s())
            part = self._socket.recv(262_144)
            if not part:
                raise LinkError("the recorder closed the link")
            self._ahead += part
        data = bytes(self._ahead[:count])
        del self._ahead[:count]
        return data

    def hand_over(self) -> tuple[socket.socket, bytearray]:
        return self._socket, self._ahead

    def close(self) -> None:
        self._socket.close()


class SerialWire:
    """A serial port. It is locked for other programs while it is open."""

    greets = False
    bytes_per_s: float | None = BAUD / BITS_A_BYTE

    def __init__(self, path: str) -> None:
        until = time.monotonic() + FREE_S
        while True:
            try:
                self._port = serial.Serial(path, BAUD, timeout=0, write_timeout=5, exclusive=True)
                break
            except (OSError, serial.SerialException) as error:
                if "lock" not in str(error).lower():
                    raise LinkError(f"the port {Path(path).name} cannot be opened ({_why(error)})") from error
                if time.monotonic() > until:
                    raise InUseError(f"the port {Path(path).name} is in use just now") from error
                time.sleep(0.05)
        self._hunt = frames.Hunt()

    def send(self, frame: bytes) -> None:
        try:
            self._port.write(frames.MARKER + frame)
        except serial.SerialException as error:
            raise OSError(str(error)) from error

    def receive(self, patience: Patience) -> tuple[bytes, bytes]:
        heard_s = given_up_s = time.monotonic()
        while (found := self._hunt.next_frame()) is None:
            self._port.timeout = patience.left_s(0.1)
            try:
                part = self._port.read(max(self._port.in_waiting, 1))
            except (serial.SerialException, TypeError) as error:
                raise OSError("the port has gone") from error
            if part:
                self._hunt.feed(part)
                heard_s = given_up_s = time.monotonic()
                continue
            if time.monotonic() - heard_s > patience.silence_s:
                raise TimeoutError
            if time.monotonic() - given_up_s > INSIDE_FRAME_S:
                self._hunt.give_up()
                given_up_s = time.monotonic()
        return found

    def hand_over(self) -> tuple[socket.socket, bytearray]:
        raise LinkError("a serial port talks to one at a time: it cannot tell beside being asked")

    def close(self) -> None:
        self._port.close()


def _why(error: Exception) -> str:
    return os.strerror(getattr(error, "errno", 0) or 5)


def open_wire(host: str, port: int, timeout_s: float) -> Wire:
    """The wire to a recorder: `host` is a serial port when it is a path, else a name or address with its `port`."""
    return SerialWire(host) if is_serial(host) else TcpWire(host, port, timeout_s)


def is_serial(host: str) -> bool:
    return host.startswith("/")
