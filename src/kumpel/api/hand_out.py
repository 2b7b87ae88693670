"""Hand out: recorders, drafts of settings, slips."""

from __future__ import annotations

import uuid

from fastapi import APIRouter
from fastapi.responses import Response

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Queue, Who
from kumpel.api.downloads import shown
from kumpel.services import hand_out, networks, recorders
from kumpel.services import leaflet as leaflets
from kumpel.store.tables import HandOver, Person, Recorder

router = APIRouter(tags=["hand out"])


@router.get("/recorders")
def list_recorders(db: Database, who: Who) -> list[schemas.Recorder]:
    return answers.recorders(db, recorders.all_recorders(db))


@router.post("/recorders", status_code=201)
def add(wish: schemas.NewRecorder, db: Database, who: Who) -> schemas.Recorder:
    """Ask the recorder at an address, and look there from now on."""
    return answers.recorder(db, recorders.add_at(db, wish.address, who.id))


@router.get("/networks")
def looked_in(db: Database, who: Who) -> list[schemas.LookedIn]:
    """The networks in which recorders are looked for, and what was seen there."""
    return [schemas.LookedIn.model_validate(each) for each in networks.looked_in(db)]


@router.post("/recorders/{recorder_id}/look-again")
def look_again(recorder_id: int, db: Database, who: Who, jobs: Queue) -> schemas.Recorder:
    """Ask the recorder again; goes on with what was cut."""
    row = recorders.look_again(db, recorder_id)
    if row.in_reach:
        jobs.go_on(db, row.serial)
    return answers.recorder(db, row)


@router.post("/recorders/{recorder_id}/stop")
def stop(recorder_id: int, wish: schemas.Passcode, db: Database, who: Who) -> schemas.Recorder:
    """Stop a running recording, so that it can be taken in."""
    return answers.recorder(db, recorders.stop_recording(db, recorder_id, wish.passcode))


@router.post("/recorders/{recorder_id}/draft")
def draft(recorder_id: int, wish: schemas.DraftWish, db: Database, who: Who) -> schemas.SetupDraft:
    """Settings to start from, compared field by field with what is on the recorder."""
    made = hand_out.draft(db, recorder_id, wish.person_id, wish.library, wish.settings)
    return schemas.SetupDraft.model_validate(made)


@router.post("/recorders/{recorder_id}/write")
def write_only(recorder_id: int, wish: schemas.WriteOnly, db: Database, who: Who) -> schemas.Recorder:
    """Write settings, read them back, hand nothing out."""
    row = hand_out.write_only(db, recorder_id, wish.settings, wish.revision, wish.set_clock, wish.passcode)
    return answers.recorder(db, row)


@router.get("/hand-overs")
def out_now(db: Database, who: Who) -> list[schemas.HandOver]:
    """Who has what now."""
    return [answers.slip(*each) for each in hand_out.out_now(db)]


@router.post("/hand-overs", status_code=201)
def give(wish: schemas.NewHandOver, db: Database, who: Who) -> schemas.HandOver:
    """Write the settings, read them back and hand the recorder out."""
    given = hand_out.hand_out(
        db,
        hand_out.Slip(
            wish.recorder_id,
            wish.person_id,
            wish.settings,
            wish.revision,
            wish.set_clock,
            wish.expected_at,
            wish.tags,
            wish.passcode,
            wish.despite,
        ),
        who.id,
    )
    return _slip(db, given)


@router.get(
    "/hand-overs/{hand_over_id}/leaflet", response_class=Response, responses={200: {"content": {"application/pdf": {}}}}
)
def leaflet(hand_over_id: uuid.UUID, db: Database, who: Who, named: bool = True) -> Response:
    """The leaflet for the wearer as PDF (A5); without `named` the number stands for the name."""
    name, made = leaflets.leaflet(db, hand_over_id, named)
    return Response(made, media_type="application/pdf", headers={"Content-Disposition": shown(name)})


@router.post("/hand-overs/{hand_over_id}/return")
def take_back(hand_over_id: uuid.UUID, db: Database, who: Who) -> schemas.HandOver:
    return _slip(db, hand_out.take_back(db, hand_over_id))


def _slip(db: Database, given: HandOver) -> schemas.HandOver:
    return answers.slip(given, db.get_one(Recorder, given.recorder_id), db.get_one(Person, given.person_id))
