"""Hand out: recorders, drafts of settings, slips."""

from __future__ import annotations

import base64
import uuid

from fastapi import APIRouter
from fastapi.responses import Response

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Queue, Who
from kumpel.api.downloads import shown
from kumpel.api.people import Limit, Offset
from kumpel.kinds.registry import kind_of
from kumpel.services.hand_out import drafts, hand_out, kept_setups
from kumpel.services.hand_out import leaflet as leaflets
from kumpel.services.recorders import clock, displays, networks, recorders
from kumpel.services.register import recorder_list
from kumpel.store.tables import HandOver, Person, Recorder

router = APIRouter(tags=["hand out"])


@router.get("/recorders")
def list_recorders(db: Database, who: Who) -> list[schemas.Recorder]:
    return answers.recorders(db, recorders.all_recorders(db))


@router.get("/recorders/register")
def register(
    db: Database,
    who: Who,
    search: str = "",
    where: recorder_list.Where = "all",
    kind: str = "",
    sort: recorder_list.Sort = "token",
    falling: bool = False,
    limit: Limit = 100,
    offset: Offset = 0,
) -> schemas.RecorderList:
    """Recorders that were ever seen, filtered and sorted, page by page; `total` counts all that match."""
    wanted = recorder_list.Wanted(search, where, kind, sort, falling)
    rows, total = recorder_list.list_recorders(db, wanted, limit, offset)
    return schemas.RecorderList(recorders=answers.recorders(db, rows), total=total)


@router.post("/recorders", status_code=201)
def add(wish: schemas.NewRecorder, db: Database, who: Who) -> schemas.Recorder:
    """Ask the recorder at an address, and look there from now on."""
    return answers.recorder(db, recorders.add_at(db, wish.address, who.id))


@router.get("/networks")
def looked_in(db: Database, who: Who) -> list[schemas.LookedIn]:
    """Where recorders are looked for, what was seen there, and which equipment is missing."""
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
    start = drafts.Start(wish.settings, wish.library, wish.kept, wish.fit, wish.recorder)
    made = drafts.draft(db, recorder_id, wish.person_id, start)
    return schemas.SetupDraft.model_validate(made)


@router.post("/recorders/{recorder_id}/write")
def write_only(recorder_id: int, wish: schemas.WriteOnly, db: Database, who: Who) -> schemas.Recorder:
    """Write settings, read them back, hand nothing out."""
    row = hand_out.write_only(
        db,
        recorder_id,
        wish.settings,
        wish.revision,
        wish.set_clock,
        wish.passcode,
        _picture(wish.picture),
        _courses(wish.courses),
    )
    return answers.recorder(db, row)


@router.get("/recorders/{recorder_id}/display")
def display(recorder_id: int, db: Database, who: Who) -> schemas.Display:
    """What the recorder's display can show."""
    return schemas.Display.model_validate(displays.display_of(db, recorder_id))


@router.post("/recorders/{recorder_id}/draw")
def draw(recorder_id: int, wish: schemas.DisplayPage, db: Database, who: Who) -> schemas.Drawn:
    """A page as the recorder itself draws it; nothing is stored on it."""
    return schemas.Drawn.model_validate(displays.draw(db, recorder_id, wish.fields))


@router.get("/recorders/{recorder_id}/picture")
def start_picture(recorder_id: int, db: Database, who: Who) -> schemas.Drawn:
    """The picture that the recorder shows at switching on."""
    return schemas.Drawn.model_validate(displays.picture_of(db, recorder_id))


@router.get("/people/{person_id}/hand-overs")
def hand_overs_of(person_id: int, db: Database, who: Who) -> list[schemas.HandOver]:
    """What somebody has and had."""
    return [answers.slip(*each) for each in hand_out.of_person(db, person_id)]


@router.get("/hand-overs")
def out_now(db: Database, who: Who) -> list[schemas.HandOver]:
    """Who has what now."""
    return [answers.slip(*each) for each in hand_out.out_now(db)]


