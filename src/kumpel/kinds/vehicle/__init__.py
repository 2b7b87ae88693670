"""Drivers' loggers in vehicles."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import Any, Literal

from pydantic import BaseModel, field_validator

from kumpel.core.assessment import Assessment, BothWays, LimitSet, Table
from kumpel.core.bounds import Bounds
from kumpel.core.laps_wish import LapsWish
from kumpel.core.recording import Channel, ChannelWord, Recording
from kumpel.core.review import Review
from kumpel.core.rounding import stated
from kumpel.core.timebase import DAY_S
from kumpel.kinds.kind import DecisionWord, EventWord, Followed, Kind, TagWord
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.plan import Plan, PlanFact, Situation, hours_words, megabytes
from kumpel.kinds.setup_fields import TIME_PATTERN, setting
from kumpel.kinds.vehicle import report
from kumpel.kinds.vehicle.further import MOST, FurtherSensor, fit_together, rules
from kumpel.kinds.vehicle.sensors import SENSORS, figures_of, further_sensors, off_channels, watched

CHANNELS = (
    ChannelWord("lat", "Latitude", "deg", reduce="angle"),
    ChannelWord("lon", "Longitude", "deg", reduce="angle"),
    ChannelWord("speed", "Speed", "m/s"),
    ChannelWord("lateral_g", "Lateral acceleration", "g"),
    ChannelWord("forward_g", "Forward acceleration", "g"),
    ChannelWord("vertical_g", "Vertical acceleration", "g", usual=False),
    ChannelWord("steering", "Steering angle", "deg"),
    ChannelWord("throttle", "Throttle", "%"),
    ChannelWord("brake", "Brake", "%"),
    ChannelWord("rpm", "Engine speed", "rpm"),
    ChannelWord("gear", "Gear", "", reduce="state"),
    ChannelWord("water_temp", "Water temperature", "°C"),
    ChannelWord("oil_temp", "Oil temperature", "°C"),
    ChannelWord("exhaust_temp", "Exhaust temperature", "°C"),
    ChannelWord("mixture", "Mixture ratio", ""),
    ChannelWord("heart_rate", "Heart rate", "bpm"),
)
RATES_HZ = {
    "lateral_g": 50,
    "forward_g": 50,
    "steering": 50,
    "throttle": 50,
    "brake": 50,
    "rpm": 20,
    "gear": 10,
    "water_temp": 2,
    "oil_temp": 2,
    "exhaust_temp": 5,
    "mixture": 20,
    "heart_rate": 1,
}
"""What a logger usually logs beside the position, and how often in a second."""
POSITION_VALUES = 3
VALUE_BYTES = 4
"""A logger stores numbers of four bytes: latitude, longitude and speed of each position, one of each channel."""
_DISPLAY, _LOGGER = "Its display", "The logger"
_YES = {"True": "yes", "False": "no"}


class LoggedChannel(BaseModel):
    """A channel of the logger: whether it is logged, how often, and why not."""

    key: Literal[
        "lateral_g",
        "forward_g",
        "vertical_g",
        "steering",
        "throttle",
        "brake",
        "rpm",
        "gear",
        "water_temp",
        "oil_temp",
        "exhaust_temp",
        "mixture",
        "heart_rate",
    ] = setting(
        "Channel",
        "rpm",
        words={word.key: word.name for word in CHANNELS},
    )
    on: bool = setting("On", True, words=_YES)
    hz: int = setting("Rate", 10, "Hz", ge=1, le=1000)
    off_because: str = setting("Off because", "", when={"on": False}, max_length=60)


def _channels() -> list[LoggedChannel]:
    return [LoggedChannel.model_validate({"key": key, "hz": hz}) for key, hz in RATES_HZ.items()]


class VehicleSetup(BaseModel):
    """Settings of a driver's logger. Courses travel with the setup in their plain form (docs/methods/vehicle.md)."""

    driver: str = setting("Driver, on it", "", max_length=40, stored_name="code")
    machine: str = setting("Vehicle", "", max_length=60)
    number: str = setting("Number", "", max_length=8)
    vehicle: Literal["kart", "geared kart", "car", "motorcycle", "hauler"] = setting("Profile", "kart")
    run: str = setting("Kind of session", "", max_length=40)
    series: str = setting("Series", "", max_length=40)
    team: str = setting("Team", "", max_length=40)
    course: str = setting("Course", "", words={"": "found by position"}, refers="courses.*.name", max_length=80)
    position_hz: Literal[10, 25] = setting("Positions a second", 10, "Hz")
    channels: list[LoggedChannel] = setting("Channel", _channels, columns=("key", "on", "hz"), max_length=32)
    further: list[FurtherSensor] = setting(
        "Further sensor", list, columns=("name", "on", "hz", "input"), where_there=True, max_length=MOST
    )
    brightness: int = setting("Brightness by day", 90, "%", fold=_DISPLAY, ge=0, le=100)
    night_brightness: int = setting("Brightness by night", 25, "%", fold=_DISPLAY, ge=0, le=100)
    night_from: str = setting("Night look from", "20:00", fold=_DISPLAY, pattern=TIME_PATTERN)
    night_to: str = setting("Night look to", "06:00", fold=_DISPLAY, pattern=TIME_PATTERN)
    radio: Literal["own network", "join network", "off"] = setting("Radio", "own network", fold=_LOGGER)
    recorder_name: str = setting("Name of the logger", "", max_length=32, fold=_LOGGER)
    name: str = setting("Setup", "Practice", max_length=60, fold=_LOGGER)

    @field_validator("further")
    @classmethod
    def _fit_together(cls, sensors: list[FurtherSensor]) -> list[FurtherSensor]:
        fit_together(sensors, {word.key for word in CHANNELS})
        return sensors


