"""The register of sessions and the samples of one."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from fastapi import APIRouter, Query, Request
from fastapi.responses import FileResponse, StreamingResponse
from sqlmodel import Session as Db
from starlette.background import BackgroundTask

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Queue, SignedIn, Who
from kumpel.api.downloads import attachment
from kumpel.api.people import Limit, Offset
from kumpel.api.schemas.common import AskedId
from kumpel.services.ground import recordings
from kumpel.services.ground.as_json import for_screen
from kumpel.services.register import many, session_list, sessions
from kumpel.services.report import exports
from kumpel.store.database import engine

router = APIRouter(tags=["sessions"])
Seconds = Annotated[float, Query(ge=-1e9, le=1e9, allow_inf_nan=False)]
Standing = Literal["all", "waiting", "signed", "unclaimed", "worthless", "aside", "deleted", "unreported"]


@router.get("/sessions")
def list_sessions(
    db: Database,
    who: Who,
    show: Annotated[list[Annotated[str, Query(max_length=80)]], Query(max_length=12, default_factory=list)],
    search: str = "",
    person_id: int | None = None,
    kind: str = "",
    verdict: str = "",
    since: datetime | None = None,
    until: datetime | None = None,
    standing: Standing = "all",
    sort: Literal["started", "length", "person", "verdict", "urgency", "figure"] = "started",
    falling: bool = True,
    figure: Annotated[str, Query(max_length=80)] = "",
    at_least: Annotated[float | None, Query(allow_inf_nan=False)] = None,
    at_most: Annotated[float | None, Query(allow_inf_nan=False)] = None,
    people: Annotated[tuple[AskedId, ...], Query(max_length=500)] = (),
    limit: Limit = 50,
    offset: Offset = 0,
) -> schemas.SessionList:
    """Sessions of all kinds, filtered and sorted; `total` counts all that match.

    With a `figure` each shows its value, as for those in `show`; sorted by it, or between `at_least` and `at_most`, only
    those that have it are listed.
    """
    wanted = session_list.Filter(
        search, person_id, kind, verdict, since, until, standing, sort, falling, figure, at_least, at_most, people
    )
    rows, total = session_list.list_sessions(db, wanted, limit, offset, show)
    more = total >= offset + limit + session_list.most_counted(wanted)
    return schemas.SessionList(sessions=[answers.session(row) for row in rows], total=total, more=more)


@router.patch("/sessions")
def change_many(wish: schemas.ManyChanges, db: Database, who: Who) -> schemas.ManyDone:
    """Many sessions in one asking: given to somebody, tagged. What is signed off stays, and is counted."""
    wishes = {each.id: each.model_dump(exclude_unset=True, exclude={"id"}) for each in wish.each}
    return _done(many.change(db, wishes))


@router.post("/sessions/delete")
def delete_many(wish: schemas.ManySessions, db: Database, who: Who) -> schemas.ManyDone:
    """Take many off the lists; they can be brought back."""
    return _done(many.delete(db, wish.sessions))


@router.post("/sessions/restore")
def restore_many(wish: schemas.ManySessions, db: Database, who: Who) -> schemas.ManyDone:
    return _done(many.restore(db, wish.sessions))


def _done(found: many.Done) -> schemas.ManyDone:
    before = [schemas.ChangeOfOne.model_validate({"id": i} | was) for i, was in found.before.items()]
    return schemas.ManyDone(done=found.done, signed=found.signed, before=before)


@router.get("/kinds/{kind}/figures")
def figures(kind: str, db: Database, who: Who) -> list[schemas.FigureName]:
    """Figures by which sessions of a kind can be listed."""
    return [schemas.FigureName(key=k, name=n, unit=u) for k, n, u in session_list.figures_of(db, kind)]


@router.get("/sessions/{session_id}")
def get_session(session_id: int, db: Database, who: Who) -> schemas.Session:
    recordings.session_of(db, session_id)
    return answers.session(session_list.listed(db, session_id))


@router.post("/sessions/shift")
def shift(wish: schemas.Shift, db: Database, who: Who, jobs: Queue) -> schemas.Shifted:
    """Move sessions that were recorded under a wrong clock together; signed ones stay. Their figures follow."""
    moved = sessions.shift_together(db, wish.sessions, wish.back)
    for session_id in moved:
        jobs.start_assess(session_id)
    return schemas.Shifted(sessions=moved)


@router.patch("/sessions/{session_id}")
def change_session(session_id: int, wish: schemas.SessionChange, db: Database, who: Who) -> schemas.Session:
    """Give to somebody, tag, note, shift the clock, bring in from aside."""
    sessions.change(db, session_id, wish.model_dump(exclude_unset=True))
    return answers.session(session_list.listed(db, session_id))


@router.delete("/sessions/{session_id}")
def delete_session(session_id: int, db: Database, who: Who) -> schemas.Session:
    """Off the lists, with a way back; nothing happens on the recorder."""
    sessions.delete_session(db, session_id)
    return answers.session(session_list.listed(db, session_id))


@router.post("/sessions/{session_id}/restore")
def restore_session(session_id: int, db: Database, who: Who) -> schemas.Session:
    sessions.restore_session(db, session_id)
    return answers.session(session_list.listed(db, session_id))


@router.get("/sessions/{session_id}/view")
def view(
    session_id: int,
    db: Database,
    who: Who,
    channel: Annotated[list[str], Query(max_length=8)],
    start_s: Seconds = 0,
    end_s: Seconds = 1e9,
    points: Annotated[int, Query(ge=1, le=20_000)] = 1280,
    bin_s: Annotated[float | None, Query(gt=0, le=86_400)] = None,
) -> list[schemas.View]:
    """Channels over a span in at most `points` bins (or in bins of `bin_s`)."""
    found = recordings.session_of(db, session_id)
    made = recordings.view(db, found, channel, start_s, min(end_s, found.length_s), points, bin_s)
    return [
        schemas.View(
            key=v.key,
            unit=v.unit,
            bin_s=v.bin_s,
            start_s=v.start_s,
            low=for_screen(v.low.tolist()),
            high=for_screen(v.high.tolist()),
            mean=for_screen(v.mean.tolist()),
        )
        for v in made
    ]


@router.get("/sessions/{session_id}/original", response_class=StreamingResponse)
def original(session_id: int, request: Request, browser: SignedIn) -> StreamingResponse:
    """The recording file as it came from the recorder, bit for bit; 409 when the stored copy is damaged."""
    store = engine(request.app.state.config.database_url)
    with Db(store) as db:
        row = sessions.row_of(db, recordings.session_of(db, session_id))
        headers = {
            "Content-Disposition": attachment(sessions.file_name(row)),
            "Content-Length": str(row.session.size),
        }
    pieces = sessions.original(store, session_id)
    return StreamingResponse(pieces, media_type="application/cbor-seq", headers=headers)


@router.get(
    "/sessions/{session_id}/file",
    response_class=FileResponse,
    responses={200: {"content": {"application/octet-stream": {}}}},
)
def export(
    session_id: int,
    form: exports.Form,
    db: Database,
    who: Who,
    start_s: Seconds | None = None,
    end_s: Seconds | None = None,
    without_m: Annotated[float, Query(ge=0, le=100_000, allow_inf_nan=False)] = 0.0,
) -> FileResponse:
    """The session as a workbook (figures, tables, events, samples), or its samples as a CSV file at the recorded rates; of a span alone,
    where one is named. As GPX its positions (without those `without_m` metres around start and end), as EDF+ signals and annotations."""
    span = None if start_s is None and end_s is None else (start_s or 0.0, 1e9 if end_s is None else end_s)
    name, path = exports.write(db, session_id, form, span, without_m)
    done = BackgroundTask(exports.remove, path)
    return FileResponse(path, headers={"Content-Disposition": attachment(name)}, background=done)
