"""Does a recorder keep to docs/link-protocol.md? Each row asks one thing, over a connection of its own."""

from __future__ import annotations

import hashlib
import math
import secrets
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from functools import cached_property, partial

from kumpel.formats import krec
from kumpel.formats.errors import FileFormatError
from kumpel.link import abilities, firmware_image, frames
from kumpel.link.client import RecorderLink
from kumpel.link.errors import LinkError, RefusedError
from kumpel.link.messages import SHUT, Code, Description, ListedSession, Mode, SetupState, Status
from kumpel.link.wires import Patience, is_serial, open_wire

MODES = {value for key, value in vars(Mode).items() if key.isupper()}
TOLD_S = 2.5
"""A change is told within a second; the rest is the way, and a recorder that is busy with others."""
NEWEST = "65535.0"
"""The version of images that must not be taken."""
KEPT, FAILS, NOT_ASKED = "kept", "fails", "not asked"
COURSE = {"name": "kumpel conformance", "start": {"lat": 47.6, "lon": 13.8, "bearing_deg": 0.0, "half_width_m": 15.0}}


class Broken(Exception):
    """The recorder does not keep to the row; says how."""


class NotAsked(Exception):
    """The row cannot be asked of this recorder, or not now; says why."""


@dataclass(frozen=True)
class Outcome:
    """What came of a row."""

    clause: str
    asks: str
    outcome: str
    why: str = ""


@dataclass(frozen=True)
class Row:
    clause: str
    asks: str
    ask: Callable[[Probe], None]
    changes: bool = False


ROWS: list[Row] = []


def row(clause: str, asks: str, changes: bool = False) -> Callable[[Callable[[Probe], None]], Callable[[Probe], None]]:
    def keep(ask: Callable[[Probe], None]) -> Callable[[Probe], None]:
        ROWS.append(Row(clause, asks, ask, changes))
        return ask

    return keep


class Probe:
    """A recorder at an address, with what is known of it so far."""

    def __init__(self, host: str, port: int, passcode: str = "") -> None:
        self.host, self.port, self.passcode = host, port, passcode

    @contextmanager
    def link(self, unlocked: bool = False) -> Iterator[RecorderLink]:
        with RecorderLink(self.host, self.port) as link:
            if unlocked and link.hello.locked:
                if not self.passcode:
                    raise NotAsked("it asks for a passcode (--passcode)")
                link.unlock(self.passcode)
            yield link

    @cached_property
    def described(self) -> Description:
        with self.link() as link:
            return link.describe()

    @cached_property
    def status(self) -> Status:
        with self.link() as link:
            return link.status()

    @cached_property
    def held(self) -> SetupState:
        with self.link() as link:
            return link.setup()

    @cached_property
    def listed(self) -> list[ListedSession]:
        self.needs_open()
        with self.link() as link:
            return link.sessions()

    @cached_property
    def smallest(self) -> ListedSession:
        """A complete session to read, the smallest one."""
        whole = [each for each in self.listed if each.complete]
        if not whole:
            raise NotAsked("no complete session is on it")
        return min(whole, key=lambda each: each.size)

    @cached_property
    def file(self) -> bytes:
        with self.link() as link:
            return b"".join(piece.items for piece in link.pieces(self.smallest.id))

    def needs_open(self) -> None:
        if self.status.mode in SHUT:
            raise NotAsked(f"it is in the mode “{self.status.mode}”")

    def needs(self, ability: str) -> None:
        self.needs_open()
        if ability not in self.described.can:
            raise NotAsked(f"it cannot “{ability}”")

    def needs_ready(self) -> None:
        if self.status.mode != Mode.READY:
            raise NotAsked(f"it is in the mode “{self.status.mode}”")

    def needs_lock(self, link: RecorderLink) -> None:
        if not link.hello.locked:
            raise NotAsked("it has no passcode")


def test(probe: Probe, changes: bool = False) -> Iterator[Outcome]:
    """The rows one after the other; those that change something only when wished."""
    for each in ROWS:
        if each.changes and not changes:
            continue
        try:
            each.ask(probe)
            yield Outcome(each.clause, each.asks, KEPT)
        except NotAsked as error:
            yield Outcome(each.clause, each.asks, NOT_ASKED, str(error))
        except (Broken, LinkError) as error:
            yield Outcome(each.clause, each.asks, FAILS, str(error))


def _say(holds: bool, why: str) -> None:
    if not holds:
        raise Broken(why)


