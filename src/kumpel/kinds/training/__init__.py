"""Watches, pulse belts, stroke and stride meters."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise
from math import isnan
from typing import Any, Literal, Self

from pydantic import BaseModel, model_validator

from kumpel.core.assessment import Step, Verdict
from kumpel.core.bounds import Bounds
from kumpel.core.check_rules import Allowed, Steady
from kumpel.core.recording import ChannelWord
from kumpel.core.timebase import DAY_S
from kumpel.core.training.assess import assess
from kumpel.core.training.efforts import EFFORTS_M, effort_words
from kumpel.core.training.heart import wearer_of, zone_edges
from kumpel.core.training.way import way_channels
from kumpel.kinds.bench import BenchCheck, BenchSensor
from kumpel.kinds.kind import PLACE, DecisionWord, EventWord, Followed, Kind, TagWord
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.live import LiveFigure
from kumpel.kinds.plan import VALUE_BYTES, Plan, PlanFact, Situation, hours_words, memory, number_words
from kumpel.kinds.setup_fields import setting
from kumpel.kinds.training import report


class Zones(BaseModel):
    """Heart-rate zones: how they are given, and their lower edges."""

    by: Literal["highest", "reserve", "typed"] = setting(
        "By", "highest", words={"highest": "% of highest", "reserve": "% of reserve", "typed": "typed, bpm"}
    )
    edges: list[float] = setting("From", lambda: [50.0, 60.0, 70.0, 80.0, 90.0], min_length=1, max_length=10)

    @model_validator(mode="after")
    def _rising(self) -> Self:
        if any(b <= a for a, b in pairwise(self.edges)):
            raise ValueError("each zone has to begin above the one before it")
        return self


class Page(BaseModel):
    """A page of the display: the values it shows, the largest first, by the names that the recorder has for them."""

    fields: list[str] = setting("Shows", lambda: ["time"], min_length=1, max_length=6)


def _pages() -> list[Page]:
    return [Page(fields=["time", "distance", "heart_rate"]), Page(fields=["pace", "split_time", "zone"])]


_WEARER, _WATCH = "The wearer", "The watch"
_NOT_GIVEN = {"None": "not given"}


class TrainingSetup(BaseModel):
    """Settings of a training recorder."""

    mode: Literal["run", "paddle", "row", "climb"] = setting("Mode", "run")
    pages: list[Page] = setting("Page", _pages, min_length=1, max_length=8)
    zones: Zones = setting("Zones", Zones)
    heart_rate_highest: int | None = setting(
        "Highest heart rate", None, "bpm", {"None": "from the age"}, personal="heart_rate_highest", ge=100, le=240
    )
    heart_rate_resting: int | None = setting(
        "Resting heart rate", None, "bpm", _NOT_GIVEN, personal="heart_rate_resting", ge=25, le=110
    )
    split_m: float = setting("Split every", 1000.0, "m", gt=0, le=100_000)
    split_s: float | None = setting("Split every (time)", None, "s", {"None": "by distance"}, gt=0, le=86_400)
    speed_source: Literal["satellite", "impeller", "foot pod"] = setting("Speed from", "satellite")
    greeting: str = setting("Greeting", "", max_length=16, stored_name="text")
    age_years: float | None = setting(
        "Age", None, "years", _NOT_GIVEN, fold=_WEARER, personal="age_years", ge=5, le=110
    )
    weight_kg: float | None = setting(
        "Weight", None, "kg", _NOT_GIVEN, fold=_WEARER, personal="weight_kg", ge=20, le=300
    )
    sex: Literal["", "f", "m"] = setting(
        "Sex", "", words={"": "not given", "f": "female", "m": "male"}, fold=_WEARER, personal="sex"
    )
    sound: Literal["off", "low", "loud"] = setting("Sound", "low", fold=_WATCH)
    back_light: Literal["off", "on a key", "always"] = setting("Back light", "on a key", fold=_WATCH)
    light_colour: Literal["white", "amber", "red", "green"] = setting(
        "Colour of the light", "white", fold=_WATCH, where_there=True
    )
    ground: Literal["light", "dark"] = setting("Ground of the display", "light", fold=_WATCH, where_there=True)
    date_order: Literal["day.month", "month/day", "year-month-day"] = setting(
        "Date as", "day.month", fold=_WATCH, where_there=True
    )
    units: Literal["km", "miles"] = setting("Units", "km", fold=_WATCH)
    language: Literal["English", "Deutsch"] = setting("Language", "English", fold=_WATCH)
    wearer: str = setting("Shown on it", "", max_length=40, stored_name="code", fold=_WATCH)
    name: str = setting("Setup", "Run", max_length=60, fold=_WATCH)

    @model_validator(mode="after")
    def _above_resting(self) -> Self:
        highest, resting = self.heart_rate_highest, self.heart_rate_resting
        if highest is not None and resting is not None and highest <= resting:
            raise ValueError(f"the highest heart rate ({highest}) has to lie above the resting one ({resting})")
        return self


AN_HOUR_VALUES = 7 * 3600
"""Position (two), height, speed, distance, heart rate and cadence, each second."""


def plan(setup: TrainingSetup, situation: Situation) -> Plan:
    """The zones in beats per minute, with the rates they come from."""
    settings = setup.model_dump(mode="json")
    wearer = wearer_of(settings)
    known = {"highest": wearer.highest_bpm, "resting": wearer.resting_bpm, "estimated": float(wearer.estimated)}
    edges = zone_edges(settings, wearer)
    known |= {f"zone.{number}": edge for number, edge in enumerate(edges.tolist(), 1)}
    lasts = (
        () if situation.lasts_h is None else (PlanFact(hours_words(situation.lasts_h), "battery", "as it is set up"),)
    )
    values = AN_HOUR_VALUES
    facts = (
        PlanFact(number_words(values), "values an hour", "one a second, seven quantities"),
        *memory(situation, values * VALUE_BYTES),
        *lasts,
    )
    return Plan(facts, values={key: value for key, value in known.items() if not isnan(value)})


LIBRARY: dict[str, BaseModel] = {
    "Run": TrainingSetup(),
    "Paddle": TrainingSetup(name="Paddle", mode="paddle", split_m=500),
}


LEAFLET = """\
Wet the strap and wear it close below the chest, the sensor in the middle.
Wait outside until the watch has found its position before you start.
Start and stop with the key that was shown to you; one recording is one session.
Write down how it felt, the weather and what was special."""


def live(setup: Mapping[str, Any]) -> tuple[LiveFigure, ...]:
    """The heart rate; from nine tenths of the highest on it is to be watched."""
    highest = setup.get("heart_rate_highest")
    steps = (Step(round(0.9 * highest), Verdict.ACTION, "90 % of the highest"),) if isinstance(highest, int) else ()
    return (LiveFigure("heart_rate", "Heart rate", "bpm", 0, steps),)


BENCH = (
    BenchCheck(
        "belt",
        "Belt beside another",
        "Wear the belt and one that is known to be right, both wetted, and sit still for a minute.",
        Allowed("IEC 60601-2-27:2011, 201.12.1.101.15: 10 % or 5 a minute", share=0.1, amount=5.0),
        lambda setup: (
            BenchSensor("heart_rate.rest", "At rest", "bpm", None, 0, "heart_rate", "Type what the other one shows."),
            BenchSensor(
                "heart_rate.moving",
                "Moving evenly",
                "bpm",
                None,
                0,
                "heart_rate",
                "Walk or pedal evenly for a minute first.",
            ),
        ),
        steady=Steady(8.0, 10.0),
    ),
    BenchCheck(
        "pace",
        "Distance beside another",
        "Walk or run a distance that is known, such as five laps of a track, with both worn.",
        Allowed("the house: 3 %", share=0.03),
        lambda setup: (
            BenchSensor("distance", "Distance", "m", None, 0, "", "Type the distance, and what the watch shows of it."),
        ),
        steady=Steady(0.0, 0.0),
    ),
)


KIND = Kind(
    own_parts=report.OWN,
    parts=report.PARTS,
    bench=BENCH,
    key="training",
    name="Training",
    recorder_name="Training watch",
    leaflet=LEAFLET,
    setup_model=TrainingSetup,
    setup_library=LIBRARY,
    plan=plan,
    live=live,
    assess=assess,
    method="6",
    computed=way_channels,
    main_channel="heart_rate",
    bounds=Bounds(14 * DAY_S, 50.0, 64, 60_000_000, 250_000),
    exports=("gpx",),
    limit_sets=shipped(__name__),
    check_list=(
        "Is the session stopped and saved on the watch?",
        "Is it in transfer mode (hold the lower left key)?",
        "Is it within 2 m?",
    ),
    channels=(
        ChannelWord("lat", "Latitude", "deg", reduce="angle"),
        ChannelWord("lon", "Longitude", "deg", reduce="angle"),
        ChannelWord("speed", "Speed", "m/s"),
        ChannelWord("distance", "Distance", "m"),
        ChannelWord("altitude", "Altitude", "m"),
        ChannelWord("heart_rate", "Heart rate", "bpm"),
        ChannelWord("cadence", "Cadence", "/min"),
        ChannelWord("way.m", "Along the way", "m", usual=False),
        ChannelWord("way.east", "East", "m", usual=False),
        ChannelWord("way.north", "North", "m", usual=False),
    ),
    decisions=(
        DecisionWord("split_m", "Split", "number", "m", 10, 100_000, hint="as set"),
        DecisionWord("split_s", "Split by time", "number", "s", 5, 86_400, hint="none"),
        DecisionWord("moving_from", "Moves from", "number", "m/s", 0, 10, hint="usual"),
    ),
    events=(
        EventWord("interval", "interval", "intervals"),
        EventWord("stroke", "stroke", "strokes", droppable=True, around_s=10),
    ),
    tags=(
        TagWord("sport", "Sport", "what was done", ("running", "cycling", "rowing", "gym")),
        TagWord("unit", "Unit", "such as intervals"),
        PLACE,
    ),
    registers=(
        Followed("distance", "Distance"),
        Followed("moving", "Moving"),
        Followed("pace", "Pace"),
        Followed("heart_rate_mean", "Mean heart rate"),
        Followed("load", "Load"),
    ),
    load="load",
    efforts=tuple(Followed(f"effort.{m:g}", effort_words(m)) for m in EFFORTS_M),
    trends=(
        Followed("load", "Load"),
        Followed("distance", "Distance"),
        Followed("heart_rate_mean", "Mean heart rate"),
    ),
)
