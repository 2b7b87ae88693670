"""The bench: checks of recorders made here, what they are held against, what they came to on paper."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Annotated, Any

from fastapi import APIRouter, Query, Request, Response
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Who
from kumpel.kinds.bench import BenchCheck
from kumpel.services.bench import certificates, concerned, guided, references, running, standing
from kumpel.services.recorders.recorders import recorder_of
from kumpel.store import tables

router = APIRouter(tags=["bench"])
PDF: dict[int | str, dict[str, Any]] = {200: {"content": {"application/pdf": {}}}}


def _check(word: BenchCheck) -> schemas.BenchCheck:
    return schemas.BenchCheck(
        key=word.key,
        label=word.label,
        connect=word.connect,
        needs=word.needs,
        allowed=word.allowed.in_words,
        source=word.allowed.source,
        share=word.allowed.share,
        amount=word.allowed.amount,
        by_hand=word.steady is not None,
        steady_s=word.steady.for_s if word.steady else 0.0,
        band=word.steady.band if word.steady else 0.0,
    )


def _run(row: tables.BenchRun, papers: Mapping[int, int]) -> schemas.BenchRun:
    found = schemas.BenchRun.model_validate(row)
    return found.model_copy(update={"certificate_id": papers.get(row.id or 0)})


def _reference(row: tables.Reference) -> schemas.Reference:
    return schemas.Reference.model_validate(row).model_copy(update={"wrong": references.wrong_with(row)})


def _certificate(row: tables.Certificate) -> schemas.Certificate:
    kept = {key: getattr(row, key) for key in schemas.Certificate.model_fields if key != "sha256"}
    return schemas.Certificate(**kept, sha256=row.sha256.hex())


def _ask(each: concerned.Asked) -> schemas.BenchAsk:
    return schemas.BenchAsk(
        recorder_id=each.recorder.id or 0,
        token=each.recorder.token,
        what=each.what,
        checks=list(each.checks),
        words=list(each.words),
        sessions=[schemas.Concerned.model_validate(one) for one in each.sessions],
        follows=each.follows,
        why=each.why,
        holds=each.holds,
    )


def _papers(db: Db, runs: list[int]) -> dict[int, int]:
    asked = select(tables.Certificate.run_id, tables.Certificate.id).where(col(tables.Certificate.run_id).in_(runs))
    return {run or 0: paper or 0 for run, paper in db.exec(asked).all()}


@router.get("/bench")
def bench(db: Database, who: Who) -> schemas.Bench:
    """The recorders that can be checked here now, what is due, what is at work, the references, the certificates of today."""
    bays, due, asks = standing.bays(db)
    papers = _papers(db, [bay.run.id or 0 for bay in bays if bay.run])
    return schemas.Bench(
        bays=[
            schemas.BenchBay(
                recorder_id=bay.recorder.id or 0,
                token=bay.recorder.token,
                name=bay.recorder.name,
                kind=bay.recorder.kind,
                place=str(bay.recorder.status.get("place", "")),
                holder=bay.holder,
                checks=[_check(word) for word in bay.checks],
                due=[schemas.CheckStanding.model_validate(each) for each in bay.due],
                run=_run(bay.run, papers) if bay.run else None,
            )
            for bay in bays
        ],
        due=[
            schemas.BenchDue(
                recorder_id=row.recorder.id or 0,
                token=row.recorder.token,
                kind=row.recorder.kind,
                holder=row.holder,
                in_reach=row.recorder.in_reach,
                standing=schemas.CheckStanding.model_validate(row.standing),
            )
            for row in due
        ],
        asks=[_ask(each) for each in asks],
        references=[_reference(row) for row in references.all_of(db)],
        today=[_certificate(row) for row in certificates.listed(db, date.today())],
    )


@router.post("/bench/runs", status_code=201)
def begin_checks(wish: schemas.BenchWish, request: Request, db: Database, who: Who) -> schemas.BenchBegun:
    """Begin a check of recorders side by side; what stands against one stops none of the others."""
    url = request.app.state.config.database_url
    begun = running.begin(db, url, wish.recorders, wish.what, wish.reference_id, who.id)
    return schemas.BenchBegun(
        runs=[_run(row, {}) for row in begun.runs],
        refused=[schemas.BenchRefused(recorder_id=key, why=why) for key, why in begun.refused.items()],
    )


@router.post("/bench/runs/{run_id}/stop")
def stop_check(run_id: int, db: Database, who: Who) -> schemas.BenchRun:
    """End a run after the sensor that is at work."""
    return _run(running.stop(db, run_id), {})


@router.post("/bench/runs/{run_id}/read")
def read_step(run_id: int, wish: schemas.BenchReading, request: Request, db: Database, who: Who) -> schemas.BenchRun:
    """Read a step of a check that somebody goes through by hand, once the live value is steady."""
    url = request.app.state.config.database_url
    row = guided.read(db, url, run_id, wish.step, wish.applied, wish.read)
    return _run(row, _papers(db, [run_id]))


@router.post("/bench/doubts", status_code=204)
def decide_doubts(wish: schemas.DoubtDecision, db: Database, who: Who) -> None:
    """Hold the figures of the sessions that checks put in doubt, or accept them with a reason; signed ones stay as they are."""
    concerned.decide(db, wish.checks, wish.follows, wish.why, who.id)


@router.post("/bench/references", status_code=201)
def add_reference(wish: schemas.NewReference, db: Database, who: Who) -> schemas.Reference:
    return _reference(references.add(db, references.Wish(**wish.model_dump())))


@router.delete("/bench/references/{reference_id}", status_code=204)
def remove_reference(reference_id: int, db: Database, who: Who) -> None:
    """Take a reference off the register; what was checked with it says so for good."""
    references.remove(db, reference_id)


@router.get("/recorders/{recorder_id}/drifts")
def sensor_drifts(recorder_id: int, db: Database, who: Who) -> schemas.SensorDrifts:
    """The span factor of each sensor over its life, and where it goes."""
    recorder_of(db, recorder_id)
    return schemas.SensorDrifts(
        drifts=[
            schemas.SensorDrift(
                sensor=each.sensor,
                serial=each.serial,
                days=each.days,
                factors=each.factors,
                per_year=each.trend.per_year if each.trend else None,
                days_left=each.trend.days_left if each.trend else None,
            )
            for each in standing.drifts(db, recorder_id)
        ]
    )


@router.get("/certificates")
def certificates_of(
    db: Database,
    who: Who,
    day: schemas.Day | None = None,
    recorder_id: schemas.AskedId | None = None,
    words: Annotated[str, Query(max_length=100)] = "",
) -> schemas.Certificates:
    """Certificates, the newest first: of a day, of a recorder, with words in their number or title."""
    rows = certificates.listed(db, day, recorder_id, words)
    return schemas.Certificates(certificates=[_certificate(row) for row in rows])


@router.get("/certificates/{certificate_id}/pdf", response_class=Response, responses=PDF)
def certificate_pdf(certificate_id: int, db: Database, who: Who) -> Response:
    """A certificate as it was frozen."""
    row = certificates.row_of(db, certificate_id)
    name = {"Content-Disposition": f'attachment; filename="{row.number}.pdf"'}
    return Response(row.pdf, media_type="application/pdf", headers=name)


@router.get("/certificates/day/{day}/pdf", response_class=Response, responses=PDF)
def certificates_of_day(day: schemas.Day, db: Database, who: Who) -> Response:
    """Every certificate of a day that holds, as one file to print."""
    data = certificates.of_day(db, day)
    name = {"Content-Disposition": f'attachment; filename="certificates {day}.pdf"'}
    return Response(data, media_type="application/pdf", headers=name)


@router.post("/certificates/{certificate_id}/revoke")
def revoke_certificate(certificate_id: int, wish: schemas.Revoking, db: Database, who: Who) -> schemas.Certificate:
    """Say that a certificate does not hold; it stays on record."""
    return _certificate(certificates.revoke(db, certificate_id, wish.why))
