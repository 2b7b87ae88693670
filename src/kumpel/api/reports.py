"""Reports: the pages before issuing, the frozen ones after."""

from __future__ import annotations

import base64

from fastapi import APIRouter
from fastapi.responses import Response

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Who
from kumpel.api.downloads import attachment
from kumpel.api.people import Limit, Offset
from kumpel.services import recordings, reports

router = APIRouter(tags=["reports"])


@router.get("/report-parts/{kind}")
def choices(kind: str, who: Who) -> schemas.ReportChoices:
    """Parts that can be ticked for a kind, and those of the one-page form."""
    parts, one_page = reports.choices(kind)
    return schemas.ReportChoices(parts=parts, one_page=list(one_page))


@router.post("/sessions/{session_id}/report-pages")
def preview(session_id: int, wish: schemas.ReportOptions, db: Database, who: Who) -> schemas.Pages:
    """The true pages of the report as it stands now."""
    pages, notes = reports.preview(db, session_id, reports.Options(tuple(wish.parts), wish.named))
    return schemas.Pages(
        notes=notes, pages=["data:image/png;base64," + base64.b64encode(page).decode() for page in pages]
    )


@router.post("/sessions/{session_id}/reports", status_code=201)
def issue(session_id: int, wish: schemas.ReportOptions, db: Database, who: Who) -> schemas.Report:
    """Issue the report: frozen from now on."""
    made = reports.issue(db, session_id, reports.Options(tuple(wish.parts), wish.named), who.id)
    return answers.report(made, who.name, recordings.session_of(db, session_id).started_at)


@router.get("/reports")
def list_reports(db: Database, who: Who, search: str = "", limit: Limit = 50, offset: Offset = 0) -> schemas.ReportList:
    rows, total = reports.list_reports(db, search, limit, offset)
    return schemas.ReportList(reports=[answers.report(*row) for row in rows], total=total)


@router.get("/reports/{report_id}/pdf", response_class=Response, responses={200: {"content": {"application/pdf": {}}}})
def pdf(report_id: int, db: Database, who: Who) -> Response:
    found = reports.report_of(db, report_id)
    headers = {"Content-Disposition": attachment(f"{found.number} {found.document.get('title', '')}.pdf")}
    return Response(found.pdf, media_type="application/pdf", headers=headers)
