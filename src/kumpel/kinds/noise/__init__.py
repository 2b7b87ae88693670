"""Personal noise meters: settings, library of weighting set-ups, what is read first."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field

from kumpel.core.bounds import Bounds
from kumpel.core.noise.assess import assess
from kumpel.core.recording import ChannelWord
from kumpel.core.timebase import DAY_S
from kumpel.kinds.kind import CheckWord, DecisionWord, GroupRule, Kind, SetupField, StretchWord
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.noise import report


class WeightingSetup(BaseModel):
    """One weighting set-up of the meter."""

    name: str = Field(max_length=40)
    frequency: Literal["A", "C", "Z"] = "A"
    time: Literal["F", "S", "I"] = "I"
    exchange_rate_db: Literal[3, 4, 5, 6] = 3
    threshold_db: float | None = Field(default=None, ge=40, le=120)
    criterion_db: float = Field(default=85, ge=60, le=120)
    criterion_h: float = Field(default=8, gt=0, le=24)


EU = WeightingSetup(name="EU / ISO")
FIVE_DB = WeightingSetup(name="5 dB rule", time="S", exchange_rate_db=5, threshold_db=80, criterion_db=90)
THREE_DB = WeightingSetup(name="3 dB recommendation", time="S", threshold_db=80)


class NoiseSetup(BaseModel):
    """Settings of a personal noise meter."""

    name: str = Field(default="Full shift", max_length=60)
    weightings: list[WeightingSetup] = Field(
        default_factory=lambda: [EU, FIVE_DB, THREE_DB], min_length=1, max_length=3
    )
    interval_s: Literal[1, 60] = 1
    start: Literal["by hand", "at a time", "delayed"] = "by hand"
    start_at: str | None = Field(default=None, pattern=r"^\d\d:\d\d$")
    delay_min: int | None = Field(default=None, ge=1, le=1440)
    run_length_min: int = Field(default=480, ge=1, le=3120)
    keypad_lock: bool = True
    display: Literal["shown", "blank"] = "blank"


LIBRARY: dict[str, BaseModel] = {
    "EU, 5 dB and 3 dB side by side": NoiseSetup(),
    "EU only": NoiseSetup(name="EU only", weightings=[EU]),
    "5 dB rule only": NoiseSetup(name="5 dB rule only", weightings=[FIVE_DB]),
}

_TIME = {"F": "fast", "S": "slow", "I": "integrating"}
_YES = {"True": "locked", "False": "free"}


def fields(setup: BaseModel) -> list[SetupField]:
    """The settings in the order people read them."""
    assert isinstance(setup, NoiseSetup)
    found = [SetupField("name", "Setup")]
    for i, _ in enumerate(setup.weightings):
        at, label = f"weightings.{i}.", f"Weighting {i + 1}"
        found += [
            SetupField(f"{at}name", label),
            SetupField(f"{at}frequency", f"{label}, frequency"),
            SetupField(f"{at}time", f"{label}, time", words=_TIME),
            SetupField(f"{at}exchange_rate_db", f"{label}, exchange rate", "dB"),
            SetupField(f"{at}threshold_db", f"{label}, threshold", "dB", {"None": "none"}),
            SetupField(f"{at}criterion_db", f"{label}, criterion", "dB"),
            SetupField(f"{at}criterion_h", f"{label}, criterion time", "h"),
        ]
    found += [
        SetupField("interval_s", "Log every", "s"),
        SetupField("start", "Start"),
        SetupField("start_at", "Starts at"),
        SetupField("delay_min", "Starts after", "min"),
        SetupField("run_length_min", "Run length", "min"),
        SetupField("keypad_lock", "Keypad", words=_YES),
        SetupField("display", "Display"),
    ]
    return found


KIND = Kind(
    key="noise",
    name="Noise",
    recorder_name="Noise meter",
    setup_model=NoiseSetup,
    setup_library=LIBRARY,
    assess=assess,
    main_channel="leq.1",
    bounds=Bounds(14 * DAY_S, 10.0, 16, 20_000_000, 50_000),
    limit_sets=shipped(__name__),
    fields=fields,
    report=report.parts,
    report_parts=report.PARTS,
    one_page=report.ONE_PAGE,
    channels=(
        ChannelWord("leq.1", "Level", "dB(A)", ("laeq", "leq", "level", "la", "spl", "db(a)", "dba"), reduce="energy"),
        ChannelWord("leq.2", "Level, set-up 2", "dB", ("leq2", "lavg"), reduce="energy"),
        ChannelWord("leq.3", "Level, set-up 3", "dB", ("leq3",), reduce="energy"),
        ChannelWord("max.1", "Highest level", "dB(A)", ("lafmax", "lasmax", "lmax")),
        ChannelWord("peak", "Peak", "dB(C)", ("lcpeak", "lcpk", "cpeak")),
        ChannelWord("motion", "Motion", "flag", ("moved",), reduce="any"),
        ChannelWord("overload", "Overload", "flag", ("ovl",), reduce="any"),
    ),
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
    checks=(CheckWord("check-before", "before", "dB"), CheckWord("check-after", "after", "dB")),
    stretches=(
        StretchWord(
            "left out", "leave out", ("meter knocked", "not worn", "rain or wind on the microphone", "wrong person")
        ),
        StretchWord("task", "mark as a task"),
    ),
)
