"""Recorders: which are in reach, what they say of themselves, asking them again."""

from __future__ import annotations

import json
import math
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, func, select

from kumpel.core.names import clean_line
from kumpel.kinds.registry import KINDS, today
from kumpel.link import abilities
from kumpel.link.abilities import CheckMade, ListedCourse
from kumpel.link.client import CALL_S, LinkError, RefusedError
from kumpel.link.discovery import Announcement
from kumpel.link.errors import InUseError
from kumpel.link.messages import SHUT, Code, Description, ListedSession, SetupState, Status
from kumpel.link.networks import address_parts, address_words
from kumpel.services.ground import deeds, settings
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import (
    ConflictError,
    InvalidError,
    NotFoundError,
    PasscodeNeededError,
    RecorderError,
)
from kumpel.services.recorders import checks, holdings
from kumpel.services.recorders.exchange import DistantLink, dial
from kumpel.services.recorders.reaching import AnyLink, able, is_elsewhere, is_folder, machine_of, open_link
from kumpel.store.database import tell
from kumpel.store.tables import HandOver, Recorder, now

MOST_TROUBLE = 400
ASKED_S = 20.0
"""A recorder has said what it has within this time, on a slow port too, or it counts as not answering: others wait for their turn."""
SEEN_AGAIN = timedelta(seconds=10)
"""When it was last seen is written no more often than this: most askings find nothing new, and write nothing."""


def recorder_of(db: Db, recorder_id: int) -> Recorder:
    recorder = db.get(Recorder, recorder_id)
    if recorder is None:
        raise NotFoundError("This recorder is not on record.")
    return recorder


def worn_recorder(db: Db, recorder_id: int) -> Recorder:
    """A recorder that can be set up and handed out. ConflictError for a folder of files."""
    recorder = recorder_of(db, recorder_id)
    if is_folder(recorder):
        raise ConflictError(
            f"{recorder.token} is a folder of files: nothing on it can be set up, and nobody is given it. Nothing was written.",
            code="folder",
        )
    return recorder


def all_recorders(db: Db) -> list[Recorder]:
    return list(db.exec(select(Recorder).order_by(col(Recorder.token))).all())


def in_reach(db: Db) -> list[Recorder]:
    """Those that answer where they are, by their token."""
    return list(db.exec(select(Recorder).where(col(Recorder.in_reach)).order_by(col(Recorder.token))).all())


def ready_count(db: Db) -> int:
    """How many are in reach, ready, and with nobody."""
    out = select(HandOver.id).where(HandOver.recorder_id == Recorder.id, col(HandOver.returned_at).is_(None)).exists()
    ready = col(Recorder.status)["mode"].as_string() == "ready"
    mine = select(func.count()).select_from(Recorder).where(col(Recorder.in_reach), Recorder.trouble == "", ready, ~out)
    return db.exec(mine).one()


@contextmanager
def link_to(db: Db, recorder: Recorder, passcode: str = "", timeout_s: float = 5.0) -> Iterator[AnyLink]:
    """An open link to a recorder, wherever its port is; link errors become problems that name the recorder and say what to do."""
    if not recorder.in_reach or recorder.host is None or recorder.port is None:
        raise RecorderError(f"{recorder.token} is not in reach. Put it in the dock or plug it in, then look again.")
    with in_words(recorder), _opened(db, recorder, timeout_s) as link:
        if link.hello.serial != recorder.serial:
            raise RecorderError(f"Another recorder ({link.hello.serial}) answers in place of {recorder.token}.")
        if passcode and link.hello.locked:
            link.unlock(passcode)
        yield link


def _opened(db: Db, recorder: Recorder, call_s: float = CALL_S, whole_s: float = math.inf) -> AnyLink:
    """Raises LinkError."""
    if not is_elsewhere(recorder):
        return open_link(recorder.host or "", recorder.port or 0, call_s, whole_s)
    with Db(db.get_bind()) as own:  # what the caller has under way is not touched
        wire = dial(own, recorder.machine)
    if wire is None:
        raise LinkError(f"the part of Kumpel on {recorder.machine}, which it is plugged into, does not answer")
    return DistantLink(wire, recorder.id or 0, "")


