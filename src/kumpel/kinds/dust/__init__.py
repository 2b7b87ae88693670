"""Dust and indoor-air monitors: fraction, runs, photometric factor."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from kumpel.core.bounds import Bounds
from kumpel.core.dust.assess import assess
from kumpel.core.recording import ChannelWord
from kumpel.core.timebase import DAY_S
from kumpel.kinds.kind import CheckInput, CheckWord, DecisionWord, EventWord, Followed, GroupRule, Kind
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.setup_fields import setting


class DustSetup(BaseModel):
    """Settings of a dust monitor."""

    name: str = setting("Setup", "Shift, respirable dust", max_length=60)
    mode: Literal["logged", "spot"] = setting("Mode", "logged", words={"spot": "spot: looked at, nothing stored"})
    fraction: Literal["PM1", "PM2.5", "PM4", "PM10", "total"] = setting(
        "Fraction", "PM4", words={"PM4": "PM4, respirable"}
    )
    interval_s: Literal[1, 10, 30, 60, 300, 900] = setting("Log every", 10, "s")
    run_length_min: int = setting("Length of a run", 480, "min", ge=1, le=10_080)
    runs: int = setting("Runs", 1, ge=1, le=99)
    start_at: str | None = setting("Starts at", None, words={"None": "by hand"}, pattern=r"^\d\d:\d\d$")
    time_constant_s: Literal[1, 10, 60] = setting("Time constant", 10, "s")
    factor: float = setting("Photometric factor", 1.0, gt=0, le=20)


LIBRARY: dict[str, BaseModel] = {
    "Shift, respirable dust": DustSetup(),
    "Shift, total dust": DustSetup(name="Shift, total dust", fraction="total"),
    "Indoor air, 24 h PM2.5": DustSetup(
        name="Indoor air, 24 h PM2.5", fraction="PM2.5", interval_s=60, run_length_min=1440
    ),
}


LEAFLET = """\
Wear it at the collar, with the inlet free and within a hand's width of mouth and nose.
Leave it on for the whole shift. Work as on any other day.
Do not blow on the inlet, cover it or lay the monitor into dust.
If the pump stops or a light shows a fault, tell us at once and write down when.
Note what you did and where: cutting, sweeping, bagging, breaks."""


KIND = Kind(
    key="dust",
    name="Dust",
    recorder_name="Dust monitor",
    leaflet=LEAFLET,
    setup_model=DustSetup,
    setup_library=LIBRARY,
    assess=assess,
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
            ("concentration", "dust", "pm", "pm1", "pm2.5", "pm4", "pm10", "aerosol"),
        ),
        ChannelWord("flow_fault", "Flow fault", "flag", ("flow",), reduce="any"),
        ChannelWord("temperature", "Temperature", "°C", ("temp",)),
        ChannelWord("humidity", "Humidity", "%", ("rh", "relative humidity")),
    ),
    decisions=(
        DecisionWord("working_day_s", "Shift", "length", "h", 60, 86_400, hint="as planned"),
        DecisionWord("factor", "Factor", "number", "", 0.01, 100, hint="as set", needs_reason=True),
        DecisionWord("guideline", "Count above", "number", "mg/m3", 0.001, 10_000, hint="the limit"),
    ),
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
