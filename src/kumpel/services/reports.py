"""Reports: the true pages before issuing, the frozen ones after."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import text
from sqlmodel import Session as Db
from sqlmodel import col, func, or_, select

from kumpel.core.assessment import Assessment, LimitSet
from kumpel.kinds.limit_sets import limit_set_data
from kumpel.kinds.registry import kind_of
from kumpel.reports import pages
from kumpel.reports.document import Document, Fact, Facts, Signature, TextPart
from kumpel.reports.moments import wall_moment
from kumpel.services import review
from kumpel.services.people import like
from kumpel.services.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.sessions import row_of
from kumpel.store.database import tell, without
from kumpel.store.tables import Account, Person, Report, Session, Team, now

ALWAYS = ("person", "conclusion", "signature")


@dataclass(frozen=True)
class Options:
    """Which parts go in; without a name when it goes to somebody who should not know it."""

    parts: tuple[str, ...]
    named: bool = True


def choices(kind: str) -> tuple[dict[str, str], tuple[str, ...]]:
    """Parts that can be ticked, and those of the one-page form."""
    known = kind_of(kind)
    return known.report_parts, known.one_page


def document(db: Db, session: Session, options: Options, number: str = "") -> tuple[Document, LimitSet, Assessment]:
    """The document of a session's report as it stands now."""
    kind = kind_of(session.kind)
    unknown = [p for p in options.parts if p not in kind.report_parts]
    if unknown:
        raise InvalidError(f"A {kind.name.lower()} report has no part “{unknown[0]}”.")
    _, limits, both = review.assessment(db, session)
    recording, decided = review.recording_of(db, session), review.decisions(db, session)
    row = row_of(db, session)
    begin, end = wall_moment(recording, 0), wall_moment(recording, session.length_s)
    subtitle = f"{kind.name}, {begin:%a %d %b %Y, %H:%M} to {end:%H:%M}"
    if row.tags.get("place"):
        subtitle += f", {row.tags['place']}"
    name = (row.person.name if row.person else "Unclaimed session") if options.named else "Without name"
    conclusion = review.conclusion_of(db, session.id or 0)
    signed_by = db.get(Account, conclusion.signed_by) if conclusion and conclusion.signed_by else None
    parts: list[Any] = [
        Facts(facts=_who(db, row.person, row.tags) if options.named else [Fact(label="Person", value="not named")])
    ]
    parts += kind.report(recording, decided, both, limits, options.parts)
    parts.append(TextPart(title="Conclusion", text=conclusion.text if conclusion else ""))
    parts += [TextPart(title="Accepted with a reason", text=f"{k}: {v}") for k, v in session.accepted.items()]
    signed_at = conclusion.signed_at.strftime("%d %b %Y") if conclusion and conclusion.signed_at else ""
    parts.append(Signature(name=signed_by.name if signed_by else "", date=signed_at))
    footer = f"Kumpel{', report ' + number if number else ''}. Limits: {limits.name} {limits.version}. Recording SHA-256 {session.sha256.hex()[:16]}…"
    made = Document(
        title=name,
        subtitle=subtitle,
        token=row.recorder.token if row.recorder else "?",
        verdict=both.reviewed.verdict.value,
        words=both.reviewed.words,
        footer=footer,
        draft=not number,
        parts=parts,
    )
    return made, limits, both.reviewed


def _who(db: Db, person: Person | None, tags: dict[str, str]) -> list[Fact]:
    if person is None:
        return [Fact(label="Person", value="unclaimed")]
    team = db.get(Team, person.team_id) if person.team_id else None
    facts = [Fact(label="Person", value=person.name), Fact(label="Number", value=person.number)]
    if team:
        facts.append(Fact(label="Team", value=team.name))
    if person.born:
        facts.append(Fact(label="Born", value=person.born.strftime("%d %b %Y")))
    facts += [Fact(label=key.capitalize(), value=value) for key, value in tags.items() if key != "place"]
    return facts


def preview(db: Db, session_id: int, options: Options) -> tuple[list[bytes], list[str]]:
    """The true pages as PNG, and what is to be said of them."""
    made, _, _ = document(db, review.session_of(db, session_id), options)
    shown, unknown = pages.printable(made)
    notes = [f"No font here has the sign {code}; it is printed as [{code}]." for code in unknown]
    return pages.preview(shown), notes


def issue(db: Db, session_id: int, options: Options, who: int | None) -> Report:
    """Freeze the report: bytes, hash, limits, who, when. Only a signed session can be issued."""
    session = db.exec(select(Session).where(Session.id == session_id).with_for_update()).first()
    if session is None or session.state != "stored":
        raise NotFoundError("This session is not on record.")
    if session.signed_at is None:
        raise ConflictError(
            "Sign the review off first: a report without a responsible person proves nothing.", code="unsigned"
        )
    serial = db.connection().execute(text("select nextval('report_number')")).scalar_one()
    number = f"R-{now():%Y}-{serial:05d}"
    made, limits, _ = document(db, session, options, number)
    made, _ = pages.printable(made)
    data = pages.pdf(made)
    report = Report(
        number=number,
        session_id=session_id,
        person_id=session.person_id if options.named else None,
        title=f"{made.title}, {made.subtitle}",
        document=made.model_dump(mode="json"),
        limits=limit_set_data(limits),
        pages=len(pages.preview(made)),
        pdf=data,
        sha256=hashlib.sha256(data).digest(),
        issued_by=who,
    )
    db.add(report)
    tell(db, "reports", session=session_id)
    db.commit()
    db.refresh(report)
    return report


def list_reports(
    db: Db, search: str = "", limit: int = 50, offset: int = 0
) -> tuple[list[tuple[Report, str, datetime]], int]:
    """Issued reports, newest first, with who issued them and when the session began; without their bytes."""
    where = []
    if search.strip():
        pattern = like(search.strip())
        where.append(or_(col(Report.title).ilike(pattern), col(Report.number).ilike(pattern)))
    total = db.exec(select(func.count()).select_from(Report).where(*where)).one()
    found = db.exec(
        select(Report, Account.name, Session.started_at)
        .outerjoin(Account, col(Report.issued_by) == Account.id)
        .join(Session, col(Report.session_id) == Session.id)
        .where(*where)
        .options(*without(Report.pdf, Report.document))
        .order_by(col(Report.issued_at).desc(), col(Report.id).desc())
        .limit(limit)
        .offset(offset)
    ).all()
    return [(r, name or "", started) for r, name, started in found], total


def report_of(db: Db, report_id: int) -> Report:
    report = db.get(Report, report_id)
    if report is None:
        raise NotFoundError("This report is not on record.")
    if hashlib.sha256(report.pdf).digest() != report.sha256:
        raise ConflictError("The stored report does not match its hash: it was changed outside Kumpel.")
    return report
