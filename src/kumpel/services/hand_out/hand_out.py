"""Handing out: settings written and read back, finished when it was cut off, swapped, taken back; who has what."""

from __future__ import annotations

import time
import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from pydantic import BaseModel
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import kind_of
from kumpel.link import abilities
from kumpel.link.errors import RefusedError
from kumpel.link.messages import Code
from kumpel.services.ground import deeds, personal, sensor_checks, settings
from kumpel.services.ground.carriers import carriers
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import owner_of, person_of
from kumpel.services.ground.problems import (
    ConflictError,
    InvalidError,
    NotFoundError,
    PasscodeNeededError,
    ProblemError,
    RecorderError,
)
from kumpel.services.hand_out.drafts import checked, compare, is_same
from kumpel.services.recorders import bays, begun_hand_overs, clock, holdings
from kumpel.services.recorders.displays import Drawn, write_picture
from kumpel.services.recorders.reaching import AnyLink, able
from kumpel.services.recorders.recorders import link_to, recorder_of, refresh, worn_recorder
from kumpel.store.database import among, tell
from kumpel.store.tables import HandOver, Person, Recorder, Setup, Writing, now


@dataclass(frozen=True)
class Slip:
    """What is to be handed out to whom."""

    recorder_id: int
    person_id: int
    settings: dict[str, Any]
    revision: int
    set_clock: bool = True
    expected_at: datetime | None = None
    tags: dict[str, str] | None = None
    passcode: str = ""
    despite: str = ""
    """Why it goes out although sessions on it were not taken in."""
    personal: tuple[str, ...] = ()
    """The personal settings that were changed here; they go back to the person."""
    instead_of: uuid.UUID | None = None
    """The hand-over in the middle of which another recorder was taken."""
    picture: Drawn | None = None
    """What it shows at switching on; None leaves it as it is."""
    courses: tuple[str, ...] | None = None
    """The courses that are to be on it, by name; None leaves them as they are."""


def hand_out(db: Db, slip: Slip, who: int | None, at: datetime | None = None) -> HandOver:
    """Write the settings, read them back, compare, set the clock; then the slip is on record.

    ConflictError when somebody else has the recorder, its settings changed meanwhile, or it holds sessions that were not taken in
    and nobody said why it goes out all the same; RecorderError when it does not answer or reads back something else. In each case
    no slip is made.
    """
    deeds.ask(db, "handed out", Whom("recorder", slip.recorder_id))
    recorder = worn_recorder(db, slip.recorder_id)
    kind = kind_of(recorder.kind)
    person = owner_of(db, slip.person_id, kind)
    model = checked(kind, slip.settings)
    holder = open_slip(db, recorder)
    if holder is not None:
        other = db.get(Person, holder.person_id)
        raise ConflictError(f"{recorder.token} is with {other.name if other else 'somebody'}. Take it back first.")
    left = bays.not_taken_in(db, [recorder])[recorder.serial]
    if left and not slip.despite.strip():
        raise ConflictError(_still_on_it(recorder, left), code="not-taken-in")
    if settings.value_of(db, settings.OVERDUE, kind=kind.key) == settings.STAYS:
        late = sensor_checks.wrong_at(db, recorder, now())
        if late:
            raise ConflictError(
                f"{recorder.token} stays here: {late[0].words}. Make the check first.", code="check-due"
            )
    begun_hand_overs.take_hold(db, recorder)
    assert recorder.id is not None and person.id is not None
    setup = Setup(
        kind=kind.key, name=getattr(model, "name", kind.name), settings=model.model_dump(mode="json"), made_by=who
    )
    db.add(setup)
    db.flush()
    begun = Writing(
        recorder_id=recorder.id,
        person_id=person.id,
        setup_id=setup.id or 0,
        begun_at=at or now(),
        begun_by=who,
        expected_at=slip.expected_at or _expected(model, at or now()),
        tags={k: v for k, v in (slip.tags or {}).items() if v.strip()},
        instead_of=slip.instead_of,
    )
    db.add(begun)
    db.commit()  # from here on it can be finished, whatever happens
    try:
        given = _made(db, recorder, kind, model, begun, slip)
    except (ConflictError, PasscodeNeededError, InvalidError):
        db.rollback()
        if not _reached(db, recorder, begun.id):
            _never_begun(db, begun)
        raise
    about = {"person_id": person.id, "hand_over": str(given.id), "settings": setup.settings, "tags": given.tags}
    if left:
        about |= {"not_taken_in": left, "despite": slip.despite.strip()}
    _on_record(db, recorder, given, about)
    _keep_personal(db, kind, setup.settings, person, slip.personal)
    tell(db, "hand-overs")
    db.commit()
    refresh(db, recorder)
    db.refresh(given)
    return given


