"""From a stored recording to its results: computed, kept with everything they came from, read by every list and page."""

from __future__ import annotations

import logging
import math
from collections.abc import Collection, Iterable
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import Engine, and_, or_
from sqlalchemy.dialects.postgresql import insert
from sqlmodel import Session as Db
from sqlmodel import col, delete, func, select, update

from kumpel.core.assessment import Assessment, BothWays, LimitSet
from kumpel.core.review import Review
from kumpel.core.rounding import shown
from kumpel.kinds.kind import PLACE, Kind
from kumpel.kinds.limit_sets import limit_set_data, limit_set_from
from kumpel.kinds.registry import KINDS, kind_of
from kumpel.services.ground import decisions, doubts
from kumpel.services.ground.as_json import for_store, from_store
from kumpel.services.ground.carriers import carriers
from kumpel.services.ground.limits import limits_of
from kumpel.services.ground.recordings import recording_of
from kumpel.services.ground.tags import tags_of
from kumpel.services.ground.wall import wall_day
from kumpel.store import locks
from kumpel.store.database import tell
from kumpel.store.tables import Decision, FigureValue, LimitSetRow, Result, Session, Tag, metadata

log = logging.getLogger("kumpel.figures")
RECORDED, REVIEWED = "as recorded", "as reviewed"
WAITING, ASSESSED, FAILED = "waiting", "assessed", "failed"


@dataclass(frozen=True)
class Outcome:
    """The results of a session, both ways, with what they came from."""

    recorded_id: int | None
    reviewed_id: int | None
    method: str
    limit_set_id: int
    limits: LimitSet
    review: Review
    both: BothWays


def method_of(kind: Kind) -> str:
    """The name and version of the computation: "noise 1"."""
    return f"{kind.key} {kind.method}"


def compute(
    db: Db,
    session: Session,
    rows: list[Decision | decisions.Wish],
    limit_set_id: int | None = None,
    wished: LimitSet | None = None,
) -> tuple[LimitSetRow, LimitSet, Review, BothWays]:
    """The assessment under decisions, and under their limit set (else that of the vehicle, else the kind's), another one or one that
    is only wished; nothing is kept.

    Raises ValueError with a sentence when the recording cannot be assessed.
    """
    chosen = limit_set_id or decisions.setting(rows, decisions.LIMIT_SET) or carriers().limit_set_id(db, session)
    row, limits = limits_of(db, session.kind, chosen, wall_day(session), session.head.get("setup", {}))
    limits = wished or limits
    doubted, checked = doubts.of_session(db, session), doubts.checks_beside(db, session)
    review = replace(decisions.review_of(rows), doubts=doubted, checks=checked)
    return row, limits, review, kind_of(session.kind).assess(recording_of(db, session), review, limits)


def assess(db: Db, session: Session) -> BothWays:
    """Compute and keep: results both ways, their figures as numbers, and what registers show. The caller commits."""
    assert session.id is not None
    rows: list[Decision | decisions.Wish] = [*decisions.of_session(db, session.id)]
    limits_row, limits, review, both = compute(db, session, rows)
    method = method_of(kind_of(session.kind))
    shared = {"method": method, "limit_set_id": limits_row.id, "limits": limit_set_data(limits)}
    _keep(db, session.id, both.recorded, shared | {"decisions": for_store(review.as_recorded())})
    if _keep(db, session.id, both.reviewed, shared | {"decisions": for_store(review)}):
        _keep_values(db, session.id, session.kind, both.reviewed, method)
    _show(session, both.reviewed)
    _find_course(db, session, review)
    session.figures, session.failure = ASSESSED, ""
    db.add(session)
    db.flush()
    return both


def refresh(db: Db, session: Session) -> None:
    """Assess anew after something else than a decision has changed; what stops it is said on the session."""
    try:
        assess(db, session)
    except ValueError as error:
        _say_failed(session, error)
        db.add(session)


def _keep(db: Db, session_id: int, found: Assessment, origin: dict[str, Any]) -> bool:
    """Append a result, but when the newest says the very same already. Whether it was appended."""
    content = for_store(found)
    last = _newest(db, session_id, found.basis)
    if last is not None and last.content == content and all(getattr(last, k) == v for k, v in origin.items()):
        return False
    db.add(Result(session_id=session_id, basis=found.basis, verdict=found.verdict.value, content=content, **origin))
    return True


