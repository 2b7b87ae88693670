"""Review: figures, stretches, undo, conclusion, sign-off."""

from __future__ import annotations

from fastapi import APIRouter

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Who
from kumpel.services import limits, review

router = APIRouter(tags=["review"])


@router.get("/limit-sets")
def limit_sets(db: Database, who: Who, kind: str | None = None) -> list[schemas.LimitSet]:
    return [schemas.LimitSet.model_validate(row) for row in limits.all_limit_sets(db, kind)]


@router.get("/sessions/{session_id}/review")
def get_review(session_id: int, db: Database, who: Who, limit_set_id: int | None = None) -> schemas.Review:
    """Figures and decisions; with `limit_set_id` held against another limit set, just to see."""
    return answers.full_review(db, review.session_of(db, session_id), limit_set_id)


@router.post("/sessions/{session_id}/stretches")
def mark(session_id: int, wish: schemas.Mark, db: Database, who: Who) -> schemas.Review:
    """Leave a stretch out with a reason, or mark it as a task."""
    marking = review.Marking(wish.what, wish.start_s, wish.end_s, wish.label)
    return answers.full_review(db, review.mark(db, session_id, wish.version, marking, who.id))


@router.put("/sessions/{session_id}/stretches/{stretch_id}")
def edit_mark(session_id: int, stretch_id: int, wish: schemas.Mark, db: Database, who: Who) -> schemas.Review:
    marking = review.Marking(wish.what, wish.start_s, wish.end_s, wish.label)
    return answers.full_review(db, review.edit_mark(db, session_id, wish.version, stretch_id, marking, who.id))


@router.delete("/sessions/{session_id}/stretches/{stretch_id}")
def unmark(session_id: int, stretch_id: int, version: int, db: Database, who: Who) -> schemas.Review:
    return answers.full_review(db, review.unmark(db, session_id, version, stretch_id, who.id))


@router.put("/sessions/{session_id}/review")
def set_field(session_id: int, wish: schemas.ReviewField, db: Database, who: Who) -> schemas.Review:
    """Limit set, working day, protection, acceptance of a finding."""
    return answers.full_review(db, review.set_field(db, session_id, wish.version, wish.field, wish.value, who.id))


@router.post("/sessions/{session_id}/undo")
def undo(session_id: int, wish: schemas.Version, db: Database, who: Who) -> schemas.Review:
    return answers.full_review(db, review.undo(db, session_id, wish.version))


@router.post("/sessions/{session_id}/redo")
def redo(session_id: int, wish: schemas.Version, db: Database, who: Who) -> schemas.Review:
    return answers.full_review(db, review.redo(db, session_id, wish.version))


@router.put("/sessions/{session_id}/conclusion")
def conclude(session_id: int, wish: schemas.ConclusionText, db: Database, who: Who) -> schemas.ConclusionKept:
    """Keep the text; 409 `stale-conclusion` when somebody else has written since."""
    return schemas.ConclusionKept(version=review.conclude(db, session_id, wish.text, who.id, wish.version).version)


@router.post("/sessions/{session_id}/sign")
def sign(session_id: int, wish: schemas.Signing, db: Database, who: Who) -> schemas.Review:
    """Sign just what was looked at; 409 when review or conclusion are not the ones seen any more."""
    assert who.id is not None
    return answers.full_review(db, review.sign(db, session_id, wish.version, who.id, wish.conclusion_version))


@router.post("/sessions/{session_id}/open-again")
def open_again(session_id: int, db: Database, who: Who) -> schemas.Review:
    return answers.full_review(db, review.open_again(db, session_id))