def _made(db: Db, recorder: Recorder, kind: Kind, model: BaseModel, begun: Writing, slip: Slip) -> HandOver:
    """The slip, and the recorder written; nothing is committed."""
    begun_hand_overs.take_hold(db, recorder)
    given = begun_hand_overs.as_hand_over(begun)
    db.add(given)
    try:
        db.flush()
    except IntegrityError as error:
        raise ConflictError("Somebody else has just handed this recorder out.") from error
    given.clock_error_s = _write(db, recorder, kind, model, given, slip)
    return given


def _reached(db: Db, recorder: Recorder, hand_over: uuid.UUID) -> bool:
    """Whether a hand-over that was refused is on the recorder all the same (its clock was refused, say); yes when that is not known."""
    try:
        with link_to(db, recorder) as link:
            return link.setup().slip.get("hand_over") == str(hand_over)
    except ProblemError:
        return True


def _never_begun(db: Db, begun: Writing) -> None:
    """Nothing was written: a hand-over that was refused leaves nothing to finish."""
    row = db.get(Writing, begun.id)
    if row is not None:
        db.delete(row)
        db.commit()


def _on_record(db: Db, recorder: Recorder, given: HandOver, about: dict[str, Any]) -> None:
    """Put the slip on record; whatever was begun with this recorder is settled by it."""
    db.add(given)
    before = {"settings": holdings.settings_of(recorder.setup), "clock_error_s": given.clock_error_s}
    deeds.keep(db, "handed out", Whom("recorder", recorder.id), before, about, given.given_by)
    begun_hand_overs.settle(db, given)


def _keep_personal(db: Db, kind: Kind, settings: dict[str, Any], person: Person, changed_here: Sequence[str]) -> None:
    kept = personal.keep(kind, settings, person, changed_here)
    if not kept:
        return
    db.add(person)
    before, after = ({fact: pair[i] for fact, pair in kept.items()} for i in (0, 1))
    deeds.keep(db, "person changed", Whom("person", person.id), before, after)
    tell(db, "people")


def finish(db: Db, writing_id: uuid.UUID, passcode: str = "") -> HandOver:
    """Put a hand-over on record that was cut off after its settings had reached the recorder: read back, compare, set the clock.

    ConflictError when something else is on the recorder: then it is to be handed out anew.
    """
    begun = begun_hand_overs.writing_of(db, writing_id)
    recorder = recorder_of(db, begun.recorder_id)
    deeds.ask(db, "handed out", Whom("recorder", recorder.id))
    kind = kind_of(recorder.kind)
    model = checked(kind, begun_hand_overs.settings_of(db, begun))
    begun_hand_overs.take_hold(db, recorder)
    with link_to(db, recorder, passcode) as link:
        can_names = abilities.NAMES in link.describe().can
        wrong = _read_wrong(link, kind, model, can_names, {"hand_over": str(begun.id)}, {})
        if wrong:
            raise ConflictError(
                f"What was begun is not on {recorder.token} ({', '.join(wrong)}). Nothing was changed; hand it out anew."
            )
        given = begun_hand_overs.as_hand_over(begun)
        given.clock_error_s = round(link.status().clock - time.time(), 1)
        clock.set_on(link, recorder)
    about = {"person_id": given.person_id, "hand_over": str(given.id), "tags": given.tags, "finished_later": True}
    _on_record(db, recorder, given, about)
    tell(db, "hand-overs")
    db.commit()
    refresh(db, recorder)
    db.refresh(given)
    return given


