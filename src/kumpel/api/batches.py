"""Reports for many in one go: who can have one, begun, watched, stopped, fetched."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Queue, Who
from kumpel.api.downloads import attachment
from kumpel.services.batches import as_files, batch, candidates
from kumpel.services.report.issued import Form
from kumpel.store.tables import ReportBatch

router = APIRouter(tags=["reports"])
PDF, ZIP = "application/pdf", "application/zip"


@router.post("/report-candidates")
def report_candidates(wish: schemas.CandidatesWish, db: Database, who: Who) -> list[schemas.Candidate]:
    """Who of these sessions can have a report now, and of the others why not."""
    return [schemas.Candidate.model_validate(each) for each in candidates.candidates(db, wish.sessions)]


@router.post("/report-batches", status_code=202)
def begin_batch(wish: schemas.BatchWish, db: Database, who: Who, jobs: Queue) -> schemas.Batch:
    """Issue reports of many: each frozen and numbered, then sent where that is wished; goes on when the page is left."""
    made = batch.begin(
        db,
        batch.Wish(
            sessions=tuple(dict.fromkeys(wish.sessions)),
            one_each=wish.one_each,
            parts={kind: tuple(parts) for kind, parts in wish.parts.items()},
            named=wish.named,
            name=wish.name,
            group_id=wish.group_id,
            group_named=wish.group_named,
            mail_to=wish.mail_to,
            forms=tuple(wish.forms),
            note=wish.note,
        ),
        who.id,
    )
    jobs.start_reports(made.id or 0)
    return _whole(db, made)


@router.get("/report-batches")
def list_batches(db: Database, who: Who) -> list[schemas.Batch]:
    """The newest ones, each with how far it is."""
    return [_batch(db, each, []) for each in batch.lately(db)]


@router.get("/report-batches/{batch_id}")
def look_at_batch(batch_id: int, db: Database, who: Who) -> schemas.Batch:
    """One with each of its reports: which number it has, or why it failed."""
    return _whole(db, batch.batch_of(db, batch_id))


@router.post("/report-batches/{batch_id}/stop", status_code=204)
def stop_batch(batch_id: int, db: Database, who: Who) -> None:
    """After the report that is being made. What is issued stays issued."""
    batch.stop(db, batch_id)


@router.post("/report-batches/{batch_id}/go-on", status_code=202)
def go_on_with_batch(batch_id: int, db: Database, who: Who, jobs: Queue) -> schemas.Batch:
    """Go on with one that was stopped; what failed is tried again."""
    batch.go_on(db, batch_id)
    jobs.start_reports(batch_id)
    return _whole(db, batch.batch_of(db, batch_id))


@router.get("/report-batches/{batch_id}/file", response_class=Response, responses={200: {"content": {PDF: {}}}})
def batch_file(batch_id: int, db: Database, who: Who, two_sided: bool = False) -> Response:
    """All of them in one PDF, to print; two-sided, each begins on a front page."""
    name, data = as_files.one_file(db, batch_id, two_sided)
    return Response(data, media_type=PDF, headers={"Content-Disposition": attachment(name)})


@router.get("/report-batches/{batch_id}/pack", response_class=Response, responses={200: {"content": {ZIP: {}}}})
def batch_pack(batch_id: int, db: Database, who: Who, form: Annotated[Form, Query()] = "pdf") -> Response:
    """One file each, packed."""
    name, data = as_files.packed(db, batch_id, form)
    return Response(data, media_type=ZIP, headers={"Content-Disposition": attachment(name)})


def _batch(db: Database, row: ReportBatch, items: list[schemas.BatchItem]) -> schemas.Batch:
    done = batch.amount(db, row.id or 0)
    return schemas.Batch(
        id=row.id or 0,
        name=row.name,
        state=row.state,
        made_at=row.made_at,
        total=done.of,
        issued=done.issued,
        failed=done.failed,
        items=items,
    )


def _whole(db: Database, row: ReportBatch) -> schemas.Batch:
    items = [
        schemas.BatchItem(
            id=item.id or 0,
            who=item.who,
            sessions=item.sessions,
            is_group=item.group_id is not None,
            recipient=item.recipient,
            state=item.state,
            problem=item.problem,
            report_id=item.report_id,
            number=number,
            mail_id=item.mail_id,
        )
        for item, number in batch.items_of(db, row.id or 0)
    ]
    return _batch(db, row, items)
