"""The board of recorders: in which cell each is, what one press does, and the life of one."""

from __future__ import annotations

from datetime import timedelta
from typing import Annotated

from fastapi import APIRouter, Query, Request

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Queue, Who
from kumpel.services.register import board
from kumpel.store.database import engine
from kumpel.store.tables import now

router = APIRouter(tags=["recorders"])


@router.get("/recorders/board")
def recorders_board(db: Database, who: Who) -> list[schemas.OnBoard]:
    """Every recorder in its cell: can go out, one press, needs a hand, out, away."""
    return [schemas.OnBoard.model_validate(each) for each in board.board(db)]


@router.post("/recorders/set-right")
def set_right(
    wish: schemas.RecordersChosen, request: Request, db: Database, who: Who, jobs: Queue
) -> list[schemas.Righted]:
    """Take in what is new on each, or set its clock; what needs a hand is named and left alone, and nothing is cleared."""
    store = engine(request.app.state.config.database_url)
    found = board.set_right(db, store, wish.recorders, jobs.start_take_in, who.id)
    return [schemas.Righted.model_validate(each) for each in found]


@router.get("/recorders/{recorder_id}/life")
def recorder_life(
    recorder_id: int, db: Database, who: Who, days: Annotated[int, Query(ge=1, le=4000)] = 183
) -> schemas.RecorderLife:
    """Who had it, what came from it, its checks and its clock."""
    return schemas.RecorderLife.model_validate(board.life(db, recorder_id, now() - timedelta(days=days)))
