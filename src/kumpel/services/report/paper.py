"""What stands on a session's report: made from its results, or taken as it was signed."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pydantic import BaseModel
from sqlmodel import Session as Db

from kumpel.core.readers_units import AS_KEPT, ReadersUnits
from kumpel.core.recording import Recording
from kumpel.core.review import EventName
from kumpel.core.timebase import moment_words
from kumpel.kinds import plain_report
from kumpel.kinds.kind import Kind
from kumpel.kinds.registry import kind_of
from kumpel.reports.document import Document, Fact, Facts, Part, TablePart, TextPart
from kumpel.reports.document import Signature as SignatureLine
from kumpel.reports.moments import span_words, wall_moment
from kumpel.services.ground import decisions, doubts, figures, settings
from kumpel.services.ground.figures import Outcome
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.ground.recordings import recorder_words, recording_of
from kumpel.services.register import medicines
from kumpel.services.register.sessions import row_of
from kumpel.services.report import comparison_page
from kumpel.services.report.issued import WITHOUT_NAME
from kumpel.store.tables import Account, Conclusion, Decision, Medicine, Person, Session, Team


class House(BaseModel):
    """Whose paper it is: name and address, and the setting that holds the logo (0: none)."""

    name: str = ""
    address: str = ""
    logo: int = 0


class Paper(BaseModel):
    """Every part that can stand on a report, in words as they are printed; which of them go in is chosen later."""

    name: str
    subtitle: str
    token: str
    verdict: str
    words: str
    origin: str
    who: list[Fact]
    parts: dict[str, list[Part]]
    conclusion: str = ""
    accepted: list[Fact] = []
    signer: str = ""
    signed_on: str = ""
    house: House = House()


def made(
    db: Db, session: Session, found: Outcome, keys: Sequence[str] | None = None, units: ReadersUnits = AS_KEPT
) -> Paper:
    """The paper of results as they are now, in the units of who reads (and signs) it; all parts, or those of some keys."""
    assert session.id is not None
    kind, recording, row = kind_of(session.kind), recording_of(db, session), row_of(db, session)
    wanted = [key for key in kind.report_parts if keys is None or key in keys]
    parts = {key: kind.report(recording, found.review, found.both, found.limits, (key,), units) for key in wanted}
    by_hand = _by_hand(kind, recording, decisions.of_session(db, session.id))
    if by_hand is not None and LEFT_OUT in parts:
        # Beside events that do not count, "nothing was left out" would be wrong.
        parts[LEFT_OUT] = [part for part in parts[LEFT_OUT] if not (isinstance(part, TablePart) and not part.rows)]
        parts[LEFT_OUT].append(by_hand)
    unchecked = doubts.only_said(db, session, found.both)
    if unchecked and CHECKS in parts:
        parts[CHECKS].append(
            TextPart(title="Checks that were due when this was recorded", text=". ".join(unchecked) + ".")
        )
    if plain_report.MEDICINES.key in parts:
        parts[plain_report.MEDICINES.key].append(_taken(medicines.during(db, session)))
    if plain_report.COMPARISON.key in parts:
        parts[plain_report.COMPARISON.key] += comparison_page.parts(db, session, units)
    begin, end = wall_moment(recording, 0), wall_moment(recording, session.length_s)
    subtitle = f"{kind.name}, {span_words(begin, end)}"
    if row.tags.get("place"):
        subtitle += f", {row.tags['place']}"
    conclusion = db.get(Conclusion, session.id)
    accepted = [
        r
        for r in decisions.of_session(db, session.id)
        if r.what == decisions.ACCEPTED and not r.key.startswith(decisions.LOST)
    ]
    # What is known of its recorder beside a recording has no short name: it stands in full.
    findings = {each.code: each.text for each in found.review.doubts}
    return Paper(
        name=row.person.name if row.person else "Unclaimed session",
        subtitle=subtitle,
        token=row.recorder.token if row.recorder else "?",
        verdict=found.both.reviewed.verdict.value,
        words=units.words(found.both.reviewed.words),
        origin=f"Limits: {found.limits.name} {found.limits.version}. Recording SHA-256 {session.sha256.hex()[:16]}… ({recorder_words(session)})",
        who=_who(db, row.person, row.tags, kind, units),
        parts=parts,
        conclusion=conclusion.text if conclusion else "",
        accepted=[
            Fact(label=findings.get(r.key, r.key), value=r.reason) for r in sorted(accepted, key=lambda r: r.key)
        ],
        house=_house(db, row.person),
    )


def _house(db: Db, person: Person | None) -> House:
    team = db.get(Team, person.team_id) if person is not None and person.team_id else None
    of = team.name if team else ""
    name, address = (settings.value_of(db, word, team=of) for word in (settings.NAME, settings.ADDRESS))
    return House(name=name, address=address, logo=settings.logo_id(db, of))


CHECKS = "checks"
"""The part about the recorder, its setup and its checks; every kind has it."""
LEFT_OUT = "left-out"
"""The part that says what was left out and why; every kind has it."""


_ABOUT_EVENTS = {decisions.DROPPED: "left out", decisions.KEPT: "counted", decisions.EDGE: "", decisions.TYPE: ""}


def _by_hand(kind: Kind, recording: Recording, rows: Sequence[Decision]) -> TablePart | None:
    """Events that do not count, or count, because a person said so; None when there are none."""
    cells = []
    seen = {row.key for row in rows if row.what == decisions.ACCEPTED}
    for row in rows:
        name = EventName.of(row.key) if row.what in _ABOUT_EVENTS else None
        if name is None:
            continue
        word = kind.event(name.code)
        does = _ABOUT_EVENTS[row.what] or {decisions.BEGINS: "split", decisions.GOES_ON: "joined"}.get(
            str(row.value), str(row.value)
        )
        why = f"{row.reason}; no longer found" if f"{decisions.LOST}{row.key}"[:120] in seen else row.reason
        words = [moment_words(recording, name.at_s), word.one if word else name.code, does, why]
        cells.append((name.at_s, words))
    if not cells:
        return None
    in_time = [words for _, words in sorted(cells)]
    return TablePart(title="Events by hand", columns=["At", "Event", "Decision", "Why"], rows=in_time)


def now_of(
    db: Db, session: Session, keys: Sequence[str] | None = None, units: ReadersUnits = AS_KEPT
) -> tuple[Paper, Outcome]:
    """The paper of a session's newest results. ConflictError when it has none."""
    found = figures.outcome(db, session.id or 0) if session.figures == figures.ASSESSED else None
    if found is None:
        raise ConflictError(
            session.failure or "The figures of this session are still being computed. Try again in a moment.",
            code="no-figures",
        )
    return made(db, session, found, keys, units), found


