"""The register of people, the counts on the line, finding anything."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query

from kumpel.api import answers, schemas
from kumpel.api.dependencies import Database, Who
from kumpel.services.ground import people
from kumpel.services.ground.recordings import session_of
from kumpel.services.register import line, medicines
from kumpel.services.review import interventions
from kumpel.services.review.spread import spread
from kumpel.services.review.years import years_of
from kumpel.store.tables import Team

router = APIRouter(tags=["people"])
Limit = Annotated[int, Query(ge=1, le=500)]
Offset = Annotated[int, Query(ge=0)]


@router.get("/line")
def waiting(db: Database, who: Who) -> schemas.Waiting:
    """How many things wait at each station."""
    return schemas.Waiting.model_validate(line.waiting(db))


@router.get("/find")
def find(db: Database, who: Who, words: Annotated[str, Query(max_length=100)] = "") -> list[schemas.Hit]:
    """People, recorders, sessions and certificates by a few letters."""
    return [schemas.Hit.model_validate(hit) for hit in line.find(db, words)]


@router.get("/people")
def list_people(
    db: Database, who: Who, search: str = "", limit: Limit = 100, offset: Offset = 0, which: people.Which = ""
) -> schemas.PersonList:
    """People and places where recorders stand, or `which` of them."""
    rows, total = people.list_people(db, search, limit, offset, which)
    return schemas.PersonList(people=[answers.person(row) for row in rows], total=total)


@router.get("/teams")
def teams(db: Database, who: Who) -> list[schemas.TeamName]:
    """The names of all teams."""
    return [schemas.TeamName(name=name) for name in people.teams(db)]


@router.post("/people", status_code=201)
def create_person(wish: schemas.NewPerson, db: Database, who: Who) -> schemas.Person:
    made = people.create_person(db, **wish.model_dump(exclude_none=True))
    return _person(db, made.id or 0)


@router.get("/people/{person_id}")
def get_person(person_id: int, db: Database, who: Who) -> schemas.Person:
    return _person(db, person_id)


@router.get("/people/{person_id}/spread")
def channel_spread(
    person_id: int,
    db: Database,
    who: Who,
    channel: Annotated[str, Query(max_length=60)],
    last: Annotated[int, Query(ge=1, le=20)] = 6,
) -> schemas.Spread:
    """How long a channel stood at each whole value over the last sessions of a person."""
    return schemas.Spread.model_validate(spread(db, person_id, channel, last))


@router.get("/people/{person_id}/years")
def years(
    person_id: int,
    db: Database,
    who: Who,
    figure: Annotated[list[Annotated[str, Query(max_length=120)]], Query(max_length=20, default_factory=list)],
) -> schemas.Years:
    """A lane for each kind that somebody has sessions of; `figure` names another than the foremost, as "kind:figure"."""
    wanted = dict(each.split(":", 1) for each in figure if ":" in each)
    return schemas.Years.model_validate(years_of(db, person_id, wanted))


@router.post("/interventions", status_code=201)
def note_intervention(wish: schemas.NewIntervention, db: Database, who: Who) -> schemas.Noted:
    """Something that was changed on a day, for one of a person, a team or a place."""
    found = interventions.Wish(wish.day, wish.words, wish.person_id, wish.team, wish.place)
    return schemas.Noted(id=interventions.note(db, found, who.id).id or 0)


@router.delete("/interventions/{intervention_id}", status_code=204)
def remove_intervention(intervention_id: int, db: Database, who: Who) -> None:
    """Take back what was noted by mistake."""
    interventions.remove(db, intervention_id, who.id)


@router.post("/interventions/{intervention_id}/restore", status_code=204)
def restore_intervention(intervention_id: int, db: Database, who: Who) -> None:
    interventions.bring_back(db, intervention_id, who.id)


@router.patch("/people/{person_id}")
def change_person(person_id: int, wish: schemas.PersonChange, db: Database, who: Who) -> schemas.Person:
    people.change_person(db, person_id, wish.model_dump(exclude_unset=True))
    return _person(db, person_id)


@router.put("/people/{person_id}/code")
def put_code(person_id: int, wish: schemas.Coded, db: Database, who: Who) -> schemas.Person:
    """A made-up code in place of the name wherever it stands, or the name again."""
    people.put_code(db, person_id, wish.coded)
    return _person(db, person_id)


@router.get("/people/{person_id}/medicines")
def list_medicines(person_id: int, db: Database, who: Who) -> list[schemas.Medicine]:
    """What is noted of somebody: what is taken first, then what was."""
    return [schemas.Medicine.model_validate(row) for row in medicines.of_person(db, person_id)]


@router.post("/people/{person_id}/medicines", status_code=201)
def note_medicine(person_id: int, wish: schemas.NewMedicine, db: Database, who: Who) -> schemas.Medicine:
    taken = medicines.Taken(wish.name, wish.dose, tuple(wish.times), wish.since)
    return schemas.Medicine.model_validate(medicines.add(db, person_id, taken, who.id))


@router.post("/medicines/{medicine_id}/dose")
def change_dose(medicine_id: int, wish: schemas.NewDose, db: Database, who: Who) -> schemas.Medicine:
    """Another dose from a day on; what was taken before stays on record."""
    return schemas.Medicine.model_validate(medicines.change(db, medicine_id, wish.dose, wish.times, wish.since, who.id))


@router.put("/medicines/{medicine_id}/end")
def end_medicine(medicine_id: int, wish: schemas.MedicineEnd, db: Database, who: Who) -> schemas.Medicine:
    """The day from which it is not taken any more; null: it still is."""
    return schemas.Medicine.model_validate(medicines.end(db, medicine_id, wish.until))


@router.delete("/medicines/{medicine_id}", status_code=204)
def remove_medicine(medicine_id: int, db: Database, who: Who) -> None:
    """Take back what was noted by mistake."""
    medicines.remove(db, medicine_id)


@router.get("/sessions/{session_id}/medicines")
def taken_during(session_id: int, db: Database, who: Who) -> list[schemas.Medicine]:
    """What the person took on the days of a recording."""
    return [schemas.Medicine.model_validate(row) for row in medicines.during(db, session_of(db, session_id))]


@router.delete("/people/{person_id}", status_code=204)
def delete_person(person_id: int, db: Database, who: Who) -> None:
    people.delete_person(db, person_id)


def _person(db: Database, person_id: int) -> schemas.Person:
    found = people.person_of(db, person_id)
    team = db.get(Team, found.team_id) if found.team_id else None
    return answers.person(people.PersonRow(found, team.name if team else "", 0, None, False))
