"""Reports: the true pages before issuing, the frozen ones after."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import text
from sqlmodel import Session as Db
from sqlmodel import col, func, or_, select

from kumpel.core.assessment import LimitSet
from kumpel.core.readers_units import ReadersUnits
from kumpel.kinds.limit_sets import limit_set_data
from kumpel.kinds.plain_report import ReportForm
from kumpel.kinds.registry import kind_of
from kumpel.reports import pages
from kumpel.reports.document import Document
from kumpel.services.ground import apart, deeds, settings
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.people import like
from kumpel.services.ground.problems import ConflictError, NotFoundError
from kumpel.services.ground.recordings import locked_session, session_of
from kumpel.services.report import conclusions, paper
from kumpel.store.database import tell, without
from kumpel.store.tables import Account, Report, ReportSession, Session, now


@dataclass(frozen=True)
class Options:
    """Which parts go in; without a name when it goes to somebody who should not know it."""

    parts: tuple[str, ...]
    named: bool = True
    units: tuple[str, ...] = ()
    """What its reader chose (`core.readers_units`), for what is not signed yet: what is stays as it was signed."""


def choices(kind: str) -> tuple[dict[str, str], tuple[str, ...], tuple[ReportForm, ...]]:
    """Parts that can be ticked, those of the one-page form, and other forms."""
    known = kind_of(kind)
    return known.report_parts, known.one_page, known.forms


def paper_of(db: Db, session: Session, options: Options) -> tuple[paper.Paper, LimitSet]:
    """What was signed; for a session that is not, what would stand there now."""
    signature = conclusions.signature_of(db, session.id or 0)
    if signature is None:
        made, found = paper.now_of(db, session, options.parts, ReadersUnits(options.units))
        return made, found.limits
    return conclusions.signed_paper(db, session, signature), conclusions.signed_limits(db, signature)


def preview(db: Db, session_id: int, options: Options) -> tuple[list[bytes], list[str]]:
    """The true pages as PNG, and what is to be said of them."""
    return apart.read("The pages", db, _preview, session_id, options)


def _preview(db: Db, session_id: int, options: Options) -> tuple[list[bytes], list[str]]:
    session = session_of(db, session_id)
    pages_of, _ = paper_of(db, session, options)
    logo = settings.logo_svg(db, pages_of.house.logo)
    made = paper.document(session.kind, pages_of, options.parts, named=options.named, logo=logo)
    shown, unknown = pages.printable(made)
    notes = [f"No font here has the sign {code}; it is printed as [{code}]." for code in unknown]
    if _is_one_page(session.kind, options):
        shown = pages.on_one(shown)
    drawn = pages.preview(shown)
    if _is_one_page(session.kind, options) and len(drawn) > 1:
        notes.append(_too_much(session.kind, pages_of, options))
    return drawn, notes


def _is_one_page(kind: str, options: Options) -> bool:
    """Whether no more was chosen than what stands on the one page."""
    return set(options.parts) <= set(kind_of(kind).one_page)


def _too_much(kind: str, pages_of: paper.Paper, options: Options) -> str:
    """Which part has to go for the rest to stand on one page; the smallest names come last, as they were chosen first."""
    known = kind_of(kind).report_parts
    for key in reversed(options.parts):
        rest = tuple(k for k in options.parts if k != key)
        less, _ = pages.printable(paper.document(kind, pages_of, rest, named=options.named))
        if pages.page_count(pages.pdf(pages.on_one(less))) == 1:
            return f"This takes more than one page, however small the pictures. Without “{known[key]}” it fits."
    return (
        "This takes more than one page, however small the pictures: shorten the conclusion, or leave several parts out."
    )


def issue(db: Db, session_id: int, options: Options, who: int | None) -> Report:
    """Freeze the report: bytes, hash, limits, who, when. Only a signed session can be issued."""
    report = made_of(db, session_id, options, who)
    db.commit()
    db.refresh(report)
    return report


def made_of(db: Db, session_id: int, options: Options, who: int | None) -> Report:
    """The report of a signed session, on record with the transaction. The caller commits."""
    deeds.ask(db, "report issued", Whom("session", session_id))
    session = signed_session(db, session_id)
    number = next_number(db)
    signed, limits = paper_of(db, session, options)
    logo = settings.logo_svg(db, signed.house.logo)
    whole = paper.document(session.kind, signed, options.parts, named=options.named, number=number, logo=logo)
    made, data, count = apart.call("The report", frozen, whole, _is_one_page(session.kind, options))
    report = put_on_record(
        db,
        Frozen(number, made, data, count),
        sessions=[session_id],
        person_id=session.person_id if options.named else None,
        limits=limit_set_data(limits),
        who=who,
    )
    about = {"number": number, "sha256": report.sha256.hex(), "parts": list(options.parts), "named": options.named}
    deeds.keep(db, "report issued", Whom("session", session_id), after=about, who=who)
    tell(db, "reports", session=session_id)
    return report


def signed_session(db: Db, session_id: int) -> Session:
    """A session that can be issued, held. ConflictError when it is not signed off, or gone."""
    session = locked_session(db, session_id)
    if session.signed_at is None:
        raise ConflictError(
            "Sign the review off first: a report without a responsible person proves nothing.", code="unsigned"
        )
    if session.deleted_at is not None:
        raise ConflictError("This session is deleted. Bring it back first.", code="deleted")
    return session


@dataclass(frozen=True)
class Frozen:
    """A report that has its number and its pages, before it is on record."""

    number: str
    document: Document
    pdf: bytes
    pages: int


def put_on_record(
    db: Db,
    frozen: Frozen,
    *,
    sessions: Sequence[int],
    limits: dict[str, Any],
    person_id: int | None = None,
    group_id: int | None = None,
    who: int | None = None,
) -> Report:
    """The report with the sessions that stand in it, in the transaction that took its number. The caller commits."""
    report = Report(
        number=frozen.number,
        session_id=sessions[0] if sessions and group_id is None else None,
        group_id=group_id,
        person_id=person_id,
        title=f"{frozen.document.title}, {frozen.document.subtitle}"[:300],
        document=frozen.document.model_dump(mode="json"),
        limits=limits,
        pages=frozen.pages,
        pdf=frozen.pdf,
        sha256=hashlib.sha256(frozen.pdf).digest(),
        issued_by=who,
    )
    db.add(report)
    db.flush()
    if group_id is None:
        # What stands on a group's page is not reported for that: its people get their own.
        # The first one is put there by the database itself.
        db.add_all(ReportSession(report_id=report.id or 0, session_id=each) for each in sessions[1:])
    db.flush()
    return report


def frozen(whole: Document, one_page: bool) -> tuple[Document, bytes, int]:
    """A document as it can be printed, its PDF, and of how many pages."""
    made, _ = pages.printable(whole)
    made, data = pages.one_page(made) if one_page else (made, pages.pdf(made))
    return made, data, pages.page_count(data)


def next_number(db: Db) -> str:
    """The next report number. Its row is held until the report is on record: what fails leaves no hole."""
    taken = text("update counter set value = value + 1 where name = 'report' returning value")
    return f"R-{now():%Y}-{int(db.connection().execute(taken).scalar_one()):05d}"


MOST_COUNTED = 5_000


def list_reports(
    db: Db,
    search: str = "",
    limit: int = 50,
    offset: int = 0,
    session_id: int | None = None,
    person_id: int | None = None,
) -> tuple[list[tuple[Report, str, datetime | None]], int]:
    """Issued reports (of one session, or of one person), newest first, with who issued them and when the (first) session began, without their bytes; and how many
    there are, counted to MOST_COUNTED beyond the page."""
    where: list[Any] = []
    if session_id is not None:
        mine = select(ReportSession.report_id).where(ReportSession.session_id == session_id)
        where.append(col(Report.id).in_(mine))
    if person_id is not None:
        where.append(Report.person_id == person_id)
    if search.strip():
        pattern = like(search.strip())
        where.append(or_(col(Report.title).ilike(pattern), col(Report.number).ilike(pattern)))
    ids = select(Report.id).where(*where).limit(offset + limit + MOST_COUNTED)
    total = db.exec(select(func.count()).select_from(ids.subquery())).one()
    found = db.exec(
        select(Report, Account.name, Session.started_at)
        .outerjoin(Account, col(Report.issued_by) == Account.id)
        .outerjoin(Session, col(Report.session_id) == Session.id)
        .where(*where)
        .options(*without(Report.pdf, Report.document))
        .order_by(col(Report.issued_at).desc(), col(Report.id).desc())
        .limit(limit)
        .offset(offset)
    ).all()
    return [(r, name or "", started) for r, name, started in found], total


def sessions_in(db: Db, report_id: int) -> list[int]:
    """The sessions that stand in a report."""
    mine = select(ReportSession.session_id).where(ReportSession.report_id == report_id)
    return list(db.exec(mine.order_by(col(ReportSession.session_id))).all())


def report_of(db: Db, report_id: int) -> Report:
    report = db.get(Report, report_id)
    if report is None:
        raise NotFoundError("This report is not on record.")
    if hashlib.sha256(report.pdf).digest() != report.sha256:
        raise ConflictError("The stored report does not match its hash: it was changed outside Kumpel.")
    return report
