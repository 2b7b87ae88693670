"""The works clinic of Tarnfels: who came with which complaint, what they take, and their days with a cuff over more than a year."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures, people, settings
from kumpel.services.ground.decisions import Wish
from kumpel.services.register import medicines
from kumpel.services.register.medicines import Taken
from kumpel.services.report import conclusions, reports
from kumpel.services.review import deciding
from kumpel.services.take_in import take_in
from kumpel.standins.blood_pressure_signal import Day, make
from kumpel.standins.made import as_file
from kumpel.store.tables import Person, Recorder, Session

START_H = 9 + 1 / 3
DAY_S = 86_400.0


def _at(hour: float) -> float:
    """Seconds after a start at 09:20 at which the clock shows an hour; 32 is eight on the next morning."""
    return (hour - START_H) * 3600


@dataclass(frozen=True)
class Worn:
    """A day with a cuff, so many days ago: on which recorder, what came of it in the signal, what was concluded (empty: not yet)."""

    days_ago: int
    token: str
    signal: Mapping[str, Any]
    concluded: str = ""
    up: str = "07:50"
    down: str = "23:00"
    quiet: tuple[Mapping[str, str], ...] = ()


@dataclass(frozen=True)
class Patient:
    name: str
    facts: Mapping[str, Any]
    worn: tuple[Worn, ...]
    taken: tuple[tuple[Taken, int], ...] = field(default_factory=tuple)
    """Medicines, each with how many days ago it began."""


NIGHT = (_at(23.2), _at(31.8))
NO_DIP = {"dip_percent": 6.0, "awake_systolic": 140.0, "awake_diastolic": 85.0, "asleep": (NIGHT,)}
BY_DAY = ((_at(10.5), _at(17.0)),)
"""After a night shift."""

PATIENTS = (
    Patient(
        "Petter Lunde",
        {
            "sex": "male",
            "height_cm": 178.0,
            "weight_kg": 92.0,
            "doctor": "Dr. Solveig Moe",
            "clinic": "works clinic",
            "stay": "out-patient",
            "complaint": "headache in the morning",
        },
        (
            Worn(469, "C-02", NO_DIP | {"length_s": 14 * 3600.0}, "Taken off too early: repeat."),
            Worn(
                258, "C-01", NO_DIP | {"awake_systolic": 142.0}, "Too high by day and night: ramipril in the morning."
            ),
            Worn(
                24,
                "C-03",
                NO_DIP
                | {
                    "interval_awake_min": 20.0,
                    "failing": 0.06,
                    "artefacts": 1,
                    "presses": ((_at(16.75), "dizzy on the stairs"),),
                    "quiet": ((_at(19.0), _at(20.0)),),
                    "ups_s": ((_at(27.2), _at(27.35)),),
                },
                "Too high by day and night, and it falls too little in sleep. A second medicine in the evening; repeat in three weeks.",
                quiet=({"start": "19:00", "end": "20:00", "why": "choir"},),
            ),
            Worn(
                2,
                "C-03",
                {
                    "dip_percent": 12.5,
                    "awake_systolic": 128.0,
                    "awake_diastolic": 75.0,
                    "asleep": (NIGHT,),
                    "failing": 0.03,
                },
            ),
        ),
        (
            (Taken("ramipril", "5 mg", ("08:10",)), 250),
            (Taken("amlodipine", "5 mg", ("21:00",)), 20),
        ),
    ),
    Patient(
        "Ruth Amsel",
        {
            "sex": "female",
            "doctor": "Dr. Solveig Moe",
            "stay": "out-patient",
            "complaint": "high at the doctor's, not at home",
        },
        tuple(
            Worn(
                days,
                "C-01",
                {
                    "excited_mmhg": 38.0,
                    "awake_systolic": level,
                    "awake_diastolic": 78.0,
                    "dip_percent": 14.0,
                    "asleep": (NIGHT,),
                },
                words,
            )
            for days, level, words in (
                (398, 127.0, "High only while the cuff was put on. No medicine; repeat in half a year."),
                (201, 126.0, "As before."),
                (27, 129.0, ""),
            )
        ),
    ),
    Patient(
        "Noor Yildiz",
        {"sex": "female", "doctor": "Dr. Imre Vass", "stay": "out-patient", "complaint": "tired after night shifts"},
        tuple(
            Worn(
                days,
                "C-02",
                {
                    "asleep": BY_DAY,
                    "night": BY_DAY,
                    "awake_systolic": 133.0,
                    "awake_diastolic": 83.0,
                    "dip_percent": 15.0,
                },
                words,
                up="17:00",
                down="10:15",
            )
            for days, words in ((371, "Sleeps by day; falls then as it should."), (187, "Unchanged."), (11, ""))
        ),
    ),
    Patient(
        "Torvald Bringsli",
        {"sex": "male", "doctor": "Dr. Imre Vass", "stay": "in-patient", "complaint": "breathless at the mill"},
        (
            Worn(
                330,
                "C-01",
                {"awake_systolic": 139.0, "dip_percent": 21.5, "asleep": (NIGHT,)},
                "Falls far in sleep: no dose in the evening.",
            ),
            Worn(148, "C-02", {"awake_systolic": 136.0, "dip_percent": 17.0, "asleep": (NIGHT,)}, "Better. Go on."),
            Worn(
                5,
                "C-01",
                {"awake_systolic": 137.0, "asleep": (NIGHT,), "loose": ((_at(14.0), _at(22.0)),), "failing": 0.1},
            ),
        ),
        ((Taken("bisoprolol", "2.5 mg", ("07:30",)), 320),),
    ),
)


SPANS = {
    "all.systolic.mean": 8.0,
    "all.diastolic.mean": 6.0,
    "awake.systolic.mean": 9.0,
    "awake.diastolic.mean": 6.0,
    "asleep.systolic.mean": 10.0,
    "asleep.diastolic.mean": 7.0,
    "all.pulse.mean": 6.0,
    "dip.systolic": 8.0,
}
"""By how much a day differs from the next; made up, as the source that stands beside them says."""


BLOCKS = [
    "Within the limits by day and by night.",
    "Too high by day and by night.",
    "It falls too little in sleep.",
    "High only while the cuff was put on.",
    "Repeat in three weeks.",
    "Measure again in six months.",
]
"""The clinic's own words for conclusions."""


