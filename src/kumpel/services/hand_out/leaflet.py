"""The leaflet for the wearer: one A5 page that goes with the recorder."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from pydantic import ValidationError
from sqlmodel import Session as Db

from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import kind_of
from kumpel.reports import pages
from kumpel.reports.document import Document, Fact, Facts, ListPart, WriteIn
from kumpel.services.ground import apart, settings
from kumpel.services.ground.people import person_of
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.services.recorders.recorders import worn_recorder
from kumpel.store.tables import HandOver, Person, Recorder, Setup, Team, now

NOTES = 6
"""Rows to write in."""
KEEPS_ONE = (
    "This recorder keeps one recording only. If it is switched on again after it has recorded, the new recording overwrites "
    "the one before, and that is lost: once it has stopped, leave it off and bring it back."
)


def leaflet(db: Db, hand_over_id: uuid.UUID, named: bool = True) -> tuple[str, bytes]:
    """The name of the file and the page as PDF: who wears what until when, what to do, room for notes.

    Without `named` the person's number stands for the name.
    """
    given = db.get(HandOver, hand_over_id)
    if given is None:
        raise NotFoundError("This hand-over is not on record.")
    recorder, person = db.get_one(Recorder, given.recorder_id), db.get_one(Person, given.person_id)
    setup = db.get_one(Setup, given.setup_id)
    sheet = _Sheet(recorder, person, setup.name, setup.settings, given.given_at, given.expected_at, given.tags)
    document = _document(db, sheet, named)
    shown, _ = pages.printable(document)
    return f"Leaflet {recorder.token} {document.subtitle}.pdf", apart.call("The leaflet", pages.pdf, shown)


@dataclass(frozen=True)
class Beforehand:
    """A leaflet that was not given yet: the name of its file, its page as PNG and as PDF."""

    name: str
    png: bytes
    pdf: bytes


def beforehand(
    db: Db, recorder_id: int, person_id: int, settings_now: dict[str, Any], tags: dict[str, str]
) -> Beforehand:
    """The leaflet as it would be with these settings, given now."""
    recorder, person = worn_recorder(db, recorder_id), person_of(db, person_id)
    try:
        model = kind_of(recorder.kind).setup_model.model_validate(settings_now)
    except ValidationError as error:
        raise InvalidError("These settings cannot be written: no leaflet is made of them.") from error
    minutes = getattr(model, "run_length_min", None)
    back = now() + timedelta(minutes=minutes) if isinstance(minutes, int | float) and minutes else None
    name = str(getattr(model, "name", ""))
    sheet = _Sheet(recorder, person, name, model.model_dump(mode="json"), now(), back, tags)
    shown, _ = pages.printable(_document(db, sheet, True))
    png, pdf = apart.call("The leaflet", _both, shown)
    return Beforehand(f"Leaflet {recorder.token} {person.name}.pdf", png, pdf)


def _both(shown: Document) -> tuple[bytes, bytes]:
    return pages.preview(shown)[0], pages.pdf(shown)


@dataclass(frozen=True)
class _Sheet:
    """What stands on a leaflet."""

    recorder: Recorder
    person: Person
    setup: str
    settings: dict[str, Any]
    given_at: datetime
    expected_at: datetime | None
    tags: dict[str, str]


def _told(kind: Kind, own: dict[str, Any]) -> list[str]:
    """What the setup will do; a setup of before, which the model does not know any more, says nothing."""
    if kind.told is None:
        return []
    try:
        return list(kind.told(kind.setup_model.model_validate(own)))
    except ValidationError:
        return []


def _document(db: Db, given: _Sheet, named: bool) -> Document:
    recorder, person = given.recorder, given.person
    kind = kind_of(recorder.kind)
    team = db.get(Team, person.team_id) if person.team_id else None
    facts = [
        Fact(
            label="Stands in" if person.is_place else "Worn by",
            value=f"{person.name}, {person.number}" if named else person.number,
        ),
        Fact(label="Recorder", value=f"{recorder.name or kind.recorder_name} ({recorder.token})"),
        Fact(label="Given", value=_moment(given.given_at)),
        Fact(label="Please bring it back", value=_moment(given.expected_at) if given.expected_at else "when asked for"),
        Fact(label="Setup", value=given.setup),
        *(Fact(label=word.label, value=given.tags[word.key]) for word in kind.tags if given.tags.get(word.key)),
    ]
    notes = WriteIn(
        title="What was going on", columns=["From, to", "What", "Remarks"], widths=[1, 2.4, 1.6], rows=NOTES
    )
    words = settings.value_of(db, settings.leaflet_word(kind), kind=kind.key)
    lines = [
        *((KEEPS_ONE,) if recorder.keeps_one else ()),
        *_told(kind, given.settings),
        *(line for line in words.splitlines() if line.strip()),
    ]
    return Document(
        paper="a5",
        title=kind.recorder_name,
        subtitle=person.name if named else person.number,
        token=recorder.token,
        verdict="",
        words="",
        footer="Kumpel",
        draft=False,
        house=settings.value_of(db, settings.NAME, team=team.name if team else ""),
        address=settings.value_of(db, settings.ADDRESS, team=team.name if team else ""),
        logo=settings.logo_svg(db, settings.logo_id(db, team.name if team else "")),
        parts=[
            Facts(facts=facts, size="strip"),
            ListPart(title="What to do", lines=lines),
            notes,
        ],
    )


def _moment(at: datetime) -> str:
    """Day and time on the wall of the server."""
    here = at.astimezone()
    return f"{here:%a} {here.day} {here:%b}, {here:%H:%M}"
