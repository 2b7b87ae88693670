"""The leaflet for the wearer: one A5 page that goes with the recorder."""

from __future__ import annotations

import uuid
from datetime import datetime

from sqlmodel import Session as Db

from kumpel.kinds.registry import kind_of
from kumpel.reports import pages
from kumpel.reports.document import Document, Fact, Facts, ListPart, WriteIn
from kumpel.services import settings
from kumpel.services.problems import NotFoundError
from kumpel.store.tables import HandOver, Person, Recorder, Setup, Team

NOTES = 8
"""Rows to write in."""


def leaflet(db: Db, hand_over_id: uuid.UUID, named: bool = True) -> tuple[str, bytes]:
    """The name of the file and the page as PDF: who wears what until when, what to do, room for notes.

    Without `named` the person's number stands for the name.
    """
    given = db.get(HandOver, hand_over_id)
    if given is None:
        raise NotFoundError("This hand-over is not on record.")
    recorder, person = db.get_one(Recorder, given.recorder_id), db.get_one(Person, given.person_id)
    document = _document(db, given, recorder, person, named)
    shown, _ = pages.printable(document)
    return f"Leaflet {recorder.token} {document.subtitle}.pdf", pages.pdf(shown)


def _document(db: Db, given: HandOver, recorder: Recorder, person: Person, named: bool) -> Document:
    kind = kind_of(recorder.kind)
    team = db.get(Team, person.team_id) if person.team_id else None
    setup = db.get_one(Setup, given.setup_id)
    facts = [
        Fact(label="Worn by", value=f"{person.name}, {person.number}" if named else person.number),
        Fact(label="Recorder", value=f"{recorder.name or kind.recorder_name} ({recorder.token})"),
        Fact(label="Given", value=_moment(given.given_at)),
        Fact(label="Please bring it back", value=_moment(given.expected_at) if given.expected_at else "when asked for"),
        Fact(label="Setup", value=setup.name),
        *(Fact(label=word.label, value=given.tags[word.key]) for word in kind.tags if given.tags.get(word.key)),
    ]
    notes = WriteIn(
        title="What was going on", columns=["From, to", "What", "Remarks"], widths=[1, 2.4, 1.6], rows=NOTES
    )
    words = settings.value_of(db, settings.leaflet_word(kind), kind=kind.key)
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
            ListPart(title="What to do", lines=[line for line in words.splitlines() if line.strip()]),
            notes,
        ],
    )


def _moment(at: datetime) -> str:
    """Day and time on the wall of the server."""
    here = at.astimezone()
    return f"{here:%a} {here.day} {here:%b}, {here:%H:%M}"
