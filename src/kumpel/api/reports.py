"""Reports: the pages before issuing, the frozen ones after."""

from __future__ import annotations

import base64

from fastapi import APIRouter
from fastapi.responses import Response

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Queue, Who
from kumpel.api.downloads import attachment
from kumpel.api.people import Limit, Offset
from kumpel.services.ground import recordings
from kumpel.services.report import health_record, issued, mail, reports

router = APIRouter(tags=["reports"])


@router.get("/report-parts/{kind}")
def choices(kind: str, who: Who) -> schemas.ReportChoices:
    """Parts that can be ticked for a kind, those of the one-page form, and what else its trade asks for by a name."""
    parts, one_page, forms = reports.choices(kind)
    return schemas.ReportChoices(
        parts=parts, one_page=list(one_page), forms=[schemas.ReportForm.model_validate(each) for each in forms]
    )


@router.post("/sessions/{session_id}/report-pages")
def preview(session_id: int, wish: schemas.ReportOptions, db: Database, who: Who) -> schemas.Pages:
    """The true pages of the report as it stands now."""
    pages, notes = reports.preview(db, session_id, reports.Options(tuple(wish.parts), wish.named, tuple(who.units)))
    return schemas.Pages(
        notes=notes, pages=["data:image/png;base64," + base64.b64encode(page).decode() for page in pages]
    )


@router.post("/sessions/{session_id}/reports", status_code=201)
def issue(session_id: int, wish: schemas.ReportOptions, db: Database, who: Who) -> schemas.Report:
    """Issue the report: frozen from now on."""
    made = reports.issue(db, session_id, reports.Options(tuple(wish.parts), wish.named, tuple(who.units)), who.id)
    return answers.report(made, who.name, recordings.session_of(db, session_id).started_at)


@router.get("/reports")
def list_reports(
    db: Database,
    who: Who,
    search: str = "",
    limit: Limit = 50,
    offset: Offset = 0,
    session_id: int | None = None,
    person_id: int | None = None,
) -> schemas.ReportList:
    rows, total = reports.list_reports(db, search, limit, offset, session_id, person_id)
    return schemas.ReportList(reports=[answers.report(*row) for row in rows], total=total)


@router.get(
    "/reports/{report_id}/file",
    response_class=Response,
    responses={200: {"content": {form: {} for form in issued.MEDIA_TYPES.values()}}},
)
def file(report_id: int, db: Database, who: Who, form: issued.Form = "pdf") -> Response:
    """An issued report as PDF (as it was frozen), for a word processor, or as one web page."""
    made = issued.file_of(reports.report_of(db, report_id), form)
    number, _, ending = made.name.rpartition(".")
    headers = {"Content-Disposition": attachment(f"{number} {made.title}.{ending}")}
    return Response(made.data, media_type=made.media_type, headers=headers)


@router.get(
    "/reports/{report_id}/health-record",
    response_class=Response,
    responses={200: {"content": {health_record.MEDIA_TYPE: {}}}},
)
def for_a_health_record(report_id: int, db: Database, who: Who) -> Response:
    """What was signed as a FHIR R4 document, with the report inside."""
    name, data = health_record.document_of(db, report_id)
    return Response(data, media_type=health_record.MEDIA_TYPE, headers={"Content-Disposition": attachment(name)})


@router.get("/reports/{report_id}/mails")
def mails(report_id: int, db: Database, who: Who) -> list[schemas.Mail]:
    """What went by e-mail of a report, or is on its way, the newest first."""
    return [schemas.Mail.model_validate(row) for row in mail.of_report(db, report_id)]


@router.post("/reports/{report_id}/mails", status_code=202)
def post_mail(report_id: int, wish: schemas.MailWish, db: Database, who: Who, jobs: Queue) -> schemas.Mail:
    """Put a report into the outbox; it is sent at once, and again while the mail server is away."""
    row = mail.post(db, report_id, mail.Wish(wish.recipient, wish.forms, wish.note), who.id)
    jobs.start_mail(row.id or 0)
    return schemas.Mail.model_validate(row)


@router.post("/mails/{mail_id}/again", status_code=202)
def mail_again(mail_id: int, db: Database, who: Who, jobs: Queue) -> schemas.Mail:
    """Try once more what was refused, or at once what waits."""
    row = mail.again(db, mail_id)
    jobs.start_mail(mail_id)
    return schemas.Mail.model_validate(row)


@router.get("/reports/{report_id}/pdf", response_class=Response, responses={200: {"content": {"application/pdf": {}}}})
def pdf(report_id: int, db: Database, who: Who) -> Response:
    found = reports.report_of(db, report_id)
    headers = {"Content-Disposition": attachment(f"{found.number} {found.document.get('title', '')}.pdf")}
    return Response(found.pdf, media_type="application/pdf", headers=headers)