@router.post("/recorders/{recorder_id}/picture/maker")
def maker_picture(recorder_id: int, wish: schemas.Passcode, db: Database, who: Who) -> schemas.Drawn:
    """Show the picture again that the recorder came with."""
    return schemas.Drawn.model_validate(displays.maker_picture(db, recorder_id, wish.passcode))


@router.post("/recorders/{recorder_id}/clock")
def set_clock(recorder_id: int, wish: schemas.Passcode, db: Database, who: Who) -> schemas.Recorder:
    """Set the clock of a recorder without handing it out, once its sessions are taken in."""
    return answers.recorder(db, clock.set_clock(db, recorder_id, wish.passcode))


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
            tuple(wish.personal),
            picture=_picture(wish.picture),
            courses=_courses(wish.courses),
        ),
        who.id,
    )
    return _slip(db, given)


@router.post("/hand-overs/{hand_over_id}/finish")
def finish(hand_over_id: uuid.UUID, wish: schemas.Passcode, db: Database, who: Who) -> schemas.HandOver:
    """Put a hand-over on record that was cut off after everything had reached the recorder."""
    return _slip(db, hand_out.finish(db, hand_over_id, wish.passcode))


@router.post("/hand-overs/{hand_over_id}/forget", status_code=204)
def forget(hand_over_id: uuid.UUID, db: Database, who: Who) -> None:
    """A hand-over that was cut off is not wanted any more."""
    hand_out.forget(db, hand_over_id)


@router.post("/hand-overs/{hand_over_id}/swap", status_code=201)
def swap(hand_over_id: uuid.UUID, wish: schemas.Swap, db: Database, who: Who) -> schemas.HandOver:
    """Give somebody another recorder of the same kind in the middle, with the same settings."""
    given = hand_out.swap(db, hand_over_id, wish.recorder_id, wish.why, who.id, wish.passcode, wish.despite)
    return _slip(db, given)


@router.post("/setups", status_code=201)
def keep_setup(wish: schemas.NewKeptSetup, db: Database, who: Who) -> schemas.KeptSetup:
    """Keep settings under a name, for a team or for everybody; nothing about a person is kept in them."""
    kind = kind_of(wish.kind)
    settings = drafts.checked(kind, wish.settings).model_dump(mode="json")
    return schemas.KeptSetup.model_validate(kept_setups.keep(db, kind, wish.name, wish.team, settings, who.id))


@router.delete("/setups/{setup_id}", status_code=204)
def remove_setup(setup_id: int, db: Database, who: Who) -> None:
    kept_setups.remove(db, setup_id)


@router.post("/setups/{setup_id}/bring-back", status_code=204)
def bring_setup_back(setup_id: int, db: Database, who: Who) -> None:
    kept_setups.bring_back(db, setup_id)


@router.post("/recorders/{recorder_id}/leaflet")
def leaflet_beforehand(recorder_id: int, wish: schemas.LeafletWish, db: Database, who: Who) -> schemas.LeafletPages:
    """The leaflet as it would be with these settings: its page as a picture, and as PDF for printing."""
    made = leaflets.beforehand(db, recorder_id, wish.person_id, wish.settings, wish.tags)
    page, pdf = (base64.b64encode(data).decode() for data in (made.png, made.pdf))
    return schemas.LeafletPages(
        name=made.name, page=f"data:image/png;base64,{page}", pdf=f"data:application/pdf;base64,{pdf}"
    )


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


def _courses(wish: list[str] | None) -> tuple[str, ...] | None:
    return None if wish is None else tuple(wish)


def _picture(wish: schemas.Drawn | None) -> displays.Drawn | None:
    return None if wish is None else displays.Drawn(**wish.model_dump())


def _slip(db: Database, given: HandOver) -> schemas.HandOver:
    return answers.slip(given, db.get_one(Recorder, given.recorder_id), db.get_one(Person, given.person_id))