def _keep_values(db: Db, session_id: int, kind: str, found: Assessment, method: str) -> None:
    """The figures of a result as numbers, in place of those of the result before it."""
    db.exec(delete(FigureValue).where(col(FigureValue.session_id) == session_id))
    verdicts = {j.figure: j.verdict.value for j in found.judgements}
    values = [
        {
            "session_id": session_id,
            "key": f.key,
            "value": f.stated if math.isfinite(f.value) else None,
            "unit": f.unit,
            "coverage": f.coverage,
            "projected": f.is_projected,
            "verdict": verdicts.get(f.key, ""),
            "method": method,
            "kind": kind,
        }
        for f in found.figures
    ]
    if values:
        db.connection().execute(insert(metadata.tables["figure_value"]), values)


def _show(session: Session, reviewed: Assessment) -> None:
    """What registers show of a session."""
    session.verdict, session.verdict_step = reviewed.verdict.value, reviewed.step[:80]
    session.key_figure = ""
    brief = kind_of(session.kind).brief
    if brief is not None:
        session.key_figure = brief(reviewed)[:80]
    elif reviewed.key_figures:
        lead = reviewed.figure(reviewed.key_figures[0])
        name = lead.name.split(",")[0] if lead.key.startswith("limit.") else lead.name
        words = f"{name} {shown(lead.value, lead.decimals)} {lead.unit}" if math.isfinite(lead.value) else lead.note
        session.key_figure = f"{words.strip()}{', projected' if lead.is_projected else ''}"[:80]


def _find_course(db: Db, session: Session, review: Review) -> None:
    """The course that it was driven on; as its place, where nobody said another."""
    course_of = kind_of(session.kind).course
    if course_of is None or session.id is None:
        return
    session.course = course_of(recording_of(db, session), review)[:80]
    if session.course and PLACE.key not in tags_of(db, [session.id]).get(session.id, {}):
        db.add(Tag(session_id=session.id, key=PLACE.key, value=session.course))


def _newest(db: Db, session_id: int, basis: str) -> Result | None:
    mine = select(Result).where(Result.session_id == session_id, Result.basis == basis)
    return db.exec(mine.order_by(col(Result.id).desc()).limit(1)).first()


def outcome(db: Db, session_id: int) -> Outcome | None:
    """The newest results of a session; None while it has none."""
    recorded, reviewed = (_newest(db, session_id, basis) for basis in (RECORDED, REVIEWED))
    return outcome_of(recorded, reviewed)


def outcome_of(recorded: Result | None, reviewed: Result | None) -> Outcome | None:
    if recorded is None or reviewed is None:
        return None
    return Outcome(
        recorded.id,
        reviewed.id,
        reviewed.method,
        reviewed.limit_set_id,
        limit_set_from(reviewed.limits),
        from_store(Review, reviewed.decisions),
        BothWays(from_store(Assessment, recorded.content), from_store(Assessment, reviewed.content)),
    )


# ---------------------------------------------------------------- as a job


def run(store: Engine, session_id: int, *, again: bool = False) -> bool:
    """Assess a stored session that waits for it (or, when asked for, once more). True when it has figures afterwards.

    What stops it is kept as a sentence on the session; it is not tried again by itself. Only one process works on a session.
    """
    with store.connect() as connection, Db(connection) as db, locks.locked(db, locks.FIGURES, session_id) as mine:
        return mine and _run(db, session_id, again)


def _run(db: Db, session_id: int, again: bool) -> bool:
    session = db.exec(select(Session).where(Session.id == session_id).with_for_update()).first()
    if session is None or session.state != "stored" or session.signed_at is not None or session.aside:
        return False
    if session.figures != WAITING and not again:
        return session.figures == ASSESSED
    if session.begun >= MOST_BEGUN:
        _say_failed(session, ProcessEndedError())
        session.begun = 0
        db.add(session)
        tell(db, "sessions", session=session_id)
        db.commit()
        return False
    # A database that went away meanwhile ended no process.
    session.begun += 0 if session_id in broken_off else 1
    broken_off.discard(session_id)
    db.add(session)
    db.commit()  # on record before anything can end this process
    under_way.add(session_id)
    try:
        return _assessed(db, session_id)
    finally:
        under_way.discard(session_id)