def forget(db: Db, writing_id: uuid.UUID) -> None:
    """A hand-over that was cut off is not wanted any more; the recorder stays as it is."""
    begun = begun_hand_overs.writing_of(db, writing_id)
    whom = Whom("recorder", begun.recorder_id)
    deeds.ask(db, "handed out", whom)
    deeds.keep(db, "hand-over forgotten", whom, before={"hand_over": str(begun.id), "person_id": begun.person_id})
    db.delete(begun)
    tell(db, "recorders")
    db.commit()


def swap(
    db: Db, hand_over_id: uuid.UUID, recorder_id: int, why: str, who: int | None, passcode: str = "", despite: str = ""
) -> HandOver:
    """Give somebody another recorder in the middle: same settings, same tags, same time back; the first one comes back.

    Nothing changes as long as the second one is not written and read back.
    """
    old = db.get(HandOver, hand_over_id)
    if old is None or old.returned_at is not None:
        raise NotFoundError("This hand-over is not open any more.")
    if not why.strip():
        raise InvalidError("Say why the recorder is swapped.", field="why")
    first, second = recorder_of(db, old.recorder_id), worn_recorder(db, recorder_id)
    deeds.ask(db, "swapped", Whom("recorder", first.id))
    if second.kind != first.kind:
        raise ConflictError(f"{second.token} is of another kind than {first.token}.")
    settings, person_id, tags, expected = (
        holdings.understood(kind_of(second.kind), db.get_one(Setup, old.setup_id).settings),
        old.person_id,
        old.tags,
        old.expected_at,
    )
    slip = Slip(
        recorder_id,
        person_id,
        settings,
        second.setup_revision,
        expected_at=expected,
        tags=tags,
        passcode=passcode,
        despite=despite,
        instead_of=hand_over_id,
    )
    given = hand_out(db, slip, who)
    after = {"hand_over": str(hand_over_id), "person_id": person_id, "now": str(given.id), "why": why.strip()}
    deeds.keep(db, "swapped", Whom("recorder", first.id), after=after, who=who)
    db.commit()
    db.refresh(given)
    return given


def _still_on_it(recorder: Recorder, left: int) -> str:
    """What is at stake when a recorder goes out with sessions that are not here."""
    many = f"{left} sessions that were" if left > 1 else "a session that was"
    if recorder.keeps_one:
        return (
            f"{recorder.token} keeps one recording and overwrites it at the next start; it holds {many} not taken in. "
            "Take it in first, or it will be lost."
        )
    return f"{recorder.token} holds {many} not taken in. Take in first, before the recordings of the next person come on top."


def _expected(model: BaseModel, given_at: datetime) -> datetime | None:
    """When it is back: after its run, from the wall time on at which it starts by itself."""
    minutes, start_at = getattr(model, "run_length_min", None), getattr(model, "start_at", None)
    if not minutes:
        return None
    begins = given_at.astimezone()
    if start_at:
        hour, _, minute = start_at.partition(":")
        begins = begins.replace(hour=int(hour), minute=int(minute), second=0, microsecond=0)
        begins += timedelta(days=begins < given_at)
    return begins + timedelta(minutes=minutes * (getattr(model, "runs", None) or 1))


def write_only(
    db: Db,
    recorder_id: int,
    settings: dict[str, Any],
    revision: int,
    set_clock: bool,
    passcode: str = "",
    picture: Drawn | None = None,
    courses: tuple[str, ...] | None = None,
) -> Recorder:
    """Write settings without handing out."""
    deeds.ask(db, "settings written", Whom("recorder", recorder_id))
    recorder = worn_recorder(db, recorder_id)
    kind = kind_of(recorder.kind)
    model = checked(kind, settings)
    before = holdings.settings_of(recorder.setup)
    slip = Slip(recorder_id, 0, settings, revision, set_clock, passcode=passcode, picture=picture, courses=courses)
    _write(db, recorder, kind, model, None, slip)
    deeds.keep(db, "settings written", Whom("recorder", recorder_id), before, model.model_dump(mode="json"))
    return refresh(db, recorder)


