"""Review: figures, decisions, undo, conclusion, sign-off."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import Field, StringConstraints

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Queue, Who
from kumpel.api.downloads import shown
from kumpel.api.limits import wished_limits
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures, settings, tags
from kumpel.services.ground.as_json import for_screen
from kumpel.services.ground.decisions import Wish
from kumpel.services.ground.problems import ConflictError
from kumpel.services.ground.recordings import session_of
from kumpel.services.report import conclusions
from kumpel.services.review import close_up as looks
from kumpel.services.review import comparison, deciding, fronts
from kumpel.services.yard import day_sheet
from kumpel.services.yard import laps as lap_sheets

router = APIRouter(tags=["review"])
Seconds = Annotated[float, Query(allow_inf_nan=False, ge=0, le=1e9)]
Finite = Annotated[float, Field(allow_inf_nan=False)]


@router.get("/kinds")
def kinds(db: Database, who: Who) -> list[schemas.Kind]:
    """Every kind of recorder that this server knows, with its words."""
    held = settings.chosen(db)
    said = tags.said_lately(db)
    return [answers.kind(held, kind, said.get(kind.key, {})) for kind in KINDS.values()]


@router.get("/sessions/{session_id}/review")
def get_review(session_id: int, db: Database, who: Who, limit_set_id: int | None = None) -> schemas.Review:
    """Figures and decisions; with `limit_set_id` held against another limit set, just to see."""
    return answers.full_review(db, session_of(db, session_id), limit_set_id)


@router.post("/sessions/{session_id}/decisions")
def decide(session_id: int, wish: schemas.Decisions, db: Database, who: Who) -> schemas.Review:
    """Take decisions and take others away, as one step."""
    session = deciding.decide(db, session_id, wish.version, _wishes(wish.add), wish.remove, who.id)
    return answers.full_review(db, session)


@router.post("/sessions/{session_id}/preview")
def suppose(session_id: int, wish: schemas.Supposed, db: Database, who: Who) -> schemas.Assessment:
    """What would come out with decisions or limits that are not stored."""
    session = session_of(db, session_id)
    wanted = wished_limits(db, wish.limits)
    found = deciding.supposed(db, session, _wishes(wish.add), wish.remove, wish.limit_set_id, wanted)
    return answers.assessment(found.reviewed)


AlsoLap = Annotated[str, StringConstraints(pattern=r"^(\d{1,9}:)?(\d{1,6}|best)$")]


def _named(lap: str) -> tuple[int | None, int | None]:
    """The session of a lap (None: the one that is looked at) and its number (None: the best)."""
    session, _, number = lap.rpartition(":")
    return int(session) if session else None, None if number == "best" else int(number)


@router.get("/sessions/{session_id}/laps")
def laps(
    session_id: int,
    db: Database,
    who: Who,
    lap: int | None = None,
    reference: int | None = None,
    beside: int | None = None,
    lane: Annotated[list[str] | None, Query(max_length=12)] = None,
    also: Annotated[list[AlsoLap] | None, Query(max_length=12)] = None,
) -> schemas.LapSheet:
    """Two laps side by side, by their numbers: without them the last that counts against the best. With `beside`, another session on
    the course, `reference` is a lap of that; without numbers best against best. Each `lane` is a channel to be shown beside
    speed and pedals, each `also` a further lap: "5" of this session, "77:5" of session 77, "77:best" the best of it."""
    return schemas.LapSheet.model_validate(
        lap_sheets.sheet(db, session_id, lap, reference, beside, lane or (), [_named(each) for each in also or ()])
    )


@router.get("/sessions/{session_id}/laps/others")
def sessions_beside(session_id: int, db: Database, who: Who) -> list[schemas.OtherSession]:
    """The other sessions on the same course, the newest first."""
    return [schemas.OtherSession.model_validate(each) for each in lap_sheets.others(db, session_id)]


@router.get(
    "/sessions/{session_id}/day-sheet",
    response_class=Response,
    responses={200: {"content": {"application/pdf": {}}}},
)
def sheet_of_the_day(session_id: int, db: Database, who: Who) -> Response:
    """Every session of the day on this course, the fastest first, as PDF."""
    name, made = day_sheet.pdf(db, session_id)
    return Response(made, media_type="application/pdf", headers={"Content-Disposition": shown(name)})


def _range(low: float | None, high: float | None) -> tuple[float, float] | None:
    return None if low is None or high is None else (low, high)


@router.get("/sessions/{session_id}/bins")
def bins(
    session_id: int,
    quantity: str,
    over: str,
    and_over: str,
    db: Database,
    who: Who,
    edge: Annotated[list[Finite] | None, Query(max_length=40)] = None,
    and_edge: Annotated[list[Finite] | None, Query(max_length=40)] = None,
    low: Finite | None = None,
    high: Finite | None = None,
    fewest: Annotated[int, Query(ge=1, le=100_000)] = 20,
    laps: str = "counted",
    pick_low: Finite | None = None,
    pick_high: Finite | None = None,
    pick_over_low: Finite | None = None,
    pick_over_high: Finite | None = None,
    around: bool = False,
    fuel: Annotated[str, Query(max_length=20)] = "",
) -> schemas.BinSheet:
    """One quantity over two others, by break points; `laps` is counted, all or the number of a lap. The readings of a range of the
    quantity, and of the one across, are told apart (`picked`). With `around` the break points are middles of cells; with a
    `fuel` (one of `fuels`, or its stoichiometric mass ratio) the mixture is read as mass of air to fuel."""
    asked = {
        "quantity": quantity,
        "over": over,
        "and_over": and_over,
        "edges": tuple(edge or ()),
        "and_edges": tuple(and_edge or ()),
        "target": _range(low, high),
        "fewest": fewest,
        "laps": laps,
        "pick_value": _range(pick_low, pick_high),
        "pick_over": _range(pick_over_low, pick_over_high),
        "around": around,
        "fuel": fuel,
    }
    return schemas.BinSheet.model_validate(lap_sheets.bins(db, session_id, asked))


@router.get("/sessions/{session_id}/comparison")
def compare(
    session_id: int, db: Database, who: Who, before: int, limit_set_id: int | None = None
) -> schemas.Comparison:
    """What changed since another recording of the same person; with a limit set both are held against that one, just to see."""
    return answers.comparison(comparison.compare(db, before, session_id, limit_set_id))


@router.get("/sessions/{session_id}/close-up")
def close_up(session_id: int, db: Database, who: Who, start_s: Seconds, end_s: Seconds) -> schemas.CloseUp:
    """What a kind works out of the signals of a few seconds (at most two minutes), for a close look."""
    return schemas.CloseUp.model_validate(for_screen(looks.look(db, session_id, start_s, end_s)))


@router.get("/fronts")
def front(
    db: Database,
    who: Who,
    sessions: Annotated[list[int], Query(min_length=1, max_length=fronts.MOST)],
    event: Annotated[str, StringConstraints(max_length=80)],
) -> schemas.Front:
    """Where and when each of a crew first met an event, and how its front passed over their places."""
    return schemas.Front.model_validate(fronts.passed(db, sessions, event))


@router.post("/sessions/{session_id}/undo")
def undo(session_id: int, wish: schemas.Version, db: Database, who: Who) -> schemas.Review:
    return answers.full_review(db, deciding.undo(db, session_id, wish.version))


@router.post("/sessions/{session_id}/redo")
def redo(session_id: int, wish: schemas.Version, db: Database, who: Who) -> schemas.Review:
    return answers.full_review(db, deciding.redo(db, session_id, wish.version))


@router.post("/sessions/{session_id}/assess", status_code=202)
def assess(session_id: int, db: Database, who: Who, jobs: Queue) -> schemas.Begun:
    """Compute the figures once more; not those of a signed session."""
    session = session_of(db, session_id)
    if session.signed_at is not None:
        raise ConflictError("This session is signed off: its figures stay as they were signed.", code="signed")
    figures.wait(db, session)
    jobs.start_assess(session_id, again=True)
    return schemas.Begun(session_ids=[session_id])


@router.put("/sessions/{session_id}/conclusion")
def conclude(session_id: int, wish: schemas.ConclusionText, db: Database, who: Who) -> schemas.ConclusionKept:
    """Keep the text; 409 `stale-conclusion` when somebody else has written since."""
    row = conclusions.conclude(db, session_id, wish.text, who.id, wish.version)
    return schemas.ConclusionKept(version=row.version)


@router.post("/sessions/{session_id}/sign")
def sign(session_id: int, wish: schemas.Signing, db: Database, who: Who) -> schemas.Review:
    """Sign just what was looked at; 409 when review or conclusion are not the ones seen any more."""
    assert who.id is not None
    session = conclusions.sign(db, session_id, wish.version, who.id, wish.conclusion_version)
    return answers.full_review(db, session)


@router.post("/sessions/{session_id}/open-again")
def open_again(session_id: int, wish: schemas.Opening, db: Database, who: Who) -> schemas.Review:
    """Open a signed session for changes, with a reason; what was signed stays on record."""
    assert who.id is not None
    return answers.full_review(db, conclusions.open_again(db, session_id, who.id, wish.why))


def _wishes(asked: Sequence[schemas.DecisionWish]) -> list[Wish]:
    return [Wish(**each.model_dump()) for each in asked]