@contextmanager
def in_words(recorder: Recorder) -> Iterator[None]:
    """What goes wrong on a link to a recorder becomes a problem that names it and says what to do."""
    try:
        yield
    except RefusedError as error:
        raise _refusal(recorder, error) from error
    except LinkError as error:
        raise RecorderError(
            f"{recorder.token}: {error}. What is stored is safe; check cable and power, try again."
        ) from error


def _refusal(recorder: Recorder, error: RefusedError) -> Exception:
    match error.code:
        case Code.LOCKED:
            return PasscodeNeededError(f"{recorder.token} asks for its passcode before it lets itself be changed.")
        case Code.WRONG_PASSCODE:
            return PasscodeNeededError(f"The passcode is not the one of {recorder.token}.", code="wrong-passcode")
        case Code.RECORDING:
            return ConflictError(f"{recorder.token} is recording. Stop it first.", code="recording")
        case Code.WRONG_MODE:
            return ConflictError(f"{recorder.token} does not answer this now: {error}", code="wrong-mode")
        case Code.STALE_SETUP:
            return ConflictError(
                f"The settings on {recorder.token} have changed since you looked. They were read again; look and write again."
            )
        case Code.HASH_MISMATCH:
            return ConflictError(
                f"A session on {recorder.token} differs from its stored copy. Nothing was cleared; take it in again."
            )
    return RecorderError(f"{recorder.token} refused: {error}.")


@dataclass(frozen=True)
class Answer:
    """What a recorder said of itself; `asked` and `answered` bracket the moment its clock was read (Unix s)."""

    described: Description
    status: Status
    sessions: Sequence[ListedSession] | None
    setup: SetupState | None
    """None in a mode in which it does not tell."""
    courses: list[ListedCourse]
    checks: list[CheckMade]
    asked: float
    answered: float


def ask(host: str, port: int) -> Answer | str | None:
    """Ask a recorder for description, status, settings and sessions; a sentence when it does not answer well, None when its port is
    in use just now, so that nothing new is known.

    No database is held meanwhile: a recorder that is slow keeps nothing but its own thread.
    """
    return _asked(lambda: open_link(host, port, whole_s=ASKED_S))


def _asked(opened: Callable[[], AnyLink]) -> Answer | str | None:
    try:
        with opened() as link:
            described = link.describe()
            asked = time.time()
            status = link.status()
            answered = time.time()
            if status.mode in SHUT:
                return Answer(described, status, None, None, [], [], asked, answered)
            courses = link.courses() if abilities.COURSES in described.can else []
            made = able(link).checks() if abilities.CHECKS in described.can else []
            return Answer(described, status, link.sessions(), link.setup(), courses, made, asked, answered)
    except InUseError:
        return None
    except LinkError as error:
        return str(error)


def heard(db: Db, announcement: Announcement) -> Recorder:
    """A recorder announced itself: remember where it is and ask it for everything."""
    return note(db, announcement, ask(announcement.host, announcement.port))


def note(
    db: Db,
    announcement: Announcement,
    answer: Answer | str | None,
    claimed_by: Announcement | None = None,
    seen_s: float | None = None,
) -> Recorder:
    """Keep what a recorder at an address answered. The same serial number at a second address (`claimed_by`) while the first
    still answers is said, and changes nothing else. One that tells by itself was heard `seen_s` seconds ago."""
    recorder = db.exec(select(Recorder).where(Recorder.serial == announcement.serial)).first()
    if recorder is None:
        recorder = Recorder(serial=announcement.serial, kind="", token="", name="")
    recorder.host, recorder.port = announcement.host, announcement.port
    recorder.machine = machine_of(announcement.host)
    _seen(recorder, seen_s)
    return _keep(db, recorder, answer, claimed_by)


