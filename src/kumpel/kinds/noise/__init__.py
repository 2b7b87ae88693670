"""Personal noise meters: settings, library of weighting set-ups, what is read first."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from pydantic import BaseModel

from kumpel.core.assessment import Step, Verdict
from kumpel.core.bounds import Bounds
from kumpel.core.check_rules import Allowed, DriftAllowed
from kumpel.core.noise.assess import assess
from kumpel.core.noise.exposure import weekly_exposure_level
from kumpel.core.recording import ChannelWord
from kumpel.core.timebase import DAY_S
from kumpel.kinds.bench import BenchCheck, BenchSensor
from kumpel.kinds.kind import CheckInput, CheckWord, DecisionWord, Followed, GroupRule, Kind, StretchWord, Weekly
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.live import LiveFigure
from kumpel.kinds.noise import report
from kumpel.kinds.plan import Plan, PlanFact, Situation, recorded
from kumpel.kinds.setup_fields import TIME_PATTERN, setting

_TIME = {"F": "fast", "S": "slow", "I": "integrating"}
_REST = "The meter"
_LOCK = {"True": "locked", "False": "free"}


_CALIBRATOR = (CheckInput("applied_db", "applied", "dB"), CheckInput("read_db", "read", "dB"))


class WeightingSetup(BaseModel):
    """One weighting set-up of the meter."""

    name: str = setting("Name", "own", max_length=40)
    frequency: Literal["A", "C", "Z"] = setting("Frequency", "A")
    time: Literal["F", "S", "I"] = setting("Time", "I", words=_TIME)
    exchange_rate_db: Literal[3, 4, 5, 6] = setting("Exchange rate", 3, "dB")
    threshold_db: float | None = setting("Threshold", None, "dB", {"None": "none"}, ge=40, le=120)
    criterion_db: float = setting("Criterion", 85, "dB", ge=60, le=120)
    criterion_h: float = setting("Criterion time", 8, "h", gt=0, le=24)


EU = WeightingSetup(name="EU / ISO")
FIVE_DB = WeightingSetup(name="5 dB rule", time="S", exchange_rate_db=5, threshold_db=80, criterion_db=90)
THREE_DB = WeightingSetup(name="3 dB recommendation", time="S", threshold_db=80)


def _three() -> list[WeightingSetup]:
    return [EU, FIVE_DB, THREE_DB]


class NoiseSetup(BaseModel):
    """Settings of a personal noise meter."""

    weightings: list[WeightingSetup] = setting("Weighting", _three, min_length=1, max_length=3)
    start: Literal["by hand", "at a time", "delayed"] = setting("Start", "by hand")
    start_at: str | None = setting("Starts at", None, when={"start": "at a time"}, pattern=TIME_PATTERN)
    delay_min: int | None = setting("Starts after", None, "min", when={"start": "delayed"}, ge=1, le=1440)
    run_length_min: int = setting("Run length", 480, "min", ge=1, le=3120)
    interval_s: Literal[1, 60] = setting("Log every", 1, "s", fold=_REST)
    keypad_lock: bool = setting("Keypad", True, words=_LOCK, fold=_REST)
    display: Literal["shown", "blank"] = setting("Display", "blank", fold=_REST)
    name: str = setting("Setup", "Full shift", max_length=60, fold=_REST)


def plan(setup: NoiseSetup, situation: Situation) -> Plan:
    """Levels and peaks of every weighting, at each interval."""
    several = len(setup.weightings)
    what = f"{several} weighting{'s' if several > 1 else ''} and the peak"
    facts = recorded(several + 1, setup.interval_s, setup.run_length_min, situation, what)
    if setup.interval_s > 1:
        facts += (PlanFact("1 min", "steps", "a stretch is left out by whole minutes"),)
    return Plan(facts, situation.now_min, float(setup.run_length_min))


LIBRARY: dict[str, BaseModel] = {
    "EU, 5 dB and 3 dB side by side": NoiseSetup(),
    "EU only": NoiseSetup(name="EU only", weightings=[EU]),
    "5 dB rule only": NoiseSetup(name="5 dB rule only", weightings=[FIVE_DB]),
}


BENCH = (
    BenchCheck(
        "calibrator",
        "Acoustic calibrator",
        "Push the calibrator onto the microphone and switch it on.",
        Allowed("ISO 9612:2009, 12.3: a drift of more than 0.5 dB", amount=0.5),
        lambda setup: (BenchSensor("microphone", "Microphone", "dB", None, channel="leq.1"),),
        needs="calibrator",
        adjusts=True,
        drift=DriftAllowed(0.5, "ISO 9612:2009, 12.3"),
        beside=True,
        days=1,
    ),
)

LEAFLET = """\
Wear it on the shoulder, on the side where it is louder, microphone up and about a hand's width from the ear.
Leave it on for the whole shift, also during breaks. Work as on any other day.
Do not shout into it, knock it or cover it with clothes, a scarf or a strap.
It keeps levels only, no speech.
If it falls off, put it back on and write down when.
Note what you did and where: machines, tasks, breaks."""


def live(setup: Mapping[str, Any]) -> tuple[LiveFigure, ...]:
    """The level of the last second; from the upper action value on it is to be watched (2003/10/EC, art. 3): an alarm it is not."""
    return (LiveFigure("leq.1", "Level", "dB(A)", 0, (Step(85.0, Verdict.ACTION, "upper action value"),)),)


KIND = Kind(
    stands=True,
    key="noise",
    name="Noise",
    recorder_name="Noise meter",
    leaflet=LEAFLET,
    setup_model=NoiseSetup,
    setup_library=LIBRARY,
    plan=plan,
    live=live,
    bench=BENCH,
    assess=assess,
    method="3",
    main_channel="leq.1",
    bounds=Bounds(14 * DAY_S, 10.0, 16, 20_000_000, 50_000),
    limit_sets=shipped(__name__),
    own_parts=report.OWN,
    parts=report.PARTS,
    channels=(
        ChannelWord("leq.1", "Level", "dB(A)", reduce="energy"),
        ChannelWord("leq.2", "Level, set-up 2", "dB", reduce="energy"),
        ChannelWord("leq.3", "Level, set-up 3", "dB", reduce="energy"),
        ChannelWord("max.1", "Highest level", "dB(A)"),
        ChannelWord("peak", "Peak", "dB(C)"),
        ChannelWord("motion", "Motion", "flag", reduce="any"),
        ChannelWord("overload", "Overload", "flag", reduce="any"),
    ),
    weekly=Weekly("lex8h", "LEX,40h", weekly_exposure_level),
    groups=(GroupRule("lex8h", logarithmic=False),),
    check_list=(
        "Is it switched on? Press and hold the power key for 2 s.",
        "Is it still recording? Press stop twice; a recording meter does not answer.",
        "Is it seated in the dock until the light turns steady?",
    ),
    decisions=(
        DecisionWord("working_day_s", "Working day", "length", "h", 60, 86_400, hint="as planned"),
        DecisionWord("attenuation_db", "Worn protection", "number", "dB", 0, 60, hint="none"),
    ),
    checks=(
        CheckWord("check-before", "before", _CALIBRATOR),
        CheckWord("check-after", "after", _CALIBRATOR, judged_by="drift"),
    ),
    stretches=(
        StretchWord(
            "left out", "leave out", ("meter knocked", "not worn", "rain or wind on the microphone", "wrong person")
        ),
        StretchWord("task", "mark as a task"),
    ),
    registers=(
        Followed("lex8h", "LEX,8h"),
        Followed("setup1.projected_dose", "Dose for the day"),
        Followed("lcpeak", "Highest peak"),
        Followed("measured", "Measured"),
    ),
    trends=(
        Followed("lex8h", "LEX,8h"),
        Followed("lcpeak", "Highest peak"),
    ),
)