def _refused(code: str, call: Callable[[], object], what: str) -> None:
    """The call has to be refused with this code."""
    try:
        call()
    except RefusedError as error:
        _say(error.code == code, f"{what} is answered with “{error.code}”, not “{code}”")
        return
    raise Broken(f"{what} is not refused")


# -- byte streams and messages


@row("2.2", "a frame with a wrong CRC is not answered")
def _crc(probe: Probe) -> None:
    wire = open_wire(probe.host, probe.port, 2.0)
    try:
        if wire.greets:
            wire.receive(Patience(2.0, 2.0))
        good = frames.pack({"id": 1, "call": "status", "with": {}})
        wire.send(good[:4] + bytes([good[4] ^ 1]) + good[5:])
        try:
            wire.receive(Patience(1.5, 1.5))
        except (LinkError, OSError, TimeoutError, frames.FrameError):
            return
        raise Broken("it answered a frame with a wrong CRC")
    finally:
        wire.close()


@row("2.3", "on a serial port garbage before a frame costs nothing")
def _garbage(probe: Probe) -> None:
    if not is_serial(probe.host):
        raise NotAsked("it is reached over TCP")
    wire = open_wire(probe.host, probe.port, 2.0)
    try:
        wire.send(b"\x00garbage" + frames.MARKER[:2])
        wire.send(frames.pack({"id": 1, "call": "hello", "with": {}}))
        wire.receive(Patience(3.0, 3.0))
    except TimeoutError as error:
        raise Broken("it did not find the frame behind the garbage") from error
    finally:
        wire.close()


@row("3", "what is no call is a bad request, and the conversation goes on")
def _bad_request(probe: Probe) -> None:
    with probe.link() as link:
        _refused(Code.BAD_REQUEST, lambda: link.raw_call("read", {"session": 5}), "“read” without an offset")
        link.describe()


@row("3", "a call that nobody specified is unknown")
def _unknown(probe: Probe) -> None:
    with probe.link() as link:
        _refused(Code.UNKNOWN_CALL, lambda: link.raw_call("no-such-call", {}), "“no-such-call”")


@row("3.1", "unknown keys are ignored")
def _unknown_keys(probe: Probe) -> None:
    with probe.link() as link:
        link.raw_call("describe", {"a key of a later version": 1})


# -- the life of a connection


@row("4.1", "every greeting has a nonce of its own")
def _nonce(probe: Probe) -> None:
    nonces = []
    for _ in range(2):
        with probe.link() as link:
            nonces.append(link.hello.nonce)
    _say(nonces[0] != nonces[1], "the same nonce came twice")


@row("4.2", "changing is refused before unlocking, reading is not")
def _locked(probe: Probe) -> None:
    with probe.link() as link:
        probe.needs_lock(link)
        link.status()
        _refused(Code.LOCKED, lambda: link.clear({}), "“clear” of nothing")


@row("4.3", "a wrong proof is refused")
def _wrong_proof(probe: Probe) -> None:
    with probe.link() as link:
        probe.needs_lock(link)
        wrong = {"nonce": secrets.token_bytes(16), "proof": secrets.token_bytes(32)}
        _refused(Code.WRONG_PASSCODE, lambda: link.raw_call("unlock", wrong), "a wrong proof")


@row("4.3", "it proves that it knows the passcode")
def _proves(probe: Probe) -> None:
    with probe.link() as link:
        probe.needs_lock(link)
    with probe.link(unlocked=True):
        pass


# -- calls of every recorder


@row("5.1", "it is who its greeting said")
def _same(probe: Probe) -> None:
    with probe.link() as link:
        _say(link.describe().serial == link.hello.serial, "“describe” and “hello” name two serial numbers")


@row("5.1", "channels have keys of their own")
def _channels(probe: Probe) -> None:
    keys = [channel.key for channel in probe.described.channels]
    _say(len(set(keys)) == len(keys), "two channels have one key")


@row("5.1", "a call of an ability that it lacks is unknown")
def _lacks(probe: Probe) -> None:
    probe.needs_open()
    lacking = [ability for ability in abilities.CALLS if ability not in probe.described.can]
    if not lacking:
        raise NotAsked("it lacks nothing")
    with probe.link() as link:
        for ability in lacking:
            call = abilities.CALLS[ability][0]
            _refused(Code.UNKNOWN_CALL, partial(link.raw_call, call, {}), f"“{call}”")