def add_at(db: Db, address: str, who: int | None = None) -> Recorder:
    """Ask the recorder at an address, keep what it says and look there from now on.

    InvalidError when it is no address, RecorderError when nothing there answers as a recorder, ConflictError when the same one is in
    reach elsewhere; in each case nothing is added.
    """
    deeds.ask(db, "recorder added", Whom("recorder", address[:64]))
    try:
        words = address_words(address)
    except ValueError as error:
        raise InvalidError(
            f"“{address}” is no address. Write it like 192.168.10.20:7400, with the port behind the colon.",
            field="address",
        ) from error
    host, port = address_parts(words)
    db.commit()  # nothing is held while the recorder is asked
    answer = ask(host, port)
    if answer is None or isinstance(answer, str):
        raise RecorderError(
            f"Nothing was added: {answer}. Is the recorder switched on and ready to transfer, and is this its address?"
        )
    known = db.exec(select(Recorder).where(Recorder.serial == answer.described.serial)).first()
    if known is not None and known.in_reach and (known.host, known.port) != (host, port):
        raise ConflictError(f"{known.token} is in reach already, at {known.host}:{known.port}. It was not added twice.")
    recorder = note(db, Announcement(answer.described.serial, host, port, at_address(words)), answer)
    deeds.keep(db, "recorder added", Whom("recorder", recorder.id), after={"address": words}, who=who)
    settings.add_line(db, settings.ADDRESSES, words, who)
    db.commit()
    return recorder


def at_address(words: str) -> str:
    """The name under which a recorder is known that is looked for at an address."""
    return f"at {words}"


def _seen(recorder: Recorder, seen_s: float | None) -> None:
    if seen_s is None:
        return
    seen = now() - timedelta(seconds=seen_s)
    if recorder.seen_at is None or seen - recorder.seen_at > SEEN_AGAIN:
        recorder.seen_at = seen


def gone(db: Db, serial: str, seen_s: float | None = None) -> None:
    """It has left; it was heard `seen_s` seconds ago, where that is known."""
    recorder = db.exec(select(Recorder).where(Recorder.serial == serial)).first()
    if recorder is not None and recorder.in_reach:
        recorder.in_reach = False
        _seen(recorder, seen_s)
        db.add(recorder)
        tell(db, "recorders")
        db.commit()


def refresh(db: Db, recorder: Recorder) -> Recorder:
    """Ask a recorder again. One that does not answer is out of reach."""
    if is_elsewhere(recorder) and is_folder(recorder):
        return recorder  # Whoever looks into it there sees what changed by itself.
    if is_elsewhere(recorder):
        link = _opened_or_why(db, recorder)
        db.commit()  # nothing is held while the recorder is asked
        return _keep(db, recorder, link if isinstance(link, str) else _asked(lambda: link))
    host, port = recorder.host or "", recorder.port or 0
    db.commit()
    return _keep(db, recorder, ask(host, port))


def _opened_or_why(db: Db, recorder: Recorder) -> AnyLink | str:
    try:
        return _opened(db, recorder)
    except (LinkError, RecorderError, ConflictError) as error:
        return str(error)


def _keep(db: Db, recorder: Recorder, answer: Answer | str | None, claimed_by: Announcement | None = None) -> Recorder:
    before, status, clock_s = _fingerprint(recorder), recorder.status, recorder.clock_error_s
    if isinstance(answer, str):
        recorder.in_reach, recorder.trouble = False, clean_line(answer)[:MOST_TROUBLE]
    elif answer is not None:
        _describe(recorder, answer)
        recorder.status = _settled(status, recorder.status)
        if not _has_moved(clock_s, recorder.clock_error_s, CLOCK_READ_TO_S):
            recorder.clock_error_s = clock_s
        if recorder.seen_at is None or now() - recorder.seen_at > SEEN_AGAIN:
            recorder.seen_at = now()
    if claimed_by is not None:
        recorder.trouble = (
            f"two recorders say they are {recorder.serial}: the one known (port {recorder.port}) and one at "
            f"{claimed_by.host}:{claimed_by.port}. Nothing of the second is taken in; switch one of them off"
        )
    db.add(recorder)
    db.flush()
    if isinstance(answer, Answer):
        checks.told(db, recorder, answer.checks)
    if _fingerprint(recorder) != before:
        tell(db, "recorders")
    db.commit()
    db.refresh(recorder)
    return recorder


