"""Drafts: settings to start from, compared field by field with what is on the recorder, and what will come of them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from pydantic import BaseModel, ValidationError
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.kinds.kind import Kind
from kumpel.kinds.plan import Plan, Situation
from kumpel.kinds.registry import kind_of
from kumpel.kinds.setup_fields import SetupField, SetupList, at_path, lists_of
from kumpel.services.ground import personal
from kumpel.services.ground.carriers import CourseOnIt, carriers
from kumpel.services.ground.people import owner_of
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.services.hand_out import kept_setups
from kumpel.services.hand_out.kept_setups import Kept
from kumpel.services.recorders import begun_hand_overs, holdings
from kumpel.services.recorders.begun_hand_overs import Unfinished
from kumpel.services.recorders.recorders import worn_recorder
from kumpel.store.tables import HandOver, Recorder, Session, Setup


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
    kept: list[Kept]
    known: dict[str, Any]
    """Settings that are facts about the person, as they are known of them."""
    plan: Plan
    unfinished: Unfinished | None
    courses: list[CourseOnIt]


@dataclass(frozen=True)
class Start:
    """What a draft starts from: settings as given; else a shipped or a kept setup; else the person's last, else the recorder's.

    `fit`: the given settings are somebody else's; what is personal in them becomes this person's.
    """

    settings: dict[str, Any] | None = None
    library: str = ""
    kept: int | None = None
    fit: bool = False
    recorder: bool = False
    """All of it from the recorder, whatever the person had last time."""


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


def draft(db: Db, recorder_id: int, person_id: int | None, start: Start = Start()) -> Draft:
    """Settings to start from, what differs from them on the recorder, and what will come of them."""
    recorder = worn_recorder(db, recorder_id)
    kind = kind_of(recorder.kind)
    last = _last_slip(db, person_id, kind.key) if person_id else None
    person = owner_of(db, person_id, kind) if person_id else None
    settings, based_on, theirs = _begun(db, kind, recorder, last, start)
    own = holdings.with_own_names(kind, settings, person, theirs)
    as_given = start.recorder or (start.settings is not None and not start.fit)
    if not as_given:
        own = carriers().with_its_sensors(db, kind, personal.fitted(kind, own, person, theirs))
    model = checked(kind, own)
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
        {name: _words(value, {}) for name, value in holdings.others(kind, recorder.setup).items()},
        [each for each in lists_of(model) if each.path not in kind.where_there or each.path in recorder.setup],
        kept_setups.of_kind(db, kind.key),
        personal.known_for(kind, person),
        kind.plan(model, _situation(recorder)) if kind.plan else Plan(),
        begun_hand_overs.unfinished(db, recorder),
        carriers().courses_beside(db, recorder),
    )


def _begun(
    db: Db, kind: Kind, recorder: Recorder, last: HandOver | None, start: Start
) -> tuple[dict[str, Any], str, bool]:
    """Settings to begin with, where they come from, and whether what is personal in them is this person's."""
    if start.settings is not None:
        return start.settings, "the settings given", not start.fit
    if start.kept is not None:
        kept = kept_setups.kept_setup(db, start.kept, kind.key)
        return holdings.understood(kind, kept.settings), kept.name, False
    if start.library:
        if start.library not in kind.setup_library:
            raise NotFoundError(f"There is no setup “{start.library}” in the library.")
        return kind.setup_library[start.library].model_dump(mode="json"), start.library, False
    if last is not None and not start.recorder:
        settings = holdings.understood(kind, db.get_one(Setup, last.setup_id).settings)
        return settings, "the setup this person had last time", True
    return holdings.understood(kind, holdings.for_form(recorder.setup)), "the settings on the recorder", start.recorder


def _situation(recorder: Recorder) -> Situation:
    here = datetime.now().astimezone()
    known = (recorder.status.get(key) for key in ("lasts_h", "memory_used", "memory_bytes"))
    return Situation(here.hour * 60.0 + here.minute, *known)


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


def compare(kind: Kind, wanted: BaseModel, on_it: holdings.Holdings) -> list[FieldState]:
    """Field by field: the draft beside what is on the recorder. Names only where it can keep them."""
    settings = wanted.model_dump(mode="json")
    on_recorder = holdings.for_form(on_it)
    states = []
    for field in kind.fields(wanted, on_recorder):
        if field.path in kind.names and not holdings.keeps_names(on_it):
            continue
        setting = field.path.partition(".")[0]
        if setting in kind.where_there and setting not in on_recorder:
            continue
        mine, theirs = at_path(settings, field.path), at_path(on_recorder, field.path)
        if not field.matters and mine in ("", None) and theirs in ("", None):
            continue
        states.append(
            FieldState(
                field.path,
                field.label,
                field.unit,
                _words(mine, field.words),
                _words(theirs, field.words),
                field.unit_in(on_recorder),
                not is_same(mine, theirs),
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
    if isinstance(value, list):
        return ", ".join(_words(each, {}) for each in value) or "none"
    return str(value)


def is_same(mine: Any, theirs: Any) -> bool:
    """Whether two values of a setting are the same: 30 is 30.0, and no words are nothing."""
    if mine in ("", None) and theirs in ("", None):
        return True
    if isinstance(mine, int | float) and isinstance(theirs, int | float) and not isinstance(mine, bool):
        return float(mine) == float(theirs)
    return bool(mine == theirs)