@row("5.2", "its mode is one of clause 7")
def _mode(probe: Probe) -> None:
    with probe.link() as link:
        mode = link.status().mode
    _say(mode in MODES, f"the mode “{mode}”")


@row("5.2", "its clock goes on")
def _clock(probe: Probe) -> None:
    with probe.link() as link:
        first, before = link.status().clock, time.monotonic()
        time.sleep(0.5)
        went = link.status().clock - first
    _say(abs(went - (time.monotonic() - before)) < 1.5, f"it went on by {went:.1f} s in half a second")


@row("5.3", "sessions come newest first, each once, complete ones with their hash")
def _sessions(probe: Probe) -> None:
    listed = probe.listed
    starts = [each.start for each in listed]
    _say(starts == sorted(starts, reverse=True), "they do not come newest first")
    _say(len({each.id for each in listed}) == len(listed), "one name stands for two sessions")
    _say(all((each.sha256 is not None) == each.complete for each in listed), "a hash is missing, or too early")


@row("5.3", "a page holds no more than was asked for, and the pages are the whole")
def _pages(probe: Probe) -> None:
    if len(probe.listed) < 2:
        raise NotAsked("fewer than two sessions are on it")
    with probe.link() as link:
        first = link.raw_call("sessions", {"most": 1})
        _say(len(first["sessions"]) == 1 and first.get("more") is True, "a page of one is not a page of one")
        after = first["sessions"][0]["id"]
        second = link.raw_call("sessions", {"most": 1, "after": after})
        _say(second["sessions"][0]["id"] == probe.listed[1].id, "the second page does not follow the first")


@row("5.4", "a session read has the size and the hash that were listed")
def _hash(probe: Probe) -> None:
    session = probe.smallest
    _say(len(probe.file) == session.size, f"{len(probe.file)} bytes came, {session.size} were listed")
    _say(hashlib.sha256(probe.file).digest() == session.sha256, "its hash is another one")


@row("5.4", "a session is a recording file of its kind")
def _file(probe: Probe) -> None:
    checker = krec.Checker(krec.anything)
    try:
        for item in krec.read_items(probe.file):
            checker.take(item)
    except FileFormatError as error:
        raise Broken(str(error)) from error
    head = checker.head
    _say(head is not None and head.kind == probe.described.kind, "it is of another kind")
    _say(head is not None and head.session == probe.smallest.id, "it bears another name")


@row("5.4", "even the smallest piece holds whole items")
def _whole_items(probe: Probe) -> None:
    with probe.link() as link:
        answer = link.raw_call("read", {"session": probe.smallest.id, "offset": 0, "most": 1})
    try:
        items = list(krec.read_items(answer["items"]))
    except FileFormatError as error:
        raise Broken(f"{error}") from error
    _say(len(items) == 1, f"{len(items)} items for one byte")


@row("5.4", "the events apart are those of the file")
def _events(probe: Probe) -> None:
    inside = [item.content for item in krec.read_items(probe.file) if isinstance(item.content, krec.Event)]
    with probe.link() as link:
        apart = [(event.at_s, event.code) for event in link.events(probe.smallest.id)]
    _say(apart == [(event.at_s, event.code) for event in inside], f"{len(apart)} apart, {len(inside)} in the file")


@row("5.4", "a session that is not there is not found")
def _not_found(probe: Probe) -> None:
    probe.needs_open()
    with probe.link() as link:
        _refused(Code.NOT_FOUND, lambda: list(link.pieces("no such session")), "a session that is not there")


@row("5.5", "names are withheld until it is unlocked, and said nowhere else")
def _names(probe: Probe) -> None:
    probe.needs(abilities.NAMES)
    with probe.link() as link:
        state = link.setup()
        if link.hello.locked:
            _say(state.names_withheld and not state.names, "names are told before unlocking")
        said = repr((link.describe(), link.status(), link.sessions()))
    told = [name for name in state.names.values() if len(name) > 3 and name in said]
    _say(not told, "a stored name stands in “describe”, “status” or “sessions” too")


# -- abilities


@row("8", "live values come in SenML at their rate, and end")
def _live(probe: Probe) -> None:
    probe.needs(abilities.LIVE)
    if not probe.described.channels:
        raise NotAsked("it describes no channel")
    channel = max(probe.described.channels, key=lambda each: each.most_hz)
    with probe.link() as link:
        given = link.live([channel.key], 200)
        for _ in range(2):
            values = link.live_values(2.0 + 3 * given.every_ms / 1000)
            _say([v.channel for v in values] == [channel.key], "values of other channels come")
            _say(values[0].unit == channel.unit, f"the unit is “{values[0].unit}”, described was “{channel.unit}”")
        link.live([], 200)
        link.status()
        try:
            link.live_values(1.0 + 2 * given.every_ms / 1000)
        except LinkError:
            return
    raise Broken("they do not end")


