"""24-hour blood pressure recorders with activity."""

from __future__ import annotations

from dataclasses import replace

from pydantic import BaseModel

from kumpel.core.blood_pressure.assess import assess, brief
from kumpel.core.blood_pressure.compare import COMPARED, compare
from kumpel.core.blood_pressure.plan import DayPlan, counts, planned_readings
from kumpel.core.bounds import Bounds
from kumpel.core.check_rules import Allowed, Steady
from kumpel.core.recording import ChannelWord
from kumpel.core.timebase import DAY_S
from kumpel.kinds.bench import BenchCheck, BenchSensor
from kumpel.kinds.blood_pressure.report import (
    CLASSES,
    LANES,
    OWN_PARTS,
    PATIENT,
    QUALITY,
    classes,
    day,
    patient_page,
    quality,
)
from kumpel.kinds.kind import LEAVE_OUT, Compares, DecisionWord, EventWord, Followed, Kind, StretchWord, TagWord
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.plain_report import COMPARISON, PartOf
from kumpel.kinds.plan import VALUE_BYTES, Plan, PlanFact, Situation, battery, clock_min, memory
from kumpel.kinds.setup_fields import TIME_PATTERN, setting

_YES = {"True": "yes", "False": "no"}
_REST = "The recorder"


class QuietWindow(BaseModel):
    """A time without inflation."""

    start: str = setting("From", "19:00", pattern=TIME_PATTERN)
    end: str = setting("To", "20:00", pattern=TIME_PATTERN)
    why: str = setting("Because of", "", max_length=24)


class BloodPressureSetup(BaseModel):
    """Settings of a cuff recorder."""

    awake_from: str = setting("Gets up at", "06:30", personal="gets_up", pattern=TIME_PATTERN)
    asleep_from: str = setting("Goes to bed at", "22:30", personal="goes_to_bed", pattern=TIME_PATTERN)
    interval_awake_min: int = setting("Reading every, awake", 30, "min", ge=5, le=120)
    interval_asleep_min: int = setting("Reading every, asleep", 60, "min", ge=5, le=120)
    quiet: list[QuietWindow] = setting("Quiet window", list, max_length=3)
    start_at: str | None = setting("Starts at", None, words={"None": "by hand"}, pattern=TIME_PATTERN)
    run_length_min: int = setting("Runs for", 1440, "min", ge=60, le=3120)
    shown: bool = setting("Wearer sees readings", False, words=_YES)
    button: bool = setting("Event button", True, words=_YES, fold=_REST)
    activity: bool = setting("Records activity", True, words=_YES, fold=_REST)
    highest_cuff_mmhg: int = setting("Highest cuff pressure", 280, "mmHg", fold=_REST, ge=140, le=300)
    wearer: str = setting("Shown on it", "", max_length=40, stored_name="code", fold=_REST)
    name: str = setting("Setup", "24 h", max_length=60, fold=_REST)


READING_BYTES = 64
"""A reading with its time, as it is kept among the events."""


def plan(setup: BloodPressureSetup, situation: Situation) -> Plan:
    """The readings that will be tried, by day and by night, and whether the battery lasts."""
    starts = situation.now_min if setup.start_at is None else clock_min(setup.start_at)
    quiet = tuple((clock_min(w.start), clock_min(w.end)) for w in setup.quiet)
    day = DayPlan(
        starts,
        float(setup.run_length_min),
        clock_min(setup.awake_from),
        clock_min(setup.asleep_from),
        float(setup.interval_awake_min),
        float(setup.interval_asleep_min),
        quiet,
    )
    readings = planned_readings(day)
    awake, asleep = counts(readings)
    without = len(planned_readings(replace(day, quiet=())))
    more = f" ({without} without the quiet window{'s' if len(quiet) > 1 else ''})" if without != len(readings) else ""
    needed = len(readings) * READING_BYTES + (setup.run_length_min * 3 * VALUE_BYTES if setup.activity else 0)
    tried = PlanFact(str(len(readings)), "readings planned", f"{awake} awake, {asleep} asleep{more}")
    facts = (tried, *battery(setup.run_length_min / 60, situation), *memory(situation, needed))
    return Plan(facts, starts, float(setup.run_length_min), tuple(at for at, _ in readings))


def told(setup: BloodPressureSetup) -> list[str]:
    """What this setup will do, for the wearer."""
    lines = [
        f"The cuff fills every {setup.interval_awake_min} min by day, and every {setup.interval_asleep_min} min "
        f"from {setup.asleep_from} to {setup.awake_from}, while you sleep."
    ]
    for window in setup.quiet:
        why = f" ({window.why})" if window.why else ""
        lines.append(f"It stays quiet from {window.start} to {window.end}{why}.")
    if setup.button:
        lines.append("Press the round button when you feel something, and write down what it was.")
    if not setup.shown:
        lines.append("It shows no readings: that is meant.")
    return lines


LIBRARY: dict[str, BaseModel] = {
    "24 h": BloodPressureSetup(),
    "24 h, close": BloodPressureSetup(name="24 h, close", interval_awake_min=15, interval_asleep_min=30),
}


LEAFLET = """\
The cuff is on the upper arm, its mark over the artery, the tube upwards. It should fit closely without pressing.
When it begins to pump: stand or sit still, let the arm hang or rest, do not talk until it has emptied.
A reading that fails is tried again by itself after a short while.
It goes on at night. Keep it on while you sleep; the recorder may lie beside you.
Live as on any other day. Take your medicines as always and write down when.
Take it off only to wash; put it back on the same arm. If it hurts or the hand swells or turns blue, take it off."""