def _write(db: Db, recorder: Recorder, kind: Kind, model: BaseModel, given: HandOver | None, slip: Slip) -> float:
    """Write and read back; returns the clock error before it was set."""
    with link_to(db, recorder, slip.passcode) as link:
        before = link.status().clock - time.time()
        can_names = abilities.NAMES in link.describe().can
        about = {"hand_over": str(given.id)} if given else {}
        there = link.setup()
        if there.revision != slip.revision:
            # Before anything goes onto it that has no revision of its own.
            raise RefusedError(Code.STALE_SETUP, "the settings on the recorder have changed meanwhile")
        if slip.picture is not None and not write_picture(link, slip.picture):
            raise RecorderError(f"{recorder.token} reads back another picture than was written. It was not handed out.")
        if slip.courses is not None:
            carriers().send_courses(db, able(link), slip.courses)
        kept = holdings.others(kind, there.setup)
        settings, names = holdings.split(kind, model.model_dump(mode="json"), there.setup)
        link.write_setup(kept | settings, about, slip.revision, names if can_names else None)
        wrong = _read_wrong(link, kind, model, can_names, about, kept)
        if wrong:
            raise RecorderError(
                f"{recorder.token} reads back something else than was written ({', '.join(wrong)}). "
                "It was not handed out; write again or take another one."
            )
        if slip.set_clock:
            clock.set_on(link, recorder)
    return round(before, 1)


def _read_wrong(
    link: AnyLink, kind: Kind, model: BaseModel, can_names: bool, about: dict[str, Any], kept: dict[str, Any]
) -> list[str]:
    """What the recorder reads back otherwise than it was written, in words."""
    read = link.setup()
    wrong = [f.label for f in compare(kind, model, holdings.holdings_of(read, can_names, [])) if f.differs]
    wrong += [name for name in kept if not is_same(kept[name], read.setup.get(name))]
    return wrong if read.slip == about else [*wrong, "the slip"]


def open_slip(db: Db, recorder: Recorder) -> HandOver | None:
    return db.exec(
        select(HandOver).where(HandOver.recorder_id == recorder.id, col(HandOver.returned_at).is_(None))
    ).first()


def open_slips(db: Db, rows: Sequence[Recorder]) -> dict[int, tuple[HandOver, Person]]:
    """Who has each of these recorders, by its number, in one question."""
    mine = (
        select(HandOver, Person)
        .join(Person, col(HandOver.person_id) == Person.id)
        .where(among(col(HandOver.recorder_id), [row.id for row in rows]), col(HandOver.returned_at).is_(None))
    )
    return {given.recorder_id: (given, person) for given, person in db.exec(mine).all()}


def out_now(db: Db) -> list[tuple[HandOver, Recorder, Person]]:
    """Who has what now, oldest first."""
    return [
        (slip, recorder, person)
        for slip, recorder, person in db.exec(
            select(HandOver, Recorder, Person)
            .join(Recorder, col(HandOver.recorder_id) == Recorder.id)
            .join(Person, col(HandOver.person_id) == Person.id)
            .where(col(HandOver.returned_at).is_(None))
            .order_by(col(HandOver.given_at))
        ).all()
    ]


MOST_OF_ONE = 200


def of_person(db: Db, person_id: int) -> list[tuple[HandOver, Recorder, Person]]:
    """What somebody has and had, the newest first; what is still out stands before the rest."""
    owner = person_of(db, person_id)
    found = db.exec(
        select(HandOver, Recorder)
        .join(Recorder, col(HandOver.recorder_id) == Recorder.id)
        .where(HandOver.person_id == person_id)
        .order_by(col(HandOver.returned_at).is_(None).desc(), col(HandOver.given_at).desc())
        .limit(MOST_OF_ONE)
    ).all()
    return [(slip, recorder, owner) for slip, recorder in found]


def take_back(db: Db, hand_over_id: uuid.UUID) -> HandOver:
    given = db.get(HandOver, hand_over_id)
    if given is None:
        raise NotFoundError("This hand-over is not on record.")
    whom = Whom("recorder", given.recorder_id)
    deeds.ask(db, "taken back", whom)
    if given.returned_at is None:
        given.returned_at = max(now(), given.given_at)
        db.add(given)
        deeds.keep(db, "taken back", whom, after={"hand_over": str(given.id), "person_id": given.person_id})
        tell(db, "hand-overs")
        db.commit()
        db.refresh(given)
    return given