@row("8", "a raw value comes beside its live value, in its unit")
def _live_raw(probe: Probe) -> None:
    probe.needs(abilities.LIVE)
    channel = next((each for each in probe.described.channels if each.raw_unit), None)
    if channel is None:
        raise NotAsked("it describes no channel with a raw value")
    with probe.link() as link:
        given = link.live([channel.key], 200, [channel.key])
        values = link.live_values(2.0 + 3 * given.every_ms / 1000)
        _say(
            [v.channel for v in values] == [channel.key, channel.key + abilities.RAW_VALUE], "the raw value is missing"
        )
        _say(values[1].unit == channel.raw_unit, f"its unit is “{values[1].unit}”, described was “{channel.raw_unit}”")
        link.live([], 200)


@row("9", "a raw value is held and told with its spread")
def _capture(probe: Probe) -> None:
    probe.needs(abilities.RAW)
    channel = probe.described.channels[0]
    with probe.link() as link:
        held = link.capture(channel.key, 0.3)
        _say(held.channel == channel.key and not math.isnan(held.raw), "another channel, or no number")
        _refused(Code.NOT_FOUND, lambda: link.capture("no such channel", 0.3), "a channel that is not there")


@row("10", "checks come newest first")
def _checks(probe: Probe) -> None:
    probe.needs(abilities.CHECKS)
    with probe.link() as link:
        times = [each.at for each in link.checks()]
    _say(times == sorted(times, reverse=True), "they do not come newest first")


@row("11", "courses have the hash that is listed")
def _courses(probe: Probe) -> None:
    probe.needs(abilities.COURSES)
    with probe.link() as link:
        for each in link.courses():
            _say(abilities.course_hash(link.course(each.name)) == each.sha256, f"“{each.name}” has another hash")


@row("12", "a page is drawn in the size of the display")
def _draw(probe: Probe) -> None:
    probe.needs(abilities.DISPLAY)
    with probe.link() as link:
        display = link.display()
        drawn = link.draw([display.offers[0].key])
    _say((drawn.width, drawn.height, drawn.greys) == (display.width, display.height, display.greys), "another size")


@row("12", "the picture is told")
def _picture(probe: Probe) -> None:
    probe.needs(abilities.PICTURE)
    with probe.link() as link:
        link.picture()


@row("13", "the firmware that runs is the one described")
def _firmware(probe: Probe) -> None:
    probe.needs(abilities.FIRMWARE)
    with probe.link() as link:
        _say(link.firmware().running == link.describe().firmware, "another version")


# -- what changes something, and takes it back


@row("5.6", "settings written on an older reading are refused, and nothing is written", changes=True)
def _stale(probe: Probe) -> None:
    probe.needs_ready()
    with probe.link(unlocked=True) as link:
        state = link.setup()
        wrong = state.revision + 1000
        try:
            _refused(Code.STALE_SETUP, lambda: link.write_setup(state.setup, state.slip, wrong), "an older reading")
        finally:
            _restore(link, state)


@row("5.6", "settings written are read back equal, one revision further", changes=True)
def _written(probe: Probe) -> None:
    probe.needs_ready()
    with probe.link(unlocked=True) as link:
        state = link.setup()
        written = link.write_setup(state.setup, state.slip, state.revision)
        read = link.setup()
        _say(read.setup == state.setup and read.slip == state.slip, "they read back something else")
        _say(
            written.revision == read.revision == state.revision + 1,
            f"from revision {state.revision} to {read.revision}",
        )


def _restore(link: RecorderLink, state: SetupState) -> None:
    now = link.setup()
    if (now.setup, now.slip) != (state.setup, state.slip):
        link.write_setup(state.setup, state.slip, now.revision)


@row("5.6", "the clock is set, and set back", changes=True)
def _set_clock(probe: Probe) -> None:
    probe.needs_ready()
    with probe.link(unlocked=True) as link:
        status = link.status()
        error = status.clock - time.time()
        try:
            link.set_clock(time.time() + 1000, status.utc_offset_min)
            _say(abs(link.status().clock - time.time() - 1000) < 5, "it does not show what was set")
        finally:
            link.set_clock(time.time() + error, status.utc_offset_min)