OWN: dict[str, PartOf] = {
    LANES: lambda of: [day(of.recording, of.review, of.leading)],
    CLASSES: lambda of: [classes(of.leading)],
    QUALITY: lambda of: [quality(of.leading)],
    PATIENT.key: lambda of: patient_page(of.recording, of.review, of.leading, of.limits),
}
"""What is not plain: the picture of the day, the classes and the page for the patient."""


PRESSURES = (50, 150, 250)
TWO_YEARS = 730
BENCH = (
    BenchCheck(
        "cuff",
        "Manometer",
        "Roll the cuff round a rigid cylinder and join it, the recorder and the manometer by a T-piece.",
        Allowed("IEC 80601-2-30:2018, 201.12.1.102: 3 mmHg or 2 % of the reading", share=0.02, amount=3.0),
        lambda setup: tuple(
            BenchSensor(
                f"cuff.{each}",
                f"Cuff at {each} mmHg",
                "mmHg",
                float(each),
                0,
                "cuff",
                f"Pump to about {each} mmHg, close the valve, type what the manometer shows, then read it.",
            )
            for each in PRESSURES
        ),
        needs="manometer",
        days=TWO_YEARS,
        steady=Steady(2.0, 5.0),
    ),
)

KIND = Kind(
    bench=BENCH,
    key="blood_pressure",
    method="5",
    name="Blood pressure",
    recorder_name="Cuff recorder",
    leaflet=LEAFLET,
    told=told,
    setup_model=BloodPressureSetup,
    setup_library=LIBRARY,
    plan=plan,
    assess=assess,
    brief=brief,
    main_channel="activity.x",
    bounds=Bounds(31 * DAY_S, 1.0, 16, 10_000_000, 20_000),
    limit_sets=shipped(__name__),
    readings=("systolic", "diastolic", "map", "pulse"),
    reading_bars=(("diastolic", "systolic"),),
    check_list=(
        "Take the batteries out and put them in again: the display must light up.",
        "Press START and wait for the tone before plugging in.",
        "Is the cable the one of this recorder?",
    ),
    channels=(
        ChannelWord("activity.x", "Activity x", "counts"),
        ChannelWord("activity.y", "Activity y", "counts"),
        ChannelWord("activity.z", "Activity z", "counts"),
        ChannelWord("systolic", "Systolic", "mmHg"),
        ChannelWord("diastolic", "Diastolic", "mmHg"),
        ChannelWord("map", "Mean arterial", "mmHg"),
        ChannelWord("pulse", "Pulse", "bpm"),
    ),
    decisions=(
        DecisionWord(
            "sleep", "Sleep from", "choice", choices=(("activity", "activity"), ("setup", "times set")), hint="activity"
        ),
        DecisionWord(
            "axis",
            "Axis of the activity",
            "choice",
            choices=(("x", "x"), ("y", "y"), ("z", "z"), ("magnitude", "all three")),
            hint="usual",
        ),
        DecisionWord("median_min", "Moving median", "number", "min", 1, 121, hint="usual"),
        DecisionWord("mean_min", "Moving mean", "number", "min", 1, 121, hint="usual"),
        DecisionWord("resting_from", "Rests below", "number", "/min", 0, 1e6, hint="usual"),
        DecisionWord("moving_from", "Moves above", "number", "/min", 0, 1e6, hint="usual"),
        DecisionWord("bridge_min", "Longest interruption", "number", "min", 0, 600, hint="usual"),
        DecisionWord("shortest_h", "Shortest sleep", "number", "h", 0, 12, hint="usual"),
    ),
    stretches=(LEAVE_OUT, StretchWord("asleep", "asleep", moves_edges=True)),
    events=(
        EventWord(
            "reading",
            "reading",
            "readings",
            droppable=True,
            keepable=True,
            reasons=("arm moved", "cuff slipped", "talking", "walking", "implausible"),
        ),
        EventWord("failed", "failed try", "failed tries"),
    ),
    patient=True,
    compares=Compares(tuple(Followed(key, label) for key, label in COMPARED[:8]), compare),
    own_parts=OWN,
    parts=(*OWN_PARTS, COMPARISON),
    drawn=("activity", "quiet"),
    tags=(
        TagWord("setting", "Recorded", "at home, in hospital", ("at home", "in hospital")),
        TagWord("complaint", "Complaint", "why it is recorded"),
        TagWord("day", "Day", "working day or not", ("working day", "day off")),
        TagWord("arm", "Arm", "left or right", ("left", "right")),
        TagWord("cuff", "Cuff", "its size", ("small", "medium", "large")),
    ),
    registers=(
        Followed("all.systolic.mean", "24 h systolic"),
        Followed("all.diastolic.mean", "24 h diastolic"),
        Followed("awake.systolic.mean", "Awake systolic"),
        Followed("asleep.systolic.mean", "Asleep systolic"),
        Followed("dip.systolic", "Dip, systolic"),
    ),
    trends=(
        Followed("all.systolic.mean", "24 h pressure", "all.diastolic.mean"),
        Followed("all.diastolic.mean", "24 h diastolic"),
        Followed("dip.systolic", "Dip, systolic"),
    ),
)
