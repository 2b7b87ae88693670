"""Groups of people: kept, looked at, concluded on, issued."""

from __future__ import annotations

import base64
import math
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Who
from kumpel.api.downloads import attachment
from kumpel.api.schemas.common import AskedId
from kumpel.kinds.over_people import over_people
from kumpel.kinds.registry import kind_of
from kumpel.services.groups import concluding, findings, issuing, kept, paper
from kumpel.services.groups.findings import Look

router = APIRouter(tags=["groups"])
Without = Annotated[tuple[AskedId, ...], Query(max_length=500)]
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


@router.get("/groups")
def list_groups(db: Database, who: Who) -> list[schemas.GroupRow]:
    """All groups, each with its verdict as its measurements stand now."""
    return [_row(db, findings.look_of(db, group, v.number, kept.wish_of(v))) for group, v in kept.groups(db)]


@router.post("/groups", status_code=201)
def create_group(wish: schemas.NewGroup, db: Database, who: Who) -> schemas.Made:
    return schemas.Made(id=kept.create(db, wish.name, wish.kind, wish.wish, who.id).id or 0)


@router.get("/groups/{group_id}")
def look_at_group(group_id: int, db: Database, who: Who, without: Without = ()) -> schemas.GroupLook:
    """Everything that a group's measurements say now, and what was signed of it; `without` some people for this look alone."""
    return _look(db, findings.look(db, group_id, without))


@router.put("/groups/{group_id}")
def change_group(group_id: int, wish: schemas.GroupChange, db: Database, who: Who) -> schemas.GroupLook:
    """A new version: who is in it, what counts, what is left out by hand."""
    kept.change(db, group_id, wish.version, wish.wish, wish.name, who.id)
    return look_at_group(group_id, db, who)


@router.post("/groups/{group_id}/split", status_code=201)
def split_group(group_id: int, wish: schemas.GroupSplitWish, db: Database, who: Who) -> schemas.Made:
    """Some become a group of their own; the others stay."""
    return schemas.Made(id=kept.split(db, group_id, wish.version, wish.go, wish.stay, wish.name, who.id).id or 0)


@router.delete("/groups/{group_id}", status_code=204)
def remove_group(group_id: int, db: Database, who: Who) -> None:
    kept.remove(db, group_id, who.id)


@router.post("/groups/{group_id}/restore", status_code=204)
def restore_group(group_id: int, db: Database, who: Who) -> None:
    kept.bring_back(db, group_id, who.id)


@router.put("/groups/{group_id}/conclusion")
def conclude_group(group_id: int, wish: schemas.GroupConclusion, db: Database, who: Who) -> schemas.GroupConclusion:
    """Keep the conclusion while it is written."""
    group = concluding.conclude(db, group_id, wish.text, who.id, wish.version)
    return schemas.GroupConclusion(text=group.conclusion, version=group.conclusion_version)


@router.post("/groups/{group_id}/sign", status_code=204)
def sign_group(group_id: int, wish: schemas.GroupSign, db: Database, who: Who) -> None:
    """Sign just what was seen."""
    concluding.sign(db, group_id, wish.version, wish.conclusion_version, who.id or 0)


@router.post("/groups/{group_id}/open", status_code=204)
def open_group_again(group_id: int, wish: schemas.Opening, db: Database, who: Who) -> None:
    concluding.open_again(db, group_id, who.id or 0, wish.why)


@router.post("/groups/{group_id}/report-pages")
def preview_group(group_id: int, wish: schemas.GroupReportWish, db: Database, who: Who) -> schemas.Pages:
    """The true pages of the group's report."""
    drawn = issuing.preview(db, group_id, wish.named)
    return schemas.Pages(notes=[], pages=["data:image/png;base64," + base64.b64encode(page).decode() for page in drawn])


@router.post("/groups/{group_id}/reports", status_code=201)
def issue_group(group_id: int, wish: schemas.GroupReportWish, db: Database, who: Who) -> schemas.Report:
    """Issue the group's report: frozen from now on."""
    return answers.report(issuing.issue(db, group_id, wish.named, who.id), who.name, None)


@router.get("/groups/{group_id}/table.xlsx", response_class=Response, responses={200: {"content": {XLSX: {}}}})
def group_table(group_id: int, db: Database, who: Who, named: Annotated[bool, Query()] = True) -> Response:
    """What leads to the verdict and every measurement, as a workbook."""
    name, data = issuing.table(db, group_id, named)
    return Response(data, media_type=XLSX, headers={"Content-Disposition": attachment(name)})


def _verdict(seen: Look) -> tuple[str, str]:
    if seen.findings is None:
        return "not assessable", seen.why_not
    return paper.SHAPES.get(seen.findings.verdict, ""), paper.WORDS[seen.findings.verdict]


def _row(db: Database, seen: Look) -> schemas.GroupRow:
    signed = findings.since_signed(db, seen)
    verdict, words = _verdict(seen)
    return schemas.GroupRow(
        id=seen.group.id or 0,
        name=seen.group.name,
        kind=seen.group.kind,
        people=len(seen.found.members),
        counted=len(seen.counted),
        verdict=verdict,
        words=words,
        signed=signed is not None,
        changed=len(signed.differs) if signed else 0,
    )


def _number(value: float) -> float | None:
    return value if math.isfinite(value) else None


def _look(db: Database, seen: Look) -> schemas.GroupLook:
    verdict, words = _verdict(seen)
    whole, found = paper.whole_of(seen), seen.findings
    names = {member.id: member.name for member in seen.found.members}
    ids = [member.id for member in seen.found.members]
    split = found.split if found else None
    signed = findings.since_signed(db, seen)
    return schemas.GroupLook(
        id=seen.group.id or 0,
        name=seen.group.name,
        kind=seen.group.kind,
        version=seen.version,
        wish=seen.wish,
        figure_name=seen.found.figure_name or seen.wish.figure,
        unit=seen.found.unit,
        logarithmic=seen.logarithmic,
        steps=[schemas.GroupStep.model_validate(step) for step in seen.found.steps],
        step=schemas.GroupStep.model_validate(seen.step) if seen.step else None,
        members=[schemas.GroupMember.model_validate(member) for member in seen.found.members],
        measured=[schemas.GroupMeasured.model_validate(each) for each in seen.found.measured],
        verdict=verdict,
        words=words,
        told=found.words if found else seen.why_not,
        numbers=[schemas.GroupNumber(label=label, value=value) for label, value in paper.numbers(seen)],
        whole=schemas.GroupSpan(
            mean=_number(whole.mean), low=_number(whole.low), high=_number(whole.high), p95=_number(whole.p95)
        )
        if whole
        else None,
        split=schemas.GroupSplit(lower=[ids[i] for i in split.lower], upper=[ids[i] for i in split.upper])
        if split
        else None,
        split_words=paper.split_words(seen, lambda person_id: names[person_id]),
        conclusion=seen.group.conclusion,
        conclusion_version=seen.group.conclusion_version,
        signed=schemas.GroupSigned(
            at=signed.signature.signed_at,
            by=signed.signer,
            conclusion=signed.signature.conclusion,
            differs=list(signed.differs),
        )
        if signed
        else None,
        figures=[schemas.GroupChoice(key=key, label=label) for key, label in over_people(kind_of(seen.group.kind))],
    )
