"""Handing out: settings drafted, compared field by field, written, read back; who has what."""

from __future__ import annotations

import time
import uuid
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import IntegrityError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import kind_of
from kumpel.kinds.setup_fields import SetupField, SetupList, at_path, lists_of
from kumpel.link import abilities
from kumpel.services import bays, deeds, held
from kumpel.services.deeds import Whom
from kumpel.services.people import person_of
from kumpel.services.problems import ConflictError, InvalidError, NotFoundError, RecorderError
from kumpel.services.recorders import link_to, recorder_of, refresh
from kumpel.store.database import tell
from kumpel.store.tables import HandOver, Person, Recorder, Session, Setup, now


@dataclass(frozen=True)
class FieldState:
    """A settings field: what the draft says and what is on the recorder, in words."""

    path: str
    label: str
    unit: str
    draft: str
    on_recorder: str
    unit_on_recorder: str
    differs: bool
    value: Any
    value_on_recorder: Any
    form: SetupField


@dataclass(frozen=True)
class Draft:
    """A slip before it is written."""

    kind: str
    settings: dict[str, Any]
    based_on: str
    revision: int
    fields: list[FieldState]
    library: list[str]
    last_worn: str
    tags: dict[str, str]
    others: dict[str, str]
    lists: list[SetupList]


def checked(kind: Kind, settings: dict[str, Any]) -> BaseModel:
    """The settings as the kind's model. InvalidError names the field."""
    try:
        return kind.setup_model.model_validate(settings)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"])
        labels = {f.path: f.label for f in kind.fields(kind.setup_model())}
        why = first["msg"].removeprefix("Value error, ")
        raise InvalidError(f"Setup, {labels.get(where) or _item_words(kind, where) or where}: {why}.") from error


def _item_words(kind: Kind, where: str) -> str:
    """ "Sensor 3" for "sensors.2"."""
    path, _, index = where.partition(".")
    label = next((each.label for each in lists_of(kind.setup_model()) if each.path == path), "")
    return f"{label} {int(index) + 1}" if label and index.isdigit() else ""


def draft(
    db: Db, recorder_id: int, person_id: int | None, library: str = "", settings: dict[str, Any] | None = None
) -> Draft:
    """Settings to start from: those given; else the library's; else what this person had last time with this
    kind; else what is on the recorder."""
    recorder = recorder_of(db, recorder_id)
    kind = kind_of(recorder.kind)
    last = _last_slip(db, person_id, kind.key) if person_id else None
    person = person_of(db, person_id) if person_id else None
    based_on, theirs = "the settings on the recorder", settings is not None
    if settings is None and library:
        if library not in kind.setup_library:
            raise NotFoundError(f"There is no setup “{library}” in the library.")
        settings, based_on = kind.setup_library[library].model_dump(mode="json"), library
    elif settings is None and last is not None:
        setup = db.get(Setup, last.setup_id)
        assert setup is not None
        settings, based_on, theirs = setup.settings, "the setup this person had last time", True
    start = held.for_form(recorder.setup) if settings is None else settings
    model = checked(kind, held.with_own_names(kind, start, person, theirs))
    shown = model.model_dump(mode="json")
    return Draft(
        kind.key,
        shown,
        based_on,
        recorder.setup_revision,
        compare(kind, model, recorder.setup),
        list(kind.setup_library),
        _last_worn(db, last),
        last.tags if last else {},
        {name: _words(value, {}) for name, value in held.others(kind, recorder.setup).items()},
        lists_of(model),
    )


def _last_slip(db: Db, person_id: int, kind: str) -> HandOver | None:
    return db.exec(
        select(HandOver)
        .join(Setup, col(HandOver.setup_id) == Setup.id)
        .where(HandOver.person_id == person_id, Setup.kind == kind)
        .order_by(col(HandOver.given_at).desc())
        .limit(1)
    ).first()


def _last_worn(db: Db, last: HandOver | None) -> str:
    if last is None:
        return ""
    session = db.exec(
        select(Session)
        .where(Session.hand_over_id == last.id, Session.state == "stored", Session.aside == "")
        .order_by(col(Session.started_at).desc())
    ).first()
    return session.key_figure if session else ""


def compare(kind: Kind, wanted: BaseModel, on_it: held.Held) -> list[FieldState]:
    """Field by field: the draft beside what is on the recorder. Names only where it can keep them."""
    settings = wanted.model_dump(mode="json")
    on_recorder = held.for_form(on_it)
    states = []
    for field in kind.fields(wanted, on_recorder):
        if field.path in kind.names and not held.keeps_names(on_it):
            continue
        mine, theirs = at_path(settings, field.path), at_path(on_recorder, field.path)
        if not field.matters and mine is None and theirs is None:
            continue
        states.append(
            FieldState(
                field.path,
                field.label,
                field.unit,
                _words(mine, field.words),
                _words(theirs, field.words),
                field.unit_in(on_recorder),
                not _same(mine, theirs),
                mine,
                theirs,
                field,
            )
        )
    for name, mine in settings.items():
        theirs = on_recorder.get(name)
        if isinstance(mine, list) and isinstance(theirs, list) and len(theirs) > len(mine):
            label = next((each.label for each in lists_of(wanted) if each.path == name), name.capitalize())
            path = f"{name}.{len(mine)}"
            more = SetupField(path, f"{label} {len(mine) + 1}", part_of=path)
            states.append(
                FieldState(more.path, more.label, "", "none", f"{len(theirs)} of them", "", True, None, None, more)
            )
    return states


