"""Recorders with a radio network of their own: visiting them, giving them the house's."""

from __future__ import annotations

from fastapi import APIRouter, Request
from sqlmodel import Session as Db

from kumpel.api import schemas
from kumpel.api.dependencies import Database, Queue, Who
from kumpel.services.ground import settings
from kumpel.services.ground.problems import PasscodeNeededError, ProblemError
from kumpel.services.radio import house, visits
from kumpel.services.recorders.recorders import recorder_of
from kumpel.store import tables
from kumpel.store.database import engine

router = APIRouter(tags=["radio"])


def _visit(db: Db, row: tables.RadioVisit) -> schemas.RadioVisit:
    told = schemas.RadioVisit.model_validate(row)
    token = recorder_of(db, row.recorder_id).token if row.recorder_id else ""
    return told.model_copy(update={"token": token})


def _network(each: visits.Network) -> schemas.HeardNetwork:
    return schemas.HeardNetwork(
        name=each.name,
        signal=each.signal,
        locked=each.locked,
        joined=each.joined,
        serial=each.serial,
        token=each.recorder.token if each.recorder else "",
        recorder_id=each.recorder.id if each.recorder else None,
    )


@router.get("/radio")
def radio(db: Database, who: Who) -> schemas.Radio:
    """Where this machine's radio is, the networks that it hears, a visit that is under way, the recorders that join networks."""
    visit = visits.newest(db)
    told = _visit(db, visit) if visit else None
    recorders = [schemas.RadioRecorder.model_validate(row) for row in house.that_can(db)]
    looked_in = settings.value_in(settings.chosen(db), settings.NETWORKS)
    db.commit()  # the radio takes its time
    try:
        standing, heard = visits.heard()
    except ProblemError as problem:
        return schemas.Radio(why=problem.detail, network="", networks=[], away=[], visit=told, recorders=recorders)
    return schemas.Radio(
        why="",
        network=standing.network,
        networks=[_network(each) for each in visits.with_recorders(db, heard)],
        away=[row.token for row in visits.away_with(db, standing, looked_in)],
        visit=told,
        recorders=recorders,
    )


@router.post("/radio/visits", status_code=201)
def visit_recorder(
    wish: schemas.VisitWish, request: Request, db: Database, jobs: Queue, who: Who
) -> schemas.RadioVisit:
    """Join the network that a recorder opens, take in what is new there, and come back. The key is kept nowhere."""
    visit = visits.begin(db, wish.network, wish.key)
    store = engine(request.app.state.config.database_url)
    visits.begin_in_background(store, visit.id or 0, wish.key, jobs.start_take_in)
    return _visit(db, visit)


@router.post("/radio/visits/{visit_id}/stay")
def stay_there(visit_id: int, db: Database, who: Who) -> schemas.RadioVisit:
    """Ten minutes from now, also when everything is taken in."""
    return _visit(db, visits.stay(db, visit_id))


@router.post("/radio/visits/{visit_id}/end")
def end_visit(visit_id: int, db: Database, who: Who) -> schemas.RadioVisit:
    """Come back now: what is not read yet is read on the next visit."""
    return _visit(db, visits.end(db, visit_id))


@router.post("/radio/house")
def give_network(wish: schemas.HouseNetwork, db: Database, who: Who) -> schemas.NetworksGiven:
    """Have recorders join the house's network. Its key goes onto them, and nowhere else."""
    given = []
    for recorder_id in dict.fromkeys(wish.recorders):
        token = recorder_of(db, recorder_id).token
        why, joined, locked = "", False, False
        try:
            joined = house.give(db, recorder_id, wish.name, wish.key, wish.passcode).joined
        except ProblemError as problem:
            db.rollback()
            why, locked = problem.detail, isinstance(problem, PasscodeNeededError)
        given.append(schemas.NetworkGiven(recorder_id=recorder_id, token=token, joined=joined, why=why, locked=locked))
    return schemas.NetworksGiven(given=given)
