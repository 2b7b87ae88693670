"""Looking on the spot."""

from __future__ import annotations

from fastapi import APIRouter

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Who
from kumpel.kinds.registry import kind_of
from kumpel.services.recorders import spot_notes
from kumpel.services.recorders.recorders import recorder_of

router = APIRouter(tags=["sensors"])


@router.get("/recorders/{recorder_id}/look")
def look(recorder_id: int, db: Database, who: Who) -> schemas.SpotLook:
    """What a recorder shows of the moment; the values themselves come by its stream of live values."""
    recorder = recorder_of(db, recorder_id)
    of = kind_of(recorder.kind).live
    factor = recorder.setup.get("factor")
    return schemas.SpotLook(
        token=recorder.token,
        name=recorder.name,
        kind=recorder.kind,
        figures=[schemas.SpotFigure.model_validate(each) for each in (of(recorder.setup) if of else ())],
        factor=float(factor) if isinstance(factor, int | float) and factor > 0 else 1.0,
        stores_nothing=recorder.status.get("mode") != "recording",
        notes=[schemas.SpotNote.model_validate(each) for each in spot_notes.of_recorder(db, recorder_id)],
    )


@router.post("/recorders/{recorder_id}/look/notes", status_code=201)
def keep_note(recorder_id: int, wish: schemas.NewSpotNote, db: Database, who: Who) -> schemas.SpotLook:
    spot_notes.keep(db, recorder_of(db, recorder_id), spot_notes.Wish(**wish.model_dump()))
    return look(recorder_id, db, who)
