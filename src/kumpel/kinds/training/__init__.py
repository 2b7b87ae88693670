"""Watches, pulse belts, stroke and stride meters."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from kumpel.core.bounds import Bounds
from kumpel.core.recording import ChannelWord
from kumpel.core.timebase import DAY_S
from kumpel.core.training.assess import assess
from kumpel.kinds.kind import PLACE, DecisionWord, EventWord, Followed, Kind, TagWord
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.setup_fields import setting


class Zones(BaseModel):
    """Heart-rate zones: how they are given, and their lower edges."""

    by: Literal["highest", "reserve", "typed"] = setting(
        "By", "highest", words={"highest": "% of the highest rate", "reserve": "% of the reserve", "typed": "bpm"}
    )
    edges: list[float] = setting("From", lambda: [50.0, 60.0, 70.0, 80.0, 90.0], min_length=1, max_length=10)


class TrainingSetup(BaseModel):
    """Settings of a training recorder."""

    name: str = setting("Setup", "Run", max_length=60)
    mode: Literal["run", "paddle", "row", "climb"] = setting("Mode", "run")
    sex: Literal["", "f", "m"] = setting("Sex", "", words={"": "not given", "f": "female", "m": "male"})
    age_years: float | None = setting("Age", None, "years", {"None": "not given"}, ge=5, le=110)
    weight_kg: float | None = setting("Weight", None, "kg", {"None": "not given"}, ge=20, le=300)
    heart_rate_highest: int | None = setting(
        "Highest heart rate", None, "bpm", {"None": "from the age"}, ge=100, le=240
    )
    heart_rate_resting: int | None = setting("Resting heart rate", None, "bpm", {"None": "not given"}, ge=25, le=110)
    zones: Zones = setting("Zones", Zones)
    speed_source: Literal["satellite", "impeller", "foot pod"] = setting("Speed from", "satellite")
    split_m: float = setting("Split every", 1000.0, "m", gt=0, le=100_000)
    split_s: float | None = setting("Split every (time)", None, "s", {"None": "by distance"}, gt=0, le=86_400)
    wearer: str = setting("Shown on it", "", max_length=40, stored_name="code")
    greeting: str = setting("Greeting", "", max_length=16, stored_name="text")
    sound: bool = setting("Sound", True, words={"True": "on", "False": "off"})


LIBRARY: dict[str, BaseModel] = {
    "Run": TrainingSetup(),
    "Paddle": TrainingSetup(name="Paddle", mode="paddle", split_m=500),
}


LEAFLET = """\
Wet the strap and wear it close below the chest, the sensor in the middle.
Wait outside until the watch has found its position before you start.
Start and stop with the key that was shown to you; one recording is one session.
Write down how it felt, the weather and what was special."""


KIND = Kind(
    key="training",
    name="Training",
    recorder_name="Training watch",
    leaflet=LEAFLET,
    setup_model=TrainingSetup,
    setup_library=LIBRARY,
    assess=assess,
    main_channel="heart_rate",
    bounds=Bounds(14 * DAY_S, 50.0, 64, 60_000_000, 250_000),
    limit_sets=shipped(__name__),
    check_list=(
        "Is the session stopped and saved on the watch?",
        "Is it in transfer mode (hold the lower left key)?",
        "Is it within 2 m?",
    ),
    channels=(
        ChannelWord("lat", "Latitude", "deg", ("latitude",), reduce="angle"),
        ChannelWord("lon", "Longitude", "deg", ("longitude", "lng", "long"), reduce="angle"),
        ChannelWord("speed", "Speed", "m/s", ("velocity",)),
        ChannelWord("distance", "Distance", "m", ()),
        ChannelWord("altitude", "Altitude", "m", ("elevation", "ele", "height")),
        ChannelWord("heart_rate", "Heart rate", "bpm", ("hr", "pulse", "heartrate")),
        ChannelWord("cadence", "Cadence", "/min", ("stroke rate", "stride rate", "spm")),
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
    trends=(
        Followed("load", "Load"),
        Followed("distance", "Distance"),
        Followed("heart_rate_mean", "Mean heart rate"),
    ),
)
