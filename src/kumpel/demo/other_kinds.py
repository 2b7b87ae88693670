"""Three months of Tarnfels beside the noise: who wore or drove what, and when. Everything is seeded."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures
from kumpel.services.report import conclusions, reports
from kumpel.services.take_in import take_in
from kumpel.services.yard.belonging import MACHINE
from kumpel.standins.gas_signal import ALARMS, usual_shift, with_log
from kumpel.standins.gas_signal import make as make_gas
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.made import Made, as_file
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Person, Recorder, Session


@dataclass(frozen=True)
class Worn:
    """A recorder with those who had it, one after the other, `every_days` apart, the last of them `days_ago`."""

    token: str
    kind: str
    people: tuple[str, ...]
    hour: int
    every_days: int
    days_ago: int
    place: str
    task: str = ""
    machine: str = ""


WORN = (
    Worn(
        "G-01",
        "gas",
        ("Asha Rao", "Nils Aune", "Asha Rao", "Kofi Badu", "Asha Rao"),
        6,
        12,
        1,
        "north drift",
        "re-entry",
    ),
    Worn(
        "G-03",
        "gas",
        ("Viktor Drahos", "Ylva Stenmark", "Dagny Holt"),
        6,
        19,
        8,
        "north drift",
        "charging",
    ),
    Worn(
        "D-01",
        "dust",
        ("Tomas Ek", "Agnes Moberg", "Tomas Ek", "Runa Eide"),
        6,
        14,
        2,
        "mill",
        "bagging",
    ),
    Worn("D-02", "dust", ("Mill control room",) * 4, 6, 19, 5, "mill control room"),
    Worn(
        "O-01",
        "oximetry",
        ("Emil Farkas", "Torvald Bringsli", "Emil Farkas"),
        22,
        21,
        1,
        "at home",
    ),
    Worn("J-01", "jaw_muscle", ("Marit Solheim", "Marit Solheim"), 23, 16, 1, "at home"),
    Worn(
        "W-01",
        "training",
        ("Lovise Dahlen", "Lovise Dahlen", "Piet Verhage", "Lovise Dahlen"),
        7,
        14,
        0,
        "hill run",
    ),
    Worn("W-02", "training", ("Arne Skogheim", "Kari Ulvestad"), 16, 17, 6, "hill run"),
    Worn(
        "V-02",
        "vehicle",
        ("Hedda Morke", "Hedda Morke", "Luc Ferrand", "Hedda Morke"),
        14,
        9,
        1,
        "Practice loop",
        machine="kart K-1",
    ),
    Worn("R-01", "resuscitation", ("",), 10, 1, 5, "pit head"),
)
COUNT = sum(len(worn.people) for worn in WORN)
CONCLUSIONS = {
    "within": "Nothing to be done.",
    "action level reached": "Talked over with the person; look again in a month.",
    "above limit": "Measures ordered; repeat after they are in place.",
    "not assessable": "Not enough to judge by. Repeat.",
}
NIGHT_S = 1800.0
"""Length of a jaw-muscle night of the demo: half an hour at the full rate; whole nights are measured in bench/."""


def _night(seed: int) -> Made:
    return make_night(Night(seed, NIGHT_S, groups=usual_groups(seed, NIGHT_S, 30)))


def _worn_gas(seed: int) -> Made:
    sensors = [{"gas": gas, "low": low, "high": high} for gas, (low, high) in ALARMS.items()]
    return with_log(make_gas(usual_shift(seed)), sensors, seed)


MAKERS: dict[str, Callable[[int], Made]] = SIGNALS | {"jaw_muscle": _night, "gas": _worn_gas}


def load(db: Db, who: int | None, offset_min: int) -> Iterator[Session]:
    """The sessions, one after the other; all but the last of each recorder are signed, the older ones with a report."""
    for worn in WORN:
        recorder = db.exec(select(Recorder).where(Recorder.token == worn.token)).one()
        for turn, name in enumerate(worn.people):
            left = len(worn.people) - 1 - turn
            days = worn.days_ago + worn.every_days * left
            session = _worn(db, worn, recorder, name, turn, _start(days, worn.hour), offset_min, who)
            if left and who is not None:
                _sign(db, session, who, issue=left > 1)
            yield session


def _start(days: int, hour: int) -> datetime:
    """That hour so many days ago; the day before, when it has not come yet or the session would still be running."""
    local = datetime.now().astimezone()
    start = local.replace(hour=hour, minute=2 + days % 9, second=12, microsecond=0) - timedelta(days=days)
    return start - timedelta(days=1) if local - start < timedelta(hours=10) else start


def _worn(
    db: Db, worn: Worn, recorder: Recorder, name: str, turn: int, start: datetime, offset_min: int, who: int | None
) -> Session:
    seed = zlib.crc32(f"{worn.token} {turn}".encode()) % 10_000
    about = {
        "serial": recorder.serial,
        "name": recorder.name,
        "token": worn.token,
        "model": recorder.model,
        "firmware": recorder.firmware,
    }
    file = as_file(MAKERS[worn.kind](seed), f"{worn.token}-{turn + 1}", start.timestamp(), offset_min, about)
    person = db.exec(select(Person).where(Person.name == name)).first()
    tags = {"place": worn.place, "task": worn.task}
    if worn.machine:
        tags |= {KINDS[worn.kind].tag_for(MACHINE): worn.machine, "run": "practice"}
    wish = {"tags": tags, "person_id": person.id if person else None, "unclaimed": person is None}
    session = take_in.from_file(db, file, who, wish)
    session.clock_error_s = 0.6
    figures.refresh(db, session)
    db.commit()
    return session


def _sign(db: Db, session: Session, who: int, issue: bool) -> None:
    assert session.id is not None
    if session.figures != figures.ASSESSED:
        return
    conclusions.conclude(db, session.id, CONCLUSIONS[session.verdict], who)
    when = min(session.started_at + timedelta(days=1, hours=4), datetime.now(UTC))
    conclusions.sign(db, session.id, session.review_version, who, at=when)
    if issue:
        reports.issue(db, session.id, reports.Options(KINDS[session.kind].one_page), who)
