"""Bringing a program onto a recorder: sent from where it stopped, verified by the recorder, switched, seen to run.

Until the recorder has switched by itself its old program is untouched; whatever cuts it (a cable, a battery, a server) it goes on when the
recorder is heard again.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import timedelta

from sqlalchemy import Engine
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.link.client import RecorderLink, RefusedError
from kumpel.link.errors import LinkError
from kumpel.link.messages import Code, Mode
from kumpel.services.firmware import catalogue, fitting
from kumpel.services.ground import deeds
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, NotFoundError, PasscodeNeededError, ProblemError
from kumpel.services.recorders.live_values import talk_to
from kumpel.services.recorders.recorders import recorder_of
from kumpel.store import locks
from kumpel.store.database import tell
from kumpel.store.tables import FirmwareFile, FirmwareImage, FirmwareUpdate, Recorder, now

WAITS, SENDS, STARTS, DONE, FAILED, STOPPED = "waits", "sends", "starts", "done", "failed", "stopped"
FOR_GOOD = (Code.NOT_GENUINE, Code.BAD_VALUE, Code.HASH_MISMATCH, Code.NOT_FOUND, Code.UNKNOWN_CALL)
"""What a recorder refuses for good; whatever else it says may be otherwise the next time."""
BY_HAND = "stopped by hand; what ran before runs on"
TOLD_S = 0.5
BACK_S = 60.0
"""A recorder that has switched is asked so long whether it is back; after that when it is heard again."""
AGAIN = timedelta(seconds=15)
"""One that was cut and is in reach is tried again after this."""


class _Stopped(Exception):
    pass


@dataclass
class Begun:
    """What was begun, and of which recorders not, with why."""

    updates: list[FirmwareUpdate] = field(default_factory=list)
    refused: dict[int, str] = field(default_factory=dict)


def begin(db: Db, recorder_ids: Sequence[int], image_id: int | None = None, unstored_too: bool = False) -> Begun:
    """Begin with recorders, side by side: each the image, else the newest for it. What stands against one stops none of the others."""
    found = Begun()
    for recorder_id in dict.fromkeys(recorder_ids):
        try:
            found.updates.append(_begun(db, recorder_of(db, recorder_id), image_id, unstored_too))
        except ProblemError as problem:
            db.rollback()
            found.refused[recorder_id] = problem.detail
    return found


def _begun(db: Db, recorder: Recorder, image_id: int | None, unstored_too: bool) -> FirmwareUpdate:
    whom, token = Whom("recorder", recorder.id), recorder.token
    deeds.ask(db, "firmware update begun", whom)
    image = _image(db, recorder, image_id)
    if against := fitting.against(recorder):
        raise ConflictError(f"{token}: {against}.", code="not-now")
    if not unstored_too and (unstored := fitting.not_stored(db, recorder)):
        raise ConflictError(
            f"{token}: {unstored}. Take them in first, or say that it is to go on anyway.", code="unstored"
        )
    update = FirmwareUpdate(
        recorder_id=recorder.id or 0, image_id=image.id or 0, was=recorder.firmware, made_by=deeds.actor(db)
    )
    db.add(update)
    try:
        db.flush()
    except IntegrityError as error:
        raise ConflictError(f"{token} is being updated already.", code="updating") from error
    deeds.keep(db, "firmware update begun", whom, {"version": recorder.firmware}, {"version": image.version})
    _say(db, update)
    return update


def _image(db: Db, recorder: Recorder, image_id: int | None) -> FirmwareImage:
    if image_id is None:
        image = fitting.newest_for(recorder, catalogue.images(db))
        if image is None:
            raise ConflictError(
                f"{recorder.token}: the catalogue has nothing newer than {recorder.firmware} for it.", code="newest"
            )
    else:
        named = db.get(FirmwareImage, image_id)
        if named is None or named.removed_at is not None:
            raise NotFoundError("This firmware is not in the catalogue (any more).")
        if not fitting.is_for(recorder, named):
            models = ", ".join(named.models)
            raise ConflictError(
                f"{recorder.token} is a {recorder.model}; {named.version} is for {models}.", code="other"
            )
        if not fitting.is_newer(recorder, named):
            raise ConflictError(
                f"{recorder.token} runs {recorder.firmware or 'an unknown version'}: {named.version} is not newer.",
                code="not-newer",
            )
        image = named
    if not catalogue.is_trusted(db, image):
        raise ConflictError(f"{image.version} is signed with a key that is not trusted any more.", code="not-genuine")
    return image


def stop(db: Db, update_id: int) -> FirmwareUpdate:
    """End one that is not switched yet: the old program goes on running."""
    update = update_of(db, update_id)
    deeds.ask(db, "firmware update stopped", Whom("recorder", update.recorder_id))
    nobody_at_it = locks.try_for_transaction(db, locks.UPDATE, update.recorder_id)
    db.refresh(update)
    if update.ended_at is None and update.state != STARTS:
        update.stop = True
        if nobody_at_it:
            _end(update, STOPPED, BY_HAND)
        deeds.keep(db, "firmware update stopped", Whom("recorder", update.recorder_id))
        _say(db, update)
    return update


def update_of(db: Db, update_id: int) -> FirmwareUpdate:
    update = db.get(FirmwareUpdate, update_id)
    if update is None:
        raise NotFoundError("This update is not on record.")
    return update


def waiting(db: Db, serial: str | None = None) -> list[int]:
    """Those that can go on now: of a recorder that was heard just now, or of all in reach that nobody has tried lately.

    One that asks for its passcode waits for it.
    """
    asked = (
        select(FirmwareUpdate.id)
        .join(Recorder, col(FirmwareUpdate.recorder_id) == Recorder.id)
        .where(col(FirmwareUpdate.ended_at).is_(None), col(FirmwareUpdate.locked).is_(False), col(Recorder.in_reach))
    )
    mine = Recorder.serial == serial if serial else col(FirmwareUpdate.beat_at) < now() - AGAIN
    return [i for i in db.exec(asked.where(mine)).all() if i is not None]


def run(store: Engine, update_id: int, passcode: str = "") -> None:
    """Bring one on, as far as it goes now. A second one at the same recorder ends at once. The passcode is kept nowhere."""
    with store.connect() as connection, Db(connection, expire_on_commit=False) as db:
        update = db.get(FirmwareUpdate, update_id)
        if update is None:
            return
        with locks.locked(db, locks.UPDATE, update.recorder_id) as mine:
            if not mine:
                return
            db.refresh(update)
            if update.ended_at is None:
                deeds.work_for(db, update.made_by)
                _bring_on(db, update, passcode)


def _bring_on(db: Db, update: FirmwareUpdate, passcode: str) -> None:
    image, recorder = db.get_one(FirmwareImage, update.image_id), recorder_of(db, update.recorder_id)
    try:
        if update.stop:
            raise _Stopped
        if update.state != STARTS:
            _send(db, update, recorder, image, passcode)
        if update.state == STARTS:
            _see_it_run(db, update, recorder, image)
    except _Stopped:
        _end(update, STOPPED, BY_HAND)
    except PasscodeNeededError as problem:
        update.locked, update.trouble = True, problem.detail
    except (ProblemError, LinkError) as error:
        update.trouble = _of_link(error)
    if update.ended_at is None and update.state == SENDS:
        update.state = WAITS
    update.beat_at = now()
    _say(db, update)


def _keep_refusal(update: FirmwareUpdate, recorder: Recorder, error: RefusedError) -> None:
    if error.code in FOR_GOOD:
        _end(update, FAILED, f"{recorder.token} refused it: {error}. What ran before runs on")
    elif error.code in (Code.LOCKED, Code.WRONG_PASSCODE):
        wrong = error.code == Code.WRONG_PASSCODE
        update.locked = True
        update.trouble = "that passcode was not right" if wrong else "it asks for its passcode"
    else:
        update.trouble = str(error)[:300]


def _send(db: Db, update: FirmwareUpdate, recorder: Recorder, image: FirmwareImage, passcode: str) -> None:
    """From the recorder's own count of what it has to the switch."""
    if not catalogue.is_trusted(db, image):
        _end(
            update,
            FAILED,
            f"{image.version} is signed with a key that is not trusted any more; what ran before runs on",
        )
        return
    data = db.get_one(FirmwareFile, image.id).data
    if against := fitting.against(recorder):
        update.trouble = against
        return
    with talk_to(db, recorder, passcode) as link:
        try:
            _send_over(db, update, link, image, data)
        except RefusedError as error:
            _keep_refusal(update, recorder, error)


