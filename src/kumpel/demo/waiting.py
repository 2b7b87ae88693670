"""What waits on the recorders of Tarnfels: who had them, and what happened."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.demo.ensemble import Ensemble
from kumpel.kinds.registry import KINDS
from kumpel.store.tables import HandOver, Person, Recorder, Setup

LATEST = timedelta(minutes=4)
"""What waits ended at least this long ago."""


@dataclass(frozen=True)
class Waits:
    """A session on a recorder: when it began (days ago, hour), how long it was, whose; `wishes` make its signal."""

    token: str
    days_ago: int
    hour: float
    length_s: float
    who: str = ""
    """The person or the place on its slip; nobody: worn by nobody knows whom."""
    tags: Mapping[str, str] = field(default_factory=dict)
    wishes: Mapping[str, Any] = field(default_factory=dict)
    setup: Mapping[str, Any] = field(default_factory=dict)
    """Settings for it, beside those on the recorder."""


FACE = {"place": "level 4 face", "shift": "early, 8 h"}
HALL = {"place": "crusher hall", "shift": "early, 8 h"}
MILL = (
    (0, 75, 60, 0.024),
    (2, 0, 1200, 0.0205),
    (2, 180, 120, 0.036),
    (4, 640, 50, 0.021),
    (5, 80, 45, 0.026),
    (5, 610, 70, 0.023),
    (7, 60, 75, 0.031),
    (7, 420, 50, 0.024),
    (7, 905, 60, 0.027),
    (8, 620, 40, 0.02),
    (10, 90, 55, 0.023),
    (11, 70, 80, 0.029),
    (11, 615, 55, 0.022),
)
"""Dusty times in the control room of the mill, by run: minutes after its start, minutes long, mg/m3. The bags are changed then."""
WAITING = (
    Waits("N-07", 0, 5.9, 9, "Ida Brandvik", HALL, {"seed": 3}),
    Waits(
        "N-07",
        0,
        6.07,
        27_660,
        "Ida Brandvik",
        HALL | {"task": "feed control"},
        {"seed": 11, "impact_peak_db": 136.2, "base_db": 81.5, "loud_db": 93.8},
    ),
    Waits("N-02", 1, 6.4, 25_200, "", {}, {"seed": 77, "base_db": 76.0, "loud_db": 84.0}),
    Waits(
        "G-01",
        0,
        6.05,
        27_840,
        "Asha Rao",
        FACE | {"task": "re-entry"},
        {
            "seed": 5,
            "episodes": [
                ["co", 7200, 1500, 74.0],
                ["no2", 7200, 1200, 1.35],
                ["o2", 7200, 700, 19.9],
                ["co", 18_000, 900, 38.0],
            ],
        },
    ),
    Waits(
        "G-02",
        0,
        6.06,
        28_260,
        "Kofi Badu",
        FACE,
        {"seed": 6, "episodes": [["co", 7560, 900, 46.0], ["no2", 7620, 300, 0.58]]},
    ),
    Waits(
        "G-03",
        0,
        6.03,
        28_020,
        "Nils Aune",
        FACE,
        {"seed": 8, "episodes": [["no2", 7860, 300, 0.62], ["co", 7860, 300, 31.0]]},
    ),
    Waits("G-04", 0, 5.7, 4, "", {}, {"seed": 9, "episodes": [["co", 0, 1, 0.0]]}),
    Waits("G-05", 0, 6.1, 27_000, "Viktor Drahos", FACE, {"seed": 10, "failed_bump": ["h2s"]}),
    Waits(
        "D-01",
        13,
        6.0,
        12 * 86_400,
        "Mill control room",
        {"place": "mill control room"},
        {
            "seed": 12,
            "level": 0.0085,
            "soft_s": 420,
            "above": [[86_400 * day + 60 * minute, 60 * minutes, level] for day, minute, minutes, level in MILL],
            "flow_faults_s": [[9 * 86_400 + 7200, 9 * 86_400 + 14_400]],
        },
        {"runs": 12, "run_length_min": 1440, "interval_s": 60, "name": "Indoor air, 24 h PM2.5"},
    ),
    Waits("D-02", 1, 6.1, 28_800, "Agnes Moberg", {"place": "mill floor"}, {"seed": 13, "zero_passed": False}),
    Waits(
        "C-01",
        1,
        8.5,
        86_400,
        "Ruth Amsel",
        {"place": "works clinic"},
        {"seed": 14, "dip_percent": 2.0, "awake_systolic": 141.0, "awake_diastolic": 88.0},
    ),
    Waits(
        "C-02",
        1,
        9.2,
        86_400,
        "Petter Lunde",
        {"place": "works clinic"},
        {"seed": 15, "failing": 0.3},
        {"quiet": [{"start": "19:00", "end": "20:00"}]},
    ),
    Waits("C-03", 0, 4.0, 5400, "Noor Yildiz", {"place": "works clinic"}, {"seed": 16}),
    Waits(
        "O-02",
        1,
        22.6,
        27_000,
        "Emil Farkas",
        {"place": "at home"},
        {"seed": 17, "falls": 60, "probe_off_s": [[12_000, 15_600]]},
    ),
    Waits("J-01", 1, 22.8, 27_660, "Marit Solheim", {"place": "at home"}, {"seed": 18, "off_s": [[14_400, 15_120]]}),
    Waits(
        "W-01",
        0,
        5.2,
        2460,
        "Arne Skogheim",
        {"place": "hill run"},
        {"seed": 19, "hill_m": 87.0, "no_heart_rate_s": [[600, 780]]},
    ),
    Waits("W-02", 1, 16.3, 3120, "", {"place": "hill run"}, {"seed": 20}, {"split_m": 500.0}),
    Waits("V-01", 1, 9.6, 1900, "Goran Petric", {"place": "Ramp"}, {"seed": 21, "laps": 7}),
    Waits("V-02", 0, 4.5, 840, "Jonas Tveter", {}, {"seed": 22, "spoilt": [6], "improvement": 0.05}),
    Waits("V-02", 0, 5.5, 1140, "Jonas Tveter", {}, {"seed": 23, "spoilt": [9], "water_c": 26.0}),
    Waits("V-03", 0, 5.0, 960, "Bela Szenti", {}, {"seed": 24, "belt": False}),
    Waits("R-01", 0, 3.7, 560, "", {"place": "pit head"}, {"seed": 25, "pause_s": 9.0, "shocks": 2}),
)


def put(db: Db, ensemble: Ensemble) -> None:
    """The slips of those who had the recorders, and their sessions in the recorders' memories."""
    people = {person.name: person for person in db.exec(select(Person)).all()}
    recorders = {recorder.token: recorder for recorder in db.exec(select(Recorder)).all()}
    for waits in WAITING:
        recorder, running = recorders[waits.token], ensemble.running[waits.token]
        start = _start(waits)
        about = running.tell("state")
        error = float(about["clock_error_s"])
        settings = about["setup"] | dict(waits.setup)
        slip: dict[str, str] = {}
        if waits.who:
            given = _given(db, recorder, people[waits.who], waits, settings, start, error)
            slip = {"hand_over": str(given.id)}
        running.tell("set", slip=slip, setup=settings)
        running.tell("record", start=start.timestamp() + error, length_s=waits.length_s, **waits.wishes)