@row("7", "a running session is listed as such and cannot be read; settings cannot be written meanwhile", changes=True)
def _recording(probe: Probe) -> None:
    probe.needs_ready()
    if probe.described.keeps_one and probe.listed:
        raise NotAsked("a start would overwrite what it holds")
    with probe.link(unlocked=True) as link:
        before = {each.id for each in link.sessions()}
        link.start()
        try:
            running = [each for each in link.sessions() if each.id not in before]
            _say(len(running) == 1 and not running[0].complete, "it is not listed as running")
            state = link.setup()
            _refused(
                Code.RECORDING, lambda: link.write_setup(state.setup, state.slip, state.revision), "writing settings"
            )
            with suppress(RefusedError):
                _say(not b"".join(p.items for p in link.pieces(running[0].id)), "it can be read")
            time.sleep(1.0)
        finally:
            link.stop()
            _until_ready(link)
        _clear_own(link, before)


@row("5.7", "clearing is all or nothing, and a hash has to be right", changes=True)
def _clear(probe: Probe) -> None:
    probe.needs_ready()
    if probe.described.keeps_one:
        raise NotAsked("it keeps one session only")
    with probe.link(unlocked=True) as link:
        before = {each.id for each in link.sessions()}
        for _ in range(2):
            link.start()
            time.sleep(1.2)
            link.stop()
            _until_ready(link)
        own = _own(link, before)
        _say(len(own) == 2, f"{len(own)} sessions of two are listed")
        first, second = own
        wrong = {first.id: first.sha256 or b"", second.id: bytes(32)}
        try:
            _refused(Code.HASH_MISMATCH, lambda: link.clear(wrong), "a wrong hash")
            _say(len(_own(link, before)) == 2, "something was cleared all the same")
        finally:
            _clear_own(link, before)
        _say(not _own(link, before), "a session with the right hash was not cleared")
        _say(before <= {each.id for each in link.sessions()}, "a session was cleared that nobody named")


def _until_ready(link: RecorderLink) -> None:
    """A long session may take a while to be put down."""
    until = time.monotonic() + 20
    while link.status().mode != Mode.READY and time.monotonic() < until:
        time.sleep(0.1)


def _own(link: RecorderLink, before: set[str]) -> list[ListedSession]:
    """Sessions recorded meanwhile, once they are complete."""
    until = time.monotonic() + 20
    while True:
        found = [each for each in link.sessions() if each.id not in before]
        if all(each.complete for each in found) or time.monotonic() > until:
            return [each for each in found if each.complete]
        time.sleep(0.2)


def _clear_own(link: RecorderLink, before: set[str]) -> None:
    own = _own(link, before)
    if own:
        link.clear({each.id: each.sha256 or b"" for each in own})


@row("16", "a recorder that tells says within its time that it is still there, and counts on")
def _still_there(probe: Probe) -> None:
    probe.needs(abilities.NEWS)
    if is_serial(probe.host):
        raise NotAsked("over a serial port it is not asked to tell")
    with probe.link() as link:
        told = link.news()
        next_ = link.next_news(2.0 * told.every_s)
        _say(next_.count >= told.count, f"it counted back from {told.count} to {next_.count}")


@row("16", "a change is told within a second", changes=True)
def _tells(probe: Probe) -> None:
    probe.needs_ready()
    probe.needs(abilities.NEWS)
    if is_serial(probe.host):
        raise NotAsked("over a serial port it is not asked to tell")
    with probe.link() as listening, probe.link(unlocked=True) as link:
        told = listening.news()
        held = link.setup()
        link.write_setup(held.setup, held.slip, held.revision)
        _say(listening.next_news(TOLD_S).count > told.count, "its count is as before")


@row("9", "a calibration is kept and taken away", changes=True)
def _calibrate(probe: Probe) -> None:
    probe.needs_ready()
    probe.needs(abilities.CALIBRATIONS)
    channel = probe.described.channels[0].key
    with probe.link(unlocked=True) as link:
        before = next((c for c in link.calibrations() if c.channel == channel), None)
        try:
            kept = next((c for c in link.calibrate(channel, [(1.0, 0.0), (2.0, 10.0)]) if c.channel == channel), None)
            _say(
                kept is not None and [(p.raw, p.true) for p in kept.points] == [(1.0, 0.0), (2.0, 10.0)],
                "not as written",
            )
        finally:
            link.calibrate(channel, [(p.raw, p.true) for p in before.points] if before else [])