COUNT = sum(len(patient.worn) for patient in PATIENTS)


def load(db: Db, who: int | None, offset_min: int) -> Iterator[Session]:
    """The patients with their recordings, one after the other; the last of each waits for a look, the others are signed."""
    kind = KINDS["blood_pressure"].key
    for figure, span in SPANS.items():
        settings.keep(db, f"spans.{figure}", "kind", kind, span, 0, who)
    settings.keep(db, settings.BLOCKS.key, "kind", kind, BLOCKS, 0, who)
    settings.keep(db, settings.SPANS_FROM.key, "kind", kind, "made up for this demo", 0, who)
    for patient in PATIENTS:
        person = db.exec(select(Person).where(Person.name == patient.name)).one()
        people.change_person(db, person.id or 0, dict(patient.facts))
        for taken, days in patient.taken:
            medicines.add(db, person.id or 0, Taken(taken.name, taken.dose, taken.times, _day(days)), who)
        for turn, worn in enumerate(patient.worn):
            session = _recorded(db, person, worn, turn, offset_min, who)
            if worn.concluded and who is not None:
                _sign(db, session, worn.concluded, who, issue=turn > 0)
            yield session


def _day(days_ago: int) -> date:
    return (datetime.now().astimezone() - timedelta(days=days_ago)).date()


def _recorded(db: Db, person: Person, worn: Worn, turn: int, offset_min: int, who: int | None) -> Session:
    recorder = db.exec(select(Recorder).where(Recorder.token == worn.token)).one()
    local = datetime.now().astimezone()
    start = local.replace(hour=9, minute=20, second=12, microsecond=0) - timedelta(days=worn.days_ago)
    signal = {"night": (NIGHT,)} | dict(worn.signal)
    made = make(Day(seed=1000 + 10 * (person.id or 0) + turn, start=start.timestamp(), **signal))
    setup = dict(made.recording.setup) | {
        "awake_from": worn.up,
        "asleep_from": worn.down,
        "quiet": [*worn.quiet],
        "name": "24 h",
    }
    made = replace(made, recording=replace(made.recording, setup=setup))
    about = {key: getattr(recorder, key) for key in ("serial", "name", "token", "model", "firmware")}
    file = as_file(made, f"{worn.token}-B{person.id}{turn}", start.timestamp(), offset_min, about)
    tags = {"day": "working day", "arm": "left", "cuff": "medium", "place": "works clinic"}
    session = take_in.from_file(db, file, who, {"tags": tags, "person_id": person.id})
    session.clock_error_s = 0.6
    figures.refresh(db, session)
    db.commit()
    if worn.concluded and made.truth["spoilt_s"]:
        out = [Wish("dropped", f"reading@{at:.1f}", value=0.0, reason="arm moved") for at in made.truth["spoilt_s"]]
        session = deciding.decide(db, session.id or 0, session.review_version, out, (), who)
    return session


def _sign(db: Db, session: Session, words: str, who: int, issue: bool) -> None:
    assert session.id is not None
    if session.figures != figures.ASSESSED:
        return
    conclusions.conclude(db, session.id, words, who)
    when = min(session.started_at + timedelta(days=1, hours=5), datetime.now(UTC))
    conclusions.sign(db, session.id, session.review_version, who, at=when)
    if issue:
        reports.issue(db, session.id, reports.Options(KINDS[session.kind].one_page), who)