def _words(value: Any, words: dict[str, str]) -> str:
    if str(value) in words:
        return words[str(value)]
    if value is None:
        return "not set"
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return str(value)


def _same(mine: Any, theirs: Any) -> bool:
    if isinstance(mine, int | float) and isinstance(theirs, int | float) and not isinstance(mine, bool):
        return float(mine) == float(theirs)
    return bool(mine == theirs)


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


def hand_out(db: Db, slip: Slip, who: int | None, at: datetime | None = None) -> HandOver:
    """Write the settings, read them back, compare, set the clock; then the slip is on record.

    ConflictError when somebody else has the recorder, its settings changed meanwhile, or it holds sessions that were not taken in
    and nobody said why it goes out all the same; RecorderError when it does not answer or reads back something else. In each case
    no slip is made.
    """
    deeds.ask(db, "handed out", Whom("recorder", slip.recorder_id))
    recorder = recorder_of(db, slip.recorder_id)
    person = person_of(db, slip.person_id)
    kind = kind_of(recorder.kind)
    model = checked(kind, slip.settings)
    holder = open_slip(db, recorder)
    if holder is not None:
        other = db.get(Person, holder.person_id)
        raise ConflictError(f"{recorder.token} is with {other.name if other else 'somebody'}. Take it back first.")
    left = bays.not_taken_in(db, [recorder])[recorder.serial]
    if left and not slip.despite.strip():
        raise ConflictError(_still_on_it(recorder, left), code="not-taken-in")
    setup = Setup(
        kind=kind.key,
        name=getattr(model, "name", kind.name),
        settings=model.model_dump(mode="json"),
        made_by=who,
    )
    db.add(setup)
    db.flush()
    assert setup.id is not None and recorder.id is not None and person.id is not None
    given = HandOver(
        id=uuid.uuid4(),
        recorder_id=recorder.id,
        person_id=person.id,
        setup_id=setup.id,
        given_by=who,
        given_at=at or now(),
        expected_at=slip.expected_at or _expected(model, at or now()),
        tags={k: v for k, v in (slip.tags or {}).items() if v.strip()},
    )
    db.add(given)
    try:
        db.flush()
    except IntegrityError as error:
        db.rollback()
        raise ConflictError("Somebody else has just handed this recorder out.") from error
    given.clock_error_s = _write(recorder, kind, model, given, slip)
    db.add(given)
    about = {"person_id": person.id, "hand_over": str(given.id), "settings": setup.settings, "tags": given.tags}
    if left:
        about |= {"not_taken_in": left, "despite": slip.despite.strip()}
    before = {"settings": held.settings_of(recorder.setup), "clock_error_s": given.clock_error_s}
    deeds.keep(db, "handed out", Whom("recorder", recorder.id), before, about, who)
    tell(db, "hand-overs")
    db.commit()
    refresh(db, recorder)
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
    minutes = getattr(model, "run_length_min", None)
    return given_at + timedelta(minutes=minutes) if minutes else None


def write_only(
    db: Db, recorder_id: int, settings: dict[str, Any], revision: int, set_clock: bool, passcode: str = ""
) -> Recorder:
    """Write settings without handing out."""
    deeds.ask(db, "settings written", Whom("recorder", recorder_id))
    recorder = recorder_of(db, recorder_id)
    kind = kind_of(recorder.kind)
    model = checked(kind, settings)
    before = held.settings_of(recorder.setup)
    _write(recorder, kind, model, None, Slip(recorder_id, 0, settings, revision, set_clock, passcode=passcode))
    deeds.keep(db, "settings written", Whom("recorder", recorder_id), before, model.model_dump(mode="json"))
    return refresh(db, recorder)


def _write(recorder: Recorder, kind: Kind, model: BaseModel, given: HandOver | None, slip: Slip) -> float:
    """Write and read back; returns the clock error before it was set."""
    with link_to(recorder, slip.passcode) as link:
        before = link.status().clock - time.time()
        can_names = abilities.NAMES in link.describe().can
        about = {"hand_over": str(given.id)} if given else {}
        kept = held.others(kind, link.setup().setup)
        settings, names = held.split(kind, model.model_dump(mode="json"))
        link.write_setup(kept | settings, about, slip.revision, names if can_names else None)
        read = link.setup()
        wrong = [f.label for f in compare(kind, model, held.held(read, can_names, [])) if f.differs]
        wrong += [name for name in kept if not _same(kept[name], read.setup.get(name))]
        if wrong or read.slip != about:
            raise RecorderError(
                f"{recorder.token} reads back something else than was written ({', '.join(wrong) or 'the slip'}). "
                "It was not handed out; write again or take another one."
            )
        if slip.set_clock:
            offset = datetime.now().astimezone().utcoffset() or timedelta()
            link.set_clock(time.time(), int(offset.total_seconds() // 60))
    return round(before, 1)


def open_slip(db: Db, recorder: Recorder) -> HandOver | None:
    return db.exec(
        select(HandOver).where(HandOver.recorder_id == recorder.id, col(HandOver.returned_at).is_(None))
    ).first()


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