def _start(waits: Waits) -> datetime:
    """That hour so many days ago; whole days earlier while it would not be over yet."""
    local = datetime.now().astimezone()
    midnight = local.replace(hour=0, minute=0, second=12, microsecond=0)
    start = midnight - timedelta(days=waits.days_ago) + timedelta(hours=waits.hour)
    while start + timedelta(seconds=waits.length_s) > local - LATEST:
        start -= timedelta(days=1)
    return start


def _given(
    db: Db, recorder: Recorder, person: Person, waits: Waits, settings: dict[str, Any], start: datetime, error: float
) -> HandOver:
    """The open hand-over of whoever has the recorder; the second session of one falls under the first one's."""
    assert recorder.id is not None and person.id is not None
    known = db.exec(
        select(HandOver).where(HandOver.recorder_id == recorder.id, col(HandOver.returned_at).is_(None))
    ).first()
    if known is not None:
        return known
    kind = KINDS[recorder.kind]
    own = {k: v for k, v in settings.items() if k in kind.setup_model.model_fields}
    setup = Setup(
        kind=recorder.kind,
        name=str(settings.get("name", kind.name)),
        settings=kind.setup_model.model_validate(own).model_dump(mode="json"),
    )
    db.add(setup)
    db.flush()
    assert setup.id is not None
    given = HandOver(
        recorder_id=recorder.id,
        person_id=person.id,
        setup_id=setup.id,
        given_at=start - timedelta(minutes=12),
        expected_at=start + timedelta(seconds=max(waits.length_s, 3600)),
        clock_error_s=round(error, 1),
        tags=dict(waits.tags),
    )
    db.add(given)
    db.commit()
    return given
