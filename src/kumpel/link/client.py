"""The server's side of a link: blocking calls over TCP or a serial port, with clear errors."""

from __future__ import annotations

import hmac
import math
import secrets
import socket
import time
from collections.abc import Iterator, Sequence
from types import TracebackType
from typing import Any, Self, TypeVar

from pydantic import BaseModel, ValidationError

from kumpel.core.names import clean_line
from kumpel.link import abilities, frames, messages
from kumpel.link.errors import LinkError, RefusedError
from kumpel.link.messages import (
    Cleared,
    Code,
    Description,
    EventList,
    Hello,
    ListedSession,
    Piece,
    RecordedEvent,
    SessionList,
    SetupState,
    Status,
)
from kumpel.link.wires import Patience, Wire, open_wire

__all__ = ["LinkError", "RecorderLink", "RefusedError"]

M = TypeVar("M", bound=BaseModel)
CALL_S = 2.0
"""A call other than `read` is answered within this time, however its bytes come."""
READ_S = 10.0
"""A piece of a session may take longer, but never so long without a byte."""
SLOWEST_PIECE_S = 300.0
MOST_NOTES = 1000
"""Notes that may come before an answer; a recorder that sends more is not answering."""
PAGE = 500
FIRMWARE_BLOCK = 65_536


MOST_WORDS = 300
"""Letters that are taken of what a recorder says in words."""


def _words(said: object, most: int) -> str:
    return clean_line(str(said)[: 4 * most])[:most]