def _describe(recorder: Recorder, answer: Answer) -> None:
    described = answer.described
    if described.serial != recorder.serial:
        recorder.in_reach, recorder.trouble = False, f"{described.serial} answers in its place"
        return
    recorder.in_reach, recorder.trouble = True, ""
    recorder.kind, recorder.token, recorder.name = today(described.kind), described.token, described.name
    if not described.kind and recorder.status.get("link", {}).get("over") == "card":
        recorder.trouble = "no file that could be a session is in it yet"
    elif recorder.kind not in KINDS:
        recorder.trouble = f"a recorder of kind “{described.kind}”, which this Kumpel does not know"
        return
    recorder.model, recorder.firmware = described.model, described.firmware
    recorder.keeps_one = described.keeps_one
    recorder.clock_error_s = round(answer.status.clock - (answer.asked + answer.answered) / 2, 1)
    # A clock that creeps by tenths is shown in seconds: told of when it has moved by two.
    shown = {"can": described.can, "clock_told_s": recorder.clock_error_s}
    recorder.status = answer.status.model_dump(exclude={"clock"}) | shown
    if answer.sessions is not None:
        recorder.inventory = [
            s.model_dump(exclude={"sha256"}) | {"sha256": s.sha256.hex() if s.sha256 else None} for s in answer.sessions
        ]
    if answer.setup is not None:
        recorder.setup = holdings.holdings_of(answer.setup, abilities.NAMES in described.can, answer.courses)
        recorder.setup_revision = answer.setup.revision


STAYS_WITHIN: Mapping[str, float] = {
    "battery": 0.02,
    "memory_used": 0.02,
    "quality": 0.1,
    "mode_left_s": 10.0,
    "lasts_h": 1.0,
    "clock_told_s": 2.0,
}
CLOCK_READ_TO_S = 0.2
"""What a recorder says of itself and moves all the time stays as it was told until it has moved by more than this: browsers are told, and a row
is written, when there is something to see."""


def _fingerprint(recorder: Recorder) -> str:
    """What browsers show of a recorder, in one order whatever the database makes of it: what is the same is not told of.

    Of a session that is being recorded that there is one, not how long it has become.
    """
    inventory = [s if s.get("complete") else {"id": s.get("id"), "about": s.get("about")} for s in recorder.inventory]
    shown = (
        recorder.id,
        recorder.in_reach,
        recorder.trouble,
        recorder.kind,
        recorder.token,
        recorder.name,
        recorder.model,
        recorder.firmware,
        recorder.status,
        inventory,
        recorder.setup,
        recorder.setup_revision,
    )
    return json.dumps(shown, sort_keys=True, default=str)


def is_news(kept: Answer, answer: Answer) -> bool:
    """Whether a recorder says something that browsers are told of, or that is written, since what was kept of it."""

    def shown(each: Answer) -> object:
        off = each.status.clock - (each.asked + each.answered) / 2
        return each.status.model_dump(exclude={"clock"}) | {"clock_told_s": off}

    was, now_ = shown(kept), shown(answer)
    assert isinstance(was, dict) and isinstance(now_, dict)
    return (kept.described, kept.sessions, kept.setup, kept.courses, kept.checks) != (
        answer.described,
        answer.sessions,
        answer.setup,
        answer.courses,
        answer.checks,
    ) or _settled(was, now_) != was


def _settled(before: Mapping[str, Any], found: Mapping[str, Any]) -> dict[str, Any]:
    """What was found, with the numbers of before where they have hardly moved."""
    made = dict(found)
    for key, was in before.items():
        now_ = made.get(key)
        if isinstance(was, Mapping) and isinstance(now_, Mapping):
            made[key] = _settled(was, now_)
        elif (
            isinstance(was, float | int)
            and isinstance(now_, float | int)
            and not _has_moved(was, now_, STAYS_WITHIN.get(key))
        ):
            made[key] = was
    return made


def _has_moved(was: float | None, found: float | None, by: float | None) -> bool:
    if by is None or was is None or found is None:
        return was != found
    # The ends are no matter of degree: full, empty.
    return abs(found - was) > by or (found in (0.0, 1.0)) != (was in (0.0, 1.0))


def look_again(db: Db, recorder_id: int) -> Recorder:
    return refresh(db, recorder_of(db, recorder_id))


def stop_recording(db: Db, recorder_id: int, passcode: str = "") -> Recorder:
    recorder = recorder_of(db, recorder_id)
    with link_to(db, recorder, passcode) as link:
        link.stop()
    return refresh(db, recorder)
