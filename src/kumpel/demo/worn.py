"""Who of Tarnfels is out just now with a recorder that is heard: the late crew at the face, two in the crusher hall."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.demo.ensemble import Ensemble
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import settings
from kumpel.store.tables import Account, HandOver, Person, Recorder, Setup

FACE, HALL = {"place": "level 4 face"}, {"place": "crusher hall"}
SINCE = timedelta(minutes=100)


@dataclass(frozen=True)
class Out:
    """A recorder, who wears it, what its sensors give: told of the channels that do not rest at their usual level."""

    token: str
    who: str
    tags: Mapping[str, str]
    gives: Mapping[str, float] = field(default_factory=dict)


OUT = (
    Out("G-06", "Dagny Holt", FACE, {"no2.avg": 0.31, "co.avg": 7.0}),
    Out("G-07", "Ylva Stenmark", FACE, {"no2.avg": 0.72, "co.avg": 12.0}),
    Out("G-08", "Viktor Drahos", FACE, {"no2.avg": 0.18}),
    Out("N-08", "Signe Ravn", HALL, {"leq.1": 81.0}),
    Out("N-09", "Bartek Zielny", HALL, {"leq.1": 91.0}),
)
CALLS = (
    ("Blasting crew", "wall.call", "Ylva Stenmark at the barrier, channel 4"),
    ("Blasting crew", "wall.worse", "Rescue squad, 22 99"),
    ("Crusher hall", "wall.call", "Fenna de Wit, 22 31"),
)


def put(db: Db, ensemble: Ensemble) -> None:
    """Their open hand-overs, their recorders at work, and whom to call."""
    people = {person.name: person for person in db.exec(select(Person)).all()}
    recorders = {recorder.token: recorder for recorder in db.exec(select(Recorder)).all()}
    began = datetime.now().astimezone() - SINCE
    for out in OUT:
        recorder, running = recorders[out.token], ensemble.running[out.token]
        kind, setup = KINDS[recorder.kind], running.tell("state")["setup"]
        kept = _setup(kind.key, setup)
        db.add(kept)
        db.flush()
        given = HandOver(
            recorder_id=recorder.id or 0,
            person_id=people[out.who].id or 0,
            setup_id=kept.id or 0,
            given_at=began - timedelta(minutes=6),
            expected_at=began + timedelta(hours=9),
            tags=dict(out.tags),
        )
        db.add(given)
        db.flush()
        at_work = {"id": f"{recorder.serial}-00001", "since": began.timestamp()}
        running.tell("set", slip={"hand_over": str(given.id)}, recording=at_work, counter=1, raw=dict(out.gives))
    who = db.exec(select(Account.id)).first()
    for team, key, value in CALLS:
        settings.keep(db, key, "team", team, value, 0, who)
    db.commit()


def _setup(kind: str, told: Mapping[str, Any]) -> Setup:
    model = KINDS[kind].setup_model
    own = {key: value for key, value in told.items() if key in model.model_fields}
    plain = model.model_validate(own).model_dump(mode="json")
    return Setup(kind=kind, name=str(told.get("name", KINDS[kind].name)), settings=plain)