def document(
    kind_key: str, paper: Paper, keys: Sequence[str], *, named: bool = True, number: str = "", logo: str = ""
) -> Document:
    """The document of a paper: the chosen parts in their fixed order. InvalidError names a part that there is not."""
    kind = kind_of(kind_key)
    unknown = [key for key in keys if key not in kind.report_parts]
    if unknown:
        raise InvalidError(f"A {kind.name.lower()} report has no part “{unknown[0]}”.")
    parts: list[Any] = [Facts(facts=paper.who if named else [Fact(label="Person", value="not named")])]
    chosen = [word for word in kind.parts if word.key in keys]
    parts += [part for word in chosen if not word.added for part in paper.parts.get(word.key, [])]
    parts.append(TextPart(title="Conclusion", text=paper.conclusion))
    parts += [TextPart(title="Accepted with a reason", text=f"{f.label}: {f.value}") for f in paper.accepted]
    parts.append(SignatureLine(name=paper.signer, date=paper.signed_on))
    parts += [part for word in chosen if word.added for part in paper.parts.get(word.key, [])]
    return Document(
        title=paper.name if named else WITHOUT_NAME,
        subtitle=paper.subtitle,
        token=paper.token,
        verdict=paper.verdict,
        words=paper.words,
        footer=f"Kumpel{', report ' + number if number else ''}. {paper.origin}",
        draft=not number,
        house=paper.house.name,
        address=paper.house.address,
        logo=logo,
        parts=parts,
    )


def signed(paper: Paper, signer: Account, on: Any) -> Paper:
    return paper.model_copy(update={"signer": signer.name, "signed_on": f"{on:%d %b %Y}"})


def person_facts(db: Db, person: Person | None) -> dict[str, str]:
    """What is known of a person now, by what it is called on paper."""
    if person is None:
        return {"Person": "unclaimed"}
    team = db.get(Team, person.team_id) if person.team_id else None
    facts = {"Place" if person.is_place else "Person": person.name, "Number": person.number}
    if team:
        facts["Team"] = team.name
    if person.born:
        facts["Born"] = person.born.strftime("%d %b %Y")
    return facts


def _taken(rows: Sequence[Medicine]) -> TextPart:
    def said(row: Medicine) -> str:
        since = f", since {row.since:%d %b %Y}" if row.since else ""
        return f"{medicines.words(row)}{' at ' if row.times else ''}{', '.join(row.times)}{since}"

    words = "; ".join(said(row) for row in rows)
    return TextPart(title=plain_report.MEDICINES.label, text=words or "None noted.")


def _patient_facts(person: Person, units: ReadersUnits) -> list[Fact]:
    """What a clinic knows of somebody, as far as it is known."""
    size = [
        units.words(f"{person.height_cm:g} cm") if person.height_cm else "",
        units.words(f"{person.weight_kg:g} kg") if person.weight_kg else "",
    ]
    said = {
        "Sex": person.sex or "",
        "Height, weight": ", ".join(filter(None, size)),
        "Clinic": ", ".join(filter(None, (person.clinic, person.stay))),
        "Doctor": person.doctor,
        "Complaint": person.complaint,
    }
    return [Fact(label=label, value=value) for label, value in said.items() if value]


def _who(db: Db, person: Person | None, tags: dict[str, str], kind: Kind, units: ReadersUnits) -> list[Fact]:
    facts = [Fact(label=label, value=value) for label, value in person_facts(db, person).items()]
    if person is not None and kind.patient:
        facts += [f for f in _patient_facts(person, units) if not tags.get(f.label.lower())]
    if person is not None:
        facts += [Fact(label=key.capitalize(), value=value) for key, value in tags.items() if key != "place"]
    return facts
