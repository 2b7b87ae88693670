"""Overnight oximeters."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from kumpel.core.bounds import Bounds
from kumpel.core.check_rules import Allowed, Steady
from kumpel.core.oximetry.assess import assess
from kumpel.core.recording import ChannelWord
from kumpel.core.timebase import DAY_S
from kumpel.kinds.bench import BenchCheck, BenchSensor
from kumpel.kinds.kind import EventWord, Followed, Kind, TagWord
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.plain_report import PATIENT_PARTS
from kumpel.kinds.plan import Plan, Situation, clock_min, recorded, resolution
from kumpel.kinds.setup_fields import TIME_PATTERN, setting

_WARNINGS, _REST = "Warnings", "The recorder"
_NO_WARNING = {"None": "no warning"}


class OximetrySetup(BaseModel):
    """Settings of an overnight oximeter."""

    start_at: str | None = setting("Starts at", None, words={"None": "by hand"}, pattern=TIME_PATTERN)
    stop_at: str | None = setting("Stops at", None, words={"None": "by hand"}, pattern=TIME_PATTERN)
    run_length_min: int = setting("Planned length", 480, "min", ge=30, le=1440)
    low_spo2: int | None = setting("Warn below", None, "%", _NO_WARNING, fold=_WARNINGS, ge=60, le=95)
    low_pulse: int | None = setting("Warn of a pulse below", None, "bpm", _NO_WARNING, fold=_WARNINGS, ge=25, le=80)
    high_pulse: int | None = setting("Warn of a pulse above", None, "bpm", _NO_WARNING, fold=_WARNINGS, ge=80, le=220)
    interval_s: Literal[1, 2, 4] = setting("Store every", 1, "s", fold=_REST)
    wearer: str = setting("Shown on it", "", max_length=40, stored_name="code", fold=_REST)
    name: str = setting("Setup", "Night", max_length=60, fold=_REST)


FALL_S = 10.0
"""A fall lasts that long at the least (docs/methods/oximetry.md)."""


def plan(setup: OximetrySetup, situation: Situation) -> Plan:
    """Saturation and pulse at each interval."""
    facts = recorded(2, setup.interval_s, setup.run_length_min, situation, "saturation and pulse")
    facts += resolution(setup.interval_s, FALL_S, "a fall of 10 s")
    starts = situation.now_min if setup.start_at is None else clock_min(setup.start_at)
    return Plan(facts, starts, float(setup.run_length_min))


LIBRARY: dict[str, BaseModel] = {"Night": OximetrySetup(), "Night, 4 s": OximetrySetup(name="Night, 4 s", interval_s=4)}


LEAFLET = """\
Put the sensor on the finger that was shown to you, nail upwards, shortly before you go to sleep. The nail must be free of varnish.
The recorder begins by itself or with the key, as was shown to you.
Keep it on the whole night. If it slips, put it back on and go on sleeping.
In the morning take it off; it stores by itself.
It warns nobody during the night. If you feel unwell, call for help as you would without it.
Write down when you went to bed, were awake for long, and got up."""


SATURATIONS = (97, 90, 80)
BENCH = (
    BenchCheck(
        "simulator",
        "Finger simulator",
        "Put the probe onto the simulator's finger. It shows that probe and oximeter work, not how accurate they are.",
        Allowed("ISO 80601-2-61:2017, 201.12.1.101: 4 %; annex FF on what a simulator can show", amount=4.0),
        lambda setup: tuple(
            BenchSensor(
                f"spo2.{each}",
                f"SpO2 at {each} %",
                "%",
                float(each),
                0,
                "spo2",
                f"Set the simulator to {each} %, then read it.",
            )
            for each in SATURATIONS
        ),
        needs="simulator",
        steady=Steady(1.0, 10.0),
    ),
)

KIND = Kind(
    bench=BENCH,
    key="oximetry",
    name="Oximetry",
    recorder_name="Oximeter",
    leaflet=LEAFLET,
    setup_model=OximetrySetup,
    setup_library=LIBRARY,
    plan=plan,
    assess=assess,
    method="5",
    main_channel="spo2",
    bounds=Bounds(14 * DAY_S, 10.0, 16, 20_000_000, 50_000),
    exports=("edf",),
    limit_sets=shipped(__name__),
    shortest_s=600.0,
    check_list=(
        "Stop the recording first: hold the key until the display says so.",
        "It keeps one night only: take it in before the next start.",
        "Is the probe cable out and the data cable in?",
    ),
    channels=(
        ChannelWord("spo2", "SpO2", "%"),
        ChannelWord("pulse", "Pulse", "bpm"),
        ChannelWord("movement", "Movement", "flag", reduce="any"),
        ChannelWord("position", "Position", "", reduce="state"),
        ChannelWord("probe_off", "Probe off", "flag", reduce="any"),
    ),
    events=(
        EventWord("desaturation4", "fall of 4 points", "falls of 4 points", droppable=True, around_s=120),
        EventWord("desaturation3", "fall of 3 points", "falls of 3 points", droppable=True, around_s=120),
        EventWord("pulse-rise", "pulse rise", "pulse rises", droppable=True),
        EventWord("artefact", "artefact", "artefacts", keepable=True, around_s=120),
        EventWord("probe-off", "probe off", "probe off", around_s=120),
    ),
    patient=True,
    parts=PATIENT_PARTS,
    tags=(
        TagWord("therapy", "Therapy", "what was on during the night", ("none", "mask", "oxygen")),
        TagWord("place", "Slept", "at home, in hospital", ("at home", "in hospital")),
    ),
    registers=(
        Followed("odi4", "ODI4"),
        Followed("t90", "T90"),
        Followed("lowest", "Lowest"),
        Followed("mean", "Mean"),
        Followed("valid", "Valid"),
    ),
    trends=(
        Followed("odi4", "ODI4"),
        Followed("t90", "T90"),
        Followed("mean", "Mean saturation"),
    ),
)