def plan(setup: VehicleSetup, situation: Situation) -> Plan:
    """How many values it logs in a second, how much that is in an hour, how many hours of it fit."""
    on = [each.hz for each in setup.channels if each.on] + [each.hz for each in setup.further if each.on]
    each_s = POSITION_VALUES * setup.position_hz + sum(on)
    an_hour = each_s * VALUE_BYTES * 3600
    logged = PlanFact(f"{each_s:.0f}", "values a second", f"{len(on)} channels and the position")
    stored = PlanFact(megabytes(an_hour), "an hour", "before packing")
    free = situation.free_bytes
    fits = (
        ()
        if free is None
        else (PlanFact(hours_words(free // an_hour), "fit", f"{megabytes(free)} free", free < an_hour),)
    )
    lasts = (
        () if situation.lasts_h is None else (PlanFact(hours_words(situation.lasts_h), "battery", "as it is set up"),)
    )
    return Plan((logged, stored, *fits, *lasts))


LIBRARY: dict[str, BaseModel] = {
    "Kart": VehicleSetup(),
    "Hauler": VehicleSetup(name="Hauler", vehicle="hauler"),
    "Car, 25 Hz": VehicleSetup(name="Car, 25 Hz", vehicle="car", position_hz=25),
}


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """See `core.vehicle.assess`. Imported when first needed: SciPy's signal tools take longer to load than the server."""
    from kumpel.core.vehicle import assess as figures

    return figures.assess(recording, review, limits)


def laps(recording: Recording, review: Review, wish: LapsWish) -> Any:
    """See `core.vehicle.lap_view.lap_sheet`."""
    from kumpel.core.vehicle.lap_view import lap_sheet

    return lap_sheet(recording, review, wish)


def bins(recording: Recording, review: Review, asked: Mapping[str, Any]) -> Any:
    """See `core.vehicle.bins.bin_sheet`."""
    from kumpel.core.vehicle.bins import Asked, bin_sheet

    return bin_sheet(recording, review, Asked(**asked))


def brief(found: Assessment) -> str:
    """A session in a row: "best 1:02.13, 8 laps"."""
    best, count = found.figure("best"), found.figure("laps")
    if not math.isfinite(best.value):
        return best.note
    minutes, seconds = divmod(stated(best.value, 2), 60)
    time = f"{minutes:.0f}:{seconds:05.2f}" if minutes else f"{seconds:.2f} s"
    return f"best {time}, {count.value:.0f} lap{'' if count.value == 1 else 's'}"


def course(recording: Recording, review: Review) -> str:
    """The course that was recognised; a learnt one has no name of its own."""
    from kumpel.core.vehicle.drive import drive_of

    drive = drive_of(recording, review)
    return drive.course.name if drive.course is not None and drive.origin in ("setup", "position") else ""


def computed(recording: Recording) -> dict[str, Channel]:
    """Channels for lanes and tables that no sensor measured: the gear."""
    from kumpel.core.vehicle.gears import gear_channel

    found = gear_channel(recording)
    return {} if found is None else {found.key: found}


def sheets(recording: Recording, review: Review) -> Sequence[Table]:
    """See `core.vehicle.bins.usual_tables`."""
    from kumpel.core.vehicle.bins import usual_tables

    return usual_tables(recording, review)


LEAFLET = """\
The logger is fixed to the vehicle; please do not move it or its sensors.
Wait until it has found its position before you drive out.
It records by itself while you drive.
After the run leave it switched on until its light is steady.
Write down tyres, pressures, fuel and what was changed between the runs."""


KIND = Kind(
    key="vehicle",
    name="Vehicle",
    recorder_name="Vehicle logger",
    leaflet=LEAFLET,
    setup_model=VehicleSetup,
    setup_library=LIBRARY,
    method="6",
    plan=plan,
    laps=laps,
    bins=bins,
    brief=brief,
    course=course,
    sheets=sheets,
    computed=computed,
    sensors=SENSORS,
    further="further",
    further_sensors=further_sensors,
    further_rules=rules,
    off_channels=off_channels,
    watched=watched,
    figures_of=figures_of,
    assess=assess,
    main_channel="speed",
    bounds=Bounds(2 * DAY_S, 1000.0, 256, 250_000_000, 250_000),
    exports=("gpx",),
    limit_sets=shipped(__name__),
    check_list=(
        "Is the ignition on, or the logger's own battery charged?",
        "Is this computer on the logger's network?",
        "Has it a sky view? Without position it records, but finds no course.",
    ),
    channels=CHANNELS,
    decisions=(
        DecisionWord("course", "Course", "text", hint="the best fitting"),
        DecisionWord("cut_by", "Cut by the lines of", "course", hint="as recorded"),
    ),
    events=(
        EventWord("beyond", "time beyond a limit", "times beyond a limit", around_s=20.0),
        EventWord(
            "lap",
            "lap",
            "laps",
            droppable=True,
            keepable=True,
            reasons=("traffic", "spun", "wrong course", "pit"),
        ),
    ),
    parts=report.PARTS,
    own_parts=report.OWN,
    tags=(
        TagWord("run", "Kind of session", "practice, race", ("practice", "qualifying", "race", "test"), "run"),
        TagWord("vehicle", "Vehicle", "number or name", setting="machine"),
        TagWord("place", "Course", "where it was driven"),
        TagWord("series", "Series", "such as club cup", setting="series"),
    ),
    registers=(
        Followed("best", "Best lap"),
        Followed("theoretical", "Theoretical best"),
        Followed("consistency", "Consistency"),
        Followed("laps", "Laps"),
    ),
    by_course=("best", "theoretical"),
    trends=(
        Followed("best", "Best lap"),
        Followed("consistency", "Consistency"),
    ),
)