def give_up(store: Engine, session_id: int) -> None:
    """Say that its figures ended their process as often as they may."""
    with Db(store) as db:
        _failed(db, session_id, ProcessEndedError())


def _assessed(db: Db, session_id: int) -> bool:
    session = db.exec(select(Session).where(Session.id == session_id).with_for_update()).one()
    if session.signed_at is not None:
        return False  # signed meanwhile
    session.begun = 0
    try:
        assess(db, session)
    except Exception as error:
        if is_about_the_database(error):
            broken_off.add(session_id)
            raise
        log.warning("session %s has no figures: %s", session_id, type(error).__name__)
        db.rollback()
        _failed(db, session_id, error)
        return False
    tell(db, "sessions", session=session_id)
    db.commit()
    return True


MOST_BEGUN = 2
"""An assessment that ended the process twice is not begun a third time: it would end every start."""
under_way: set[int] = set()
broken_off: set[int] = set()
"""Sessions whose figures this process computes just now, and those that the database left it with half done."""


class ProcessEndedError(ValueError):
    def __init__(self) -> None:
        super().__init__(
            "the server ended twice while its figures were computed (out of memory?); the recording is safe. Compute them again when that is mended"
        )


def let_go(db: Db) -> None:
    """The server is stopped on purpose: what is under way here was no accident."""
    uncount(db, under_way)


def uncount(db: Db, sessions: Collection[int]) -> None:
    """Take back that work on these was begun."""
    if sessions:
        mine = col(Session.id).in_(list(sessions))
        db.exec(update(Session).where(mine, col(Session.begun) > 0).values(begun=col(Session.begun) - 1))
        db.commit()


def is_about_the_database(error: Exception) -> bool:
    return type(error).__module__.split(".")[0] in ("sqlalchemy", "psycopg")


def _failed(db: Db, session_id: int, error: Exception) -> None:
    session = db.get_one(Session, session_id)
    session.begun = 0
    _say_failed(session, error)
    db.add(session)
    tell(db, "sessions", session=session_id)
    db.commit()


def _say_failed(session: Session, error: Exception) -> None:
    if isinstance(error, MemoryError):
        why = "its figures need more memory than one session may have; the recording is safe"
    elif isinstance(error, ValueError):
        why = str(error)
    else:
        why = f"the computation failed ({type(error).__name__}); the recording is safe"
    session.figures, session.failure = FAILED, why[:400]
    session.verdict, session.verdict_step, session.key_figure = "not assessable", "", ""


def waiting_count(db: Db) -> int:
    """How many sessions still wait for their figures."""
    found = select(func.count()).select_from(Session)
    where = (Session.state == "stored", Session.figures == WAITING, Session.aside == "")
    return db.exec(found.where(*where, col(Session.signed_at).is_(None))).one()


def wait(db: Db, session: Session) -> None:
    """Put a session back among those that wait for their figures."""
    session.figures, session.failure, session.begun = WAITING, "", 0
    db.add(session)
    tell(db, "sessions", session=session.id)
    db.commit()


def waiting(db: Db, most: int) -> list[int]:
    """Stored sessions that still wait for their figures, the oldest first."""
    found = select(Session.id).where(
        Session.state == "stored", Session.figures == WAITING, col(Session.signed_at).is_(None), Session.aside == ""
    )
    return [i for i in db.exec(found.order_by(col(Session.id)).limit(most)).all() if i is not None]


def wait_for_new_methods(db: Db) -> int:
    """Put every unsigned session whose figures come from an older version of its kind's computation in line; how many.

    Signed ones keep theirs, and show that a newer one would differ.
    """
    found = outdated(db, KINDS)
    for first in range(0, len(found), 1000):
        some = col(Session.id).in_(found[first : first + 1000])
        db.exec(update(Session).where(some, col(Session.signed_at).is_(None)).values(figures=WAITING))
    db.commit()
    return len(found)


def outdated(db: Db, kinds: Iterable[str]) -> list[int]:
    """Unsigned sessions of these kinds whose newest figures come from another version of their computation."""
    stale = (
        select(FigureValue.session_id)
        .join(Session, col(Session.id) == FigureValue.session_id)
        .where(
            or_(
                *(and_(col(Session.kind) == kind, col(FigureValue.method) != method_of(KINDS[kind])) for kind in kinds)
            ),
            col(Session.signed_at).is_(None),
        )
        .distinct()
    )
    return list(db.exec(stale).all())
