"""Dust and indoor-air monitors: fraction, runs, photometric factor."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from pydantic import BaseModel

from kumpel.core.assessment import LimitSet
from kumpel.core.bounds import Bounds
from kumpel.core.check_rules import Allowed, Steady
from kumpel.core.dust.assess import assess
from kumpel.core.dust.day_means import moving_day
from kumpel.core.recording import ChannelWord
from kumpel.core.timebase import DAY_S
from kumpel.kinds.bench import BenchCheck, BenchSensor
from kumpel.kinds.kind import CheckInput, CheckWord, DecisionWord, EventWord, Followed, GroupRule, Kind
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.live import LiveFigure
from kumpel.kinds.plain_report import PARTS, ReportPart
from kumpel.kinds.plan import (
    DAY_MIN,
    Plan,
    PlanFact,
    Situation,
    clock_min,
    clock_words,
    hours_words,
    recorded,
    resolution,
)
from kumpel.kinds.setup_fields import TIME_PATTERN, setting

_REST = "The monitor"
VALUES_EACH = 4
"""Mass, temperature, humidity and the flow at each interval."""
STEL_S = 900.0


class DustSetup(BaseModel):
    """Settings of a dust monitor."""

    mode: Literal["logged", "spot"] = setting(
        "Mode", "logged", words={"logged": "logged", "spot": "spot: looked at, nothing stored"}
    )
    start_at: str | None = setting("Starts at", None, words={"None": "by hand"}, pattern=TIME_PATTERN)
    run_length_min: int = setting("Length of a run", 480, "min", ge=1, le=10_080)
    runs: int = setting("Runs", 1, ge=1, le=99)
    interval_s: Literal[1, 10, 30, 60, 300, 900] = setting("Log every", 10, "s")
    fraction: Literal["PM1", "PM2.5", "PM4", "PM10", "total"] = setting(
        "Fraction", "PM4", words={"PM4": "PM4, respirable"}
    )
    factor: float = setting("Photometric factor", 1.0, gt=0, le=20)
    time_constant_s: Literal[1, 10, 60] = setting("Time constant", 10, "s", fold=_REST)
    name: str = setting("Setup", "Shift, respirable dust", max_length=60, fold=_REST)


def plan(setup: DustSetup, situation: Situation) -> Plan:
    """How many runs of which length, when the last ends, how many values that makes."""
    if setup.mode == "spot":
        return Plan((PlanFact("spot", "looked at only", "nothing is stored"),))
    starts = situation.now_min if setup.start_at is None else clock_min(setup.start_at)
    length = float(setup.run_length_min)
    days, end = divmod(starts + length * setup.runs, DAY_MIN)
    whole = setup.runs == 1
    runs = PlanFact(
        str(setup.runs),
        "run" if whole else "runs",
        f"of {hours_words(length / 60)}{'' if whole else ', one after the other'}",
    )
    after = "" if days == 0 else " the next day" if days == 1 else f" after {days:.0f} days"
    ends = PlanFact(clock_words(end), f"ends{after}", "when it starts by hand now" if setup.start_at is None else "")
    facts = (
        runs,
        ends,
        *recorded(VALUES_EACH, setup.interval_s, length * setup.runs, situation),
        *resolution(setup.interval_s, STEL_S, "15 min"),
    )
    return Plan(facts, starts, length * setup.runs, tuple(length * n for n in range(setup.runs)))


LIBRARY: dict[str, BaseModel] = {
    "Shift, respirable dust": DustSetup(),
    "Shift, total dust": DustSetup(name="Shift, total dust", fraction="total"),
    "Indoor air, 24 h PM2.5": DustSetup(
        name="Indoor air, 24 h PM2.5", fraction="PM2.5", interval_s=60, run_length_min=1440
    ),
}


def fits(limits: LimitSet, setup: Mapping[str, Any]) -> bool:
    """Whether a limit set has a rule for the fraction that was measured."""
    fraction = setup.get("fraction", "total")
    return any(rule.parameters.get("fraction", fraction) == fraction for rule in limits.rules)


BENCH = (
    BenchCheck(
        "zero",
        "Zero",
        "Fit the zero filter and wait for a minute.",
        Allowed("docs/methods/dust.md, zero check", amount=0.003),
        lambda setup: (BenchSensor("mass", "Mass concentration", "mg/m3", 0.0, 3, "mass"),),
        beside=True,
        days=1,
    ),
    BenchCheck(
        "flow",
        "Flow",
        "Join the flow meter to the inlet, filter in place, and let the pump run for a minute.",
        Allowed("ISO 13137:2022: 5 % of the flow that is set", share=0.05),
        lambda setup: (
            BenchSensor("flow", "Flow", "l/min", 2.0, 2, "flow", "Type what the flow meter shows, then read it."),
        ),
        needs="flow meter",
        steady=Steady(0.1, 10.0),
    ),
)

LEAFLET = """\
Wear it at the collar, with the inlet free and within a hand's width of mouth and nose.
Leave it on for the whole shift. Work as on any other day.
Do not blow on the inlet, cover it or lay the monitor into dust.
If the pump stops or a light shows a fault, tell us at once and write down when.
Note what you did and where: cutting, sweeping, bagging, breaks."""


def live(setup: Mapping[str, Any]) -> tuple[LiveFigure, ...]:
    """The concentration of the moment, before any factor; there is no limit of a moment."""
    return (LiveFigure("mass", str(setup.get("fraction", "Dust")), "mg/m3", 3),)


KIND = Kind(
    stands=True,
    key="dust",
    name="Dust",
    recorder_name="Dust monitor",
    leaflet=LEAFLET,
    setup_model=DustSetup,
    setup_library=LIBRARY,
    plan=plan,
    live=live,
    bench=BENCH,
    assess=assess,
    method="4",
    parts=(*PARTS[:2], ReportPart("table.runs", "All runs in one table"), *PARTS[2:]),
    computed=moving_day,
    fits=fits,
    free_parameters={"guideline": (0.0001, 10_000.0), "shortest_min": (0.0, 1440.0)},
    main_channel="mass",
    bounds=Bounds(400 * DAY_S, 1.0, 16, 40_000_000, 50_000),
    limit_sets=shipped(__name__),
    groups=(GroupRule("twa_shift"),),
    check_list=(
        "Is it switched on? The fan must be heard.",
        "Has the run ended? A running monitor does not answer.",
        "Is the cable plugged in at both ends?",
    ),
    channels=(
        ChannelWord(
            "mass",
            "Mass concentration",
            "mg/m3",
        ),
        ChannelWord("mass.mean24h", "Mean of 24 h, as read", "mg/m3", usual=False),
        ChannelWord("flow_fault", "Flow fault", "flag", reduce="any"),
        ChannelWord("temperature", "Temperature", "°C"),
        ChannelWord("humidity", "Humidity", "%"),
    ),
    decisions=(
        DecisionWord("working_day_s", "Shift", "length", "h", 60, 86_400, hint="as planned"),
        DecisionWord("factor", "Factor", "number", "", 0.01, 100, hint="as set", needs_reason=True),
        DecisionWord("guideline", "Count above", "number", "mg/m3", 0.001, 10_000, hint="the limit"),
        DecisionWord("shortest_min", "for at least", "number", "min", 0, 1_440, hint="as the limits say"),
        DecisionWord("needs_action", "Needs action from", "number", "", 1, 99, hint="as the limits say"),
    ),
    one_table=("runs",),
    checks=(CheckWord("zero-check", "zero", (CheckInput("read", "read", "mg/m3"),), judged_by="zero-check"),),
    events=(EventWord("above", "stretch above", "stretches above"),),
    registers=(
        Followed("twa_shift", "TWA 8 h of the shift"),
        Followed("stel", "Highest 15 min"),
        Followed("max", "Highest"),
        Followed("measured", "Logged"),
    ),
    trends=(
        Followed("twa_shift", "TWA 8 h of the shift"),
        Followed("stel", "Highest 15 min"),
    ),
)