def _send_over(db: Db, update: FirmwareUpdate, link: RecorderLink, image: FirmwareImage, data: bytes) -> None:
    state = link.firmware()
    if state.running == image.version:
        _end(update, DONE)
        return
    if not state.ready:
        update.trouble = state.press or "it takes no program just now"
        return
    update.state, update.trouble, update.locked = SENDS, "", False
    _say(db, update)
    _blocks(db, update, link, image, data)
    db.refresh(update, ["stop"])
    if update.stop:
        raise _Stopped
    link.switch_firmware()
    update.state = STARTS
    _say(db, update)


def _blocks(db: Db, update: FirmwareUpdate, link: RecorderLink, image: FirmwareImage, data: bytes) -> None:
    said_s = time.monotonic()
    for state in link.send_firmware(image.version, data, image.sha256):
        update.sent = state.received
        if time.monotonic() - said_s > TOLD_S:
            said_s = time.monotonic()
            update.beat_at = now()
            db.add(update)
            tell(db, "firmware")
            db.commit()
            db.refresh(update, ["stop"])
            if update.stop:
                raise _Stopped


def _see_it_run(db: Db, update: FirmwareUpdate, recorder: Recorder, image: FirmwareImage) -> None:
    """Ask until it is back; what it runs then says how it went. One that stays away is asked when it is heard again."""
    until_s = time.monotonic() + BACK_S
    while True:
        try:
            with talk_to(db, recorder) as link:
                if link.status().mode != Mode.UPDATING:
                    running = link.describe().firmware
                    break
        except (ProblemError, LinkError) as error:
            if time.monotonic() > until_s:
                update.trouble = f"it has not come back yet: {_of_link(error)}"
                return
        time.sleep(0.5)
    if running == image.version:
        _end(update, DONE)
    else:
        _end(update, FAILED, f"it came back with {running}, which ran before. Try again")


def _of_link(error: Exception) -> str:
    """What cut it, in words that do not ask for what is done by itself."""
    cause = error.__cause__ if isinstance(error.__cause__, LinkError) else error
    words = f"{cause}; check its cable and power" if isinstance(cause, LinkError) else str(cause)
    return words[:300]


def _end(update: FirmwareUpdate, state: str, trouble: str = "") -> None:
    update.state, update.trouble, update.ended_at, update.locked = state, trouble[:400], now(), False


def _say(db: Db, update: FirmwareUpdate) -> None:
    db.add(update)
    tell(db, "firmware")
    db.commit()