class RecorderLink:
    """An open link to one recorder; `host` is a serial port when it is a path.

    >>> with RecorderLink("127.0.0.1", 40123) as link:   # doctest: +SKIP
    ...     link.status().battery
    0.61
    """

    def __init__(self, host: str, port: int, call_s: float = CALL_S, whole_s: float = math.inf) -> None:
        """`whole_s` bounds everything that is asked over this link together, however many calls that takes."""
        self._next_id = 1
        self._call_s = call_s
        self._until = time.monotonic() + whole_s
        self._wire: Wire = open_wire(host, port, call_s)
        try:
            self.hello = self._greeting()
        except BaseException:
            self._wire.close()
            raise

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def close(self) -> None:
        self._wire.close()

    @property
    def bytes_per_s(self) -> float | None:
        """What the wire carries at the most, where that is known."""
        return self._wire.bytes_per_s

    # -- calls of every recorder

    def describe(self) -> Description:
        return self._typed("describe", Description)

    def status(self) -> Status:
        return self._typed("status", Status)

    def sessions(self) -> list[ListedSession]:
        """All sessions, newest first, however many pages they take."""
        found: dict[str, ListedSession] = {}
        more = True
        after: dict[str, str] = {}
        while more:
            page = self._typed("sessions", SessionList, most=PAGE, **after)
            new = {each.id: each for each in page.sessions if each.id not in found}
            if len(found) + len(page.sessions) > messages.MOST_SESSIONS or (page.more and not new):
                raise LinkError(f"answer to “sessions”: pages without end after {len(found)} sessions")
            found |= new
            more = page.more
            after = {"after": page.sessions[-1].id} if page.sessions else {}
        return list(found.values())

    def setup(self) -> SetupState:
        return self._typed("setup", SetupState)

    def write_setup(
        self, setup: dict[str, Any], slip: dict[str, Any], based_on: int, names: dict[str, str] | None = None
    ) -> SetupState:
        """Write the settings; `names` (None: as they are) only where the recorder can keep them."""
        kept = {} if names is None else {"names": names}
        return self._typed("write-setup", SetupState, setup=setup, slip=slip, based_on=based_on, **kept)

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
        if self._wire.bytes_per_s is not None:
            # A second's worth, so that progress is seen and a cut costs little.
            most = min(most, int(self._wire.bytes_per_s))
        while True:
            piece = self._typed("read", Piece, session=session, offset=offset, most=most)
            if not piece.items:
                return
            if piece.offset != offset or piece.next != offset + len(piece.items):
                raise LinkError(f"the recorder sent bytes {piece.offset} to {piece.next}; {offset} was asked for")
            offset = piece.next
            yield piece

    def events(self, session: str) -> Iterator[RecordedEvent]:
        """The events of a session, apart from its samples."""
        first, more = 0, True
        while more:
            page = self._typed("events", EventList, session=session, first=first, most=PAGE)
            yield from page.events
            first, more = first + len(page.events), page.more and bool(page.events)

    def unlock(self, passcode: str) -> None:
        """Prove the passcode to the recorder and let the recorder prove it back."""
        nonce = secrets.token_bytes(16)
        mine = messages.proof(passcode, "client", self.hello.nonce, nonce)
        answer = self._call("unlock", nonce=nonce, proof=mine)
        theirs = messages.proof(passcode, "recorder", self.hello.nonce, nonce)
        given = answer.get("proof")
        if not isinstance(given, bytes) or not hmac.compare_digest(given, theirs):
            raise LinkError("the recorder could not prove that it knows the passcode: not the recorder it claims to be")

    # -- abilities

    def live(self, channels: Sequence[str], every_ms: int, raw: Sequence[str] = ()) -> abilities.LiveAs:
        """Ask for live values from now on; `live_values` gives them. No channel ends it.

        Of the channels in `raw` (some of `channels`) the raw value comes as well, under the channel's key and `RAW_VALUE`.
        """
        wished = {"raw": list(raw)} if raw else {}
        return self._typed("live", abilities.LiveAs, channels=list(channels), every_ms=every_ms, **wished)

    def live_values(self, wait_s: float) -> list[abilities.LiveValue]:
        """The next pack of live values. LinkError when none comes in time."""
        patience = Patience(wait_s, wait_s)
        while True:
            message = self._receive(patience)
            if message.get("note") != "live":
                continue
            told = message.get("with")
            try:
                return abilities.live_values(told.get("records") if isinstance(told, dict) else None)
            except ValueError as error:
                raise LinkError(f"live values: {error}") from error

    def capture(self, channel: str, hold_s: float) -> abilities.Captured:
        return self._typed("capture", abilities.Captured, channel=channel, hold_s=hold_s)

    def calibrations(self) -> list[abilities.Calibration]:
        return self._typed("calibrations", abilities.CalibrationList).calibrations

    def calibrate(self, channel: str, points: Sequence[tuple[float, float]]) -> list[abilities.Calibration]:
        """Write the calibration of a channel as (raw, true) points; none takes it away."""
        listed = [{"raw": float(raw), "true": float(true)} for raw, true in points]
        return self._typed("calibrate", abilities.CalibrationList, channel=channel, points=listed).calibrations

    def checks(self) -> list[abilities.CheckMade]:
        return self._typed("checks", abilities.CheckList).checks

    def check(self, check: str, sensor: str, applied: float | None) -> float:
        """Start a check; the seconds it takes."""
        return self._typed("check", abilities.CheckBegun, check=check, sensor=sensor, applied=applied).seconds

    def courses(self) -> list[abilities.ListedCourse]:
        return self._typed("courses", abilities.CourseList).courses

    def course(self, name: str) -> dict[str, Any]:
        return self._typed("course", abilities.OneCourse, name=name).course

    def write_course(self, course: dict[str, Any]) -> list[abilities.ListedCourse]:
        return self._typed("write-course", abilities.CourseList, course=course).courses

    def remove_course(self, name: str, sha256: bytes) -> list[abilities.ListedCourse]:
        return self._typed("remove-course", abilities.CourseList, name=name, sha256=sha256).courses

    def display(self) -> abilities.Display:
        return self._typed("display", abilities.Display)

    def draw(self, fields: Sequence[str]) -> abilities.Picture:
        """A page as the recorder itself draws it."""
        return self._typed("draw", abilities.Picture, fields=list(fields))

    def picture(self) -> abilities.Picture:
        return self._typed("picture", abilities.Picture)

    def write_picture(self, picture: abilities.Picture) -> abilities.Picture:
        return self._typed("write-picture", abilities.Picture, **picture.model_dump())

    def maker_picture(self) -> abilities.Picture:
        """The picture that the recorder came with, shown again."""
        return self._typed("maker-picture", abilities.Picture)

    def news(self) -> abilities.News:
        """Be told of changes from now on, by notes `news`; how many there were so far."""
        return self._typed("news", abilities.News)

    def next_news(self, wait_s: float) -> abilities.News:
        """What it tells next, after `news`. LinkError when nothing comes in time."""
        patience = Patience(wait_s, wait_s)
        while (message := self._receive(patience)).get("note") != "news":
            pass
        return self._checked(abilities.News, message.get("with"), "news")

    def hand_over(self) -> tuple[socket.socket, bytearray]:
        """The connection under a link over a network, with what was received and not read yet; the link is used no more.

        Raises LinkError for a wire that is none.
        """
        return self._wire.hand_over()

    def firmware(self) -> abilities.Firmware:
        return self._typed("firmware", abilities.Firmware)

    def send_firmware(self, version: str, image: bytes, sha256: bytes) -> Iterator[abilities.Firmware]:
        """Send an image, from where it stopped; the state after each block, at last the verified one. Nothing is switched."""
        state = self._typed("firmware-begin", abilities.Firmware, version=version, size=len(image), sha256=sha256)
        most = FIRMWARE_BLOCK
        if self._wire.bytes_per_s is not None:
            most = max(min(most, int(self._wire.bytes_per_s)), 1)  # as with `pieces`
        while state.received < len(image):
            before = state.received
            block = image[before : before + most]
            state = self._typed("firmware-block", abilities.Firmware, offset=before, data=block)
            if state.received <= before:
                raise LinkError(f"the recorder did not take the firmware from byte {before} on")
            yield state
        yield self._typed("firmware-verify", abilities.Firmware)

    def switch_firmware(self) -> abilities.Firmware:
        return self._typed("firmware-switch", abilities.Firmware)

    def radio(self) -> abilities.RadioState:
        return self._typed("radio", abilities.RadioState)

    def join_network(self, name: str, key: str) -> abilities.RadioState:
        """Have it join a network from now on; it keeps the key, and says it to nobody."""
        return self._typed("join-network", abilities.RadioState, name=name, key=key)

    def leave_network(self) -> abilities.RadioState:
        return self._typed("leave-network", abilities.RadioState)

    # -- messages

    def raw_call(self, call: str, values: dict[str, Any]) -> dict[str, Any]:
        """Any call with any values, its answer unchecked: for those who test a recorder."""
        return self._call(call, **values)

    def _greeting(self) -> Hello:
        patience = self._within(Patience(self._call_s, self._call_s))
        if not self._wire.greets:
            self._send(0, "hello", {})
        message = self._receive(patience)
        while not self._wire.greets and message.get("note") != "hello":
            message = self._receive(patience)  # left over from a conversation before
        if message.get("note") != "hello":
            raise LinkError("what answers there is no recorder (no hello)")
        hello = self._checked(Hello, message.get("with"), "hello")
        if hello.protocol not in frames.SPOKEN:
            raise LinkError(f"the recorder speaks version {hello.protocol} of the link, Kumpel {frames.PROTOCOL}")
        while not self._wire.greets and message.get("id") != 0:
            message = self._receive(patience)
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

    def _send(self, number: int, call: str, values: dict[str, Any]) -> None:
        try:
            self._wire.send(frames.pack({"id": number, "call": call, "with": values}))
        except OSError as error:
            raise LinkError("the link to the recorder broke") from error

    def _patience(self, call: str, values: dict[str, Any]) -> Patience:
        if call == "read":
            return self._within(Patience(READ_S, SLOWEST_PIECE_S))
        wait_s = self._call_s + float(values.get("hold_s", 0.0))
        if self._wire.bytes_per_s is not None:
            wait_s += sum(len(v) for v in values.values() if isinstance(v, bytes)) / self._wire.bytes_per_s
        return self._within(Patience(wait_s, wait_s))

    def _within(self, patience: Patience) -> Patience:
        left_s = self._until - time.monotonic()
        if left_s <= 0:
            raise LinkError("the recorder took too long to say what it has")
        return patience.within(left_s)

    def _call(self, call: str, /, **values: Any) -> dict[str, Any]:
        number = self._next_id
        self._next_id += 1
        self._send(number, call, values)
        patience = self._patience(call, values)
        for _ in range(MOST_NOTES):
            message = self._receive(patience)
            if "note" in message:
                continue
            if message.get("id") != number:
                raise LinkError(f"an answer to call {message.get('id')}; {number} was asked")
            refused = message.get("error")
            if isinstance(refused, dict):
                raise RefusedError(
                    _words(refused.get("code", Code.FAULT), 40), _words(refused.get("text", ""), MOST_WORDS)
                )
            answer = message.get("ok")
            if not isinstance(answer, dict):
                raise LinkError(f"an answer to “{call}” without content")
            return answer
        raise LinkError(f"notes without end in place of an answer to “{call}”")

    def _receive(self, patience: Patience) -> dict[str, Any]:
        try:
            return frames.unpack(*self._wire.receive(patience))
        except frames.FrameError as error:
            raise LinkError(f"disturbed link: {error}") from error
        except TimeoutError as error:
            raise LinkError("the recorder stopped answering") from error
        except OSError as error:
            raise LinkError("the link to the recorder broke") from error
