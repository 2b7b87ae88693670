"""Rows of the store as the API's schemas."""

from __future__ import annotations

from datetime import datetime

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.api import schemas
from kumpel.core.recording import POINT
from kumpel.kinds.registry import KINDS
from kumpel.services import hand_out, review, take_in
from kumpel.services.people import PersonRow
from kumpel.services.plain import plain
from kumpel.services.sessions import SessionRow, row_of
from kumpel.store import tables


def person(row: PersonRow) -> schemas.Person:
    return schemas.Person(
        **row.person.model_dump(exclude={"team_id", "created_at", "deleted_at"}),
        team=row.team,
        sessions=row.sessions,
        last_session_at=row.last_session_at,
        has_recorder=row.has_recorder,
    )


def recorder(db: Db, row: tables.Recorder, bay: take_in.Bay | None = None) -> schemas.Recorder:
    slip = hand_out.open_slip(db, row)
    holder = db.get(tables.Person, slip.person_id) if slip else None
    kind = KINDS.get(row.kind)
    return schemas.Recorder(
        **row.model_dump(
            include={
                "id",
                "serial",
                "kind",
                "token",
                "name",
                "model",
                "firmware",
                "keeps_one",
                "in_reach",
                "trouble",
                "seen_at",
                "clock_error_s",
            }
        ),
        battery=row.status.get("battery"),
        memory_used=row.status.get("memory_used"),
        mode=row.status.get("mode", ""),
        place=row.status.get("place", ""),
        holder=holder.name if holder else "",
        holder_id=holder.id if holder else None,
        since=slip.given_at if slip else None,
        expected_at=slip.expected_at if slip else None,
        new_sessions=sum(f.standing == "new" for f in bay.sessions) if bay else 0,
        check_list=list(kind.check_list) if kind else [],
    )


def bay(db: Db, found: take_in.Bay) -> schemas.Bay:
    return schemas.Bay(
        recorder=recorder(db, found.recorder, found),
        utc_offset_min=found.recorder.status.get("utc_offset_min", 0),
        tags=found.tags,
        sessions=[schemas.Found.model_validate(s) for s in found.sessions],
    )


def slip(given: tables.HandOver, recorder: tables.Recorder, person: tables.Person) -> schemas.HandOver:
    return schemas.HandOver(
        id=given.id,
        recorder_id=given.recorder_id,
        token=recorder.token,
        kind=recorder.kind,
        recorder_name=recorder.name,
        person_id=given.person_id,
        person=person.name,
        given_at=given.given_at,
        expected_at=given.expected_at,
        returned_at=given.returned_at,
        clock_error_s=given.clock_error_s,
        in_reach=recorder.in_reach,
        tags=given.tags,
    )


def session(row: SessionRow) -> schemas.Session:
    found = row.session
    return schemas.Session(
        **found.model_dump(
            include={
                "id",
                "kind",
                "person_id",
                "serial",
                "recorder_session",
                "started_at",
                "utc_offset_min",
                "length_s",
                "size",
                "aside",
                "trouble",
                "clock_error_s",
                "clock_shift_s",
                "note",
                "verdict",
                "verdict_step",
                "key_figure",
                "signed_at",
                "taken_in_at",
                "deleted_at",
            }
        ),
        person=row.person.name if row.person else "",
        person_number=row.person.number if row.person else "",
        token=row.recorder.token if row.recorder else "",
        sha256=found.sha256.hex(),
        tags=row.tags,
        report=row.report,
    )


def full_review(db: Db, found: tables.Session, limit_set_id: int | None = None) -> schemas.Review:
    limits, _, both = review.assessment(db, found, limit_set_id)
    assert found.id is not None and limits.id is not None
    undo, redo = review.next_undo(db, found.id)
    conclusion = review.conclusion_of(db, found.id)
    signer = db.get(tables.Account, conclusion.signed_by) if conclusion and conclusion.signed_by else None
    writer = db.get(tables.Account, conclusion.written_by) if conclusion and conclusion.written_by else None
    events = db.exec(
        select(tables.Event)
        .where(tables.Event.session_id == found.id, tables.Event.code != POINT)
        .order_by(col(tables.Event.at_s))
    ).all()
    channels = db.exec(
        select(tables.Channel).where(tables.Channel.session_id == found.id).order_by(col(tables.Channel.index))
    ).all()
    return schemas.Review(
        session=session(row_of(db, found)),
        version=found.review_version,
        limit_set_id=limits.id,
        own_limit_set_id=found.limit_set_id,
        working_day_s=found.working_day_s,
        attenuation_db=found.attenuation_db,
        accepted=found.accepted,
        recorded=schemas.Assessment.model_validate(plain(both.recorded)),
        reviewed=schemas.Assessment.model_validate(plain(both.reviewed)),
        stretches=[schemas.Stretch.model_validate(s) for s in review.stretches(db, found.id)],
        events=[schemas.Event.model_validate(e) for e in events],
        channels=[schemas.Channel.model_validate(c) for c in channels],
        main_channel=KINDS[found.kind].main_channel,
        undo=undo,
        redo=redo,
        conclusion=conclusion.text if conclusion else "",
        conclusion_version=conclusion.version if conclusion else 0,
        conclusion_by=writer.name if writer else "",
        signed_by=signer.name if signer else "",
    )


def report(row: tables.Report, by: str, started: datetime) -> schemas.Report:
    return schemas.Report(
        id=row.id or 0,
        number=row.number,
        title=row.title,
        session_id=row.session_id,
        session_started_at=started,
        pages=row.pages,
        sha256=row.sha256.hex(),
        issued_at=row.issued_at,
        issued_by=by,
    )