@row("11", "a course is kept, and removed by its hash", changes=True)
def _write_course(probe: Probe) -> None:
    probe.needs_ready()
    probe.needs(abilities.COURSES)
    with probe.link(unlocked=True) as link:
        kept = next((c for c in link.write_course(COURSE) if c.name == COURSE["name"]), None)
        _say(kept is not None and kept.sha256 == abilities.course_hash(COURSE), "it is not listed with its hash")
        try:
            _refused(Code.HASH_MISMATCH, lambda: link.remove_course(str(COURSE["name"]), bytes(32)), "a wrong hash")
        finally:
            left = [c.name for c in link.courses()]
            if COURSE["name"] in left:
                link.remove_course(str(COURSE["name"]), abilities.course_hash(COURSE))


@row("12", "a picture is kept as it was sent", changes=True)
def _write_picture(probe: Probe) -> None:
    probe.needs_ready()
    probe.needs(abilities.PICTURE)
    with probe.link(unlocked=True) as link:
        before = link.picture()
        mine = before.model_copy(update={"pixels": bytes(i % before.greys for i in range(len(before.pixels)))})
        try:
            _say(link.write_picture(mine) == mine == link.picture(), "it shows something else")
        finally:
            link.write_picture(before)


@row("12", "the maker's picture comes back", changes=True)
def _maker_picture(probe: Probe) -> None:
    probe.needs_ready()
    probe.needs(abilities.MAKER_PICTURE)
    with probe.link(unlocked=True) as link:
        before = link.picture()
        mine = before.model_copy(update={"pixels": bytes(i % before.greys for i in range(len(before.pixels)))})
        try:
            link.write_picture(mine)
            _say(link.maker_picture() == link.picture() != mine, "it shows something else")
        finally:
            link.write_picture(before)


@row("13", "a firmware with a wrong hash is thrown away, and the running one stays", changes=True)
def _wrong_firmware(probe: Probe) -> None:
    with _brought_to_update(probe) as link:
        running = link.firmware().running
        image = secrets.token_bytes(2000)
        _refused(Code.HASH_MISMATCH, lambda: list(link.send_firmware("conformance", image, bytes(32))), "a wrong hash")
        state = link.firmware()
        _say(state.running == running and state.received == 0, "something of it is left")


@row("13", "a firmware signed with a key of nobody is thrown away, and the running one stays", changes=True)
def _foreign_firmware(probe: Probe) -> None:
    with _brought_to_update(probe) as link:
        running = link.firmware().running
        image = _newest_of_all(probe)
        digest = hashlib.sha256(image).digest()
        _refused(Code.NOT_GENUINE, lambda: list(link.send_firmware(NEWEST, image, digest)), "an image of nobody's")
        state = link.firmware()
        _say(state.running == running and state.received == 0, "something of it is left")


@row("13", "what was received of a firmware is still there after a cut, and goes on there", changes=True)
def _cut_firmware(probe: Probe) -> None:
    image = _newest_of_all(probe)
    begun = {"version": NEWEST, "size": len(image), "sha256": hashlib.sha256(image).digest()}
    with _brought_to_update(probe) as link:
        link.raw_call("firmware-begin", begun)
        link.raw_call("firmware-block", {"offset": 0, "data": image[:1000]})
    with probe.link(unlocked=True) as link:
        received = [link.firmware().received, link.raw_call("firmware-begin", begun).get("received")]
        _say(received == [1000, 1000], f"1000 bytes were sent, it tells of {received[0]} and {received[1]}")
        other = begun | {"sha256": bytes(32)}
        _say(link.raw_call("firmware-begin", other).get("received") == 0, "what came of another one is kept")


@contextmanager
def _brought_to_update(probe: Probe) -> Iterator[RecorderLink]:
    probe.needs_ready()
    probe.needs(abilities.FIRMWARE)
    with probe.link(unlocked=True) as link:
        if not (state := link.firmware()).ready:
            raise NotAsked(state.press or "it takes no firmware now")
        yield link


def _newest_of_all(probe: Probe) -> bytes:
    """An image for this recorder, newer than any, signed with a key that was made this very moment."""
    about = {"kind": probe.described.kind, "models": [probe.described.model or "x"], "version": NEWEST}
    return firmware_image.sign(secrets.token_bytes(2000), firmware_image.new_key(), about)
