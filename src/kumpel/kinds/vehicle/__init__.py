"""Drivers' loggers in vehicles."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel

from kumpel.core.assessment import BothWays, LimitSet
from kumpel.core.bounds import Bounds
from kumpel.core.recording import ChannelWord, Recording
from kumpel.core.review import Review
from kumpel.core.timebase import DAY_S
from kumpel.kinds.kind import DecisionWord, EventWord, Followed, Kind, TagWord
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.setup_fields import setting


class VehicleSetup(BaseModel):
    """Settings of a driver's logger. Courses travel with the setup in their plain form (docs/methods/vehicle.md)."""

    name: str = setting("Setup", "Practice", max_length=60)
    recorder_name: str = setting("Name of the logger", "", max_length=32)
    radio: Literal["own network", "join network", "off"] = setting("Radio", "own network")
    driver: str = setting("Driver, on it", "", max_length=40, stored_name="code")
    vehicle: Literal["kart", "geared kart", "car", "motorcycle", "hauler"] = setting("Vehicle", "kart")
    number: str = setting("Number", "", max_length=8)
    series: str = setting("Series", "", max_length=40)
    team: str = setting("Team", "", max_length=40)
    course: str = setting("Course", "", words={"": "found by position"}, refers="courses.*.name", max_length=80)
    position_hz: Literal[10, 25] = setting("Positions a second", 10, "Hz")
    brightness: int = setting("Display brightness", 70, "%", ge=0, le=100)
    night_look: bool = setting("Night look", False, words={"True": "yes", "False": "no"})


LIBRARY: dict[str, BaseModel] = {
    "Kart": VehicleSetup(),
    "Hauler": VehicleSetup(name="Hauler", vehicle="hauler"),
    "Car, 25 Hz": VehicleSetup(name="Car, 25 Hz", vehicle="car", position_hz=25),
}


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """See `core.vehicle.assess`. Imported when first needed: SciPy's signal tools take longer to load than the server."""
    from kumpel.core.vehicle import assess as figures

    return figures.assess(recording, review, limits)


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
    assess=assess,
    main_channel="speed",
    bounds=Bounds(2 * DAY_S, 1000.0, 256, 250_000_000, 250_000),
    limit_sets=shipped(__name__),
    check_list=(
        "Is the ignition on, or the logger's own battery charged?",
        "Is this computer on the logger's network?",
        "Has it a sky view? Without position it records, but finds no course.",
    ),
    channels=(
        ChannelWord("lat", "Latitude", "deg", ("latitude",), reduce="angle"),
        ChannelWord("lon", "Longitude", "deg", ("longitude", "lng", "long"), reduce="angle"),
        ChannelWord("speed", "Speed", "m/s", ("velocity", "gps speed")),
        ChannelWord("lateral_g", "Lateral acceleration", "g", ("lat g", "lateral acc", "acc y", "g lat")),
        ChannelWord("forward_g", "Forward acceleration", "g", ("long g", "longitudinal acc", "acc x", "g long")),
        ChannelWord("vertical_g", "Vertical acceleration", "g", ("acc z",), usual=False),
        ChannelWord("steering", "Steering angle", "deg", ("steer", "steering angle")),
        ChannelWord("throttle", "Throttle", "%", ("accelerator", "tps")),
        ChannelWord("brake", "Brake", "%", ()),
        ChannelWord("rpm", "Engine speed", "rpm", ("engine speed", "engine rpm")),
        ChannelWord("gear", "Gear", "", (), reduce="state"),
        ChannelWord("water_temp", "Water temperature", "°C", ("water", "coolant")),
        ChannelWord("oil_temp", "Oil temperature", "°C", ("oil",)),
        ChannelWord("exhaust_temp", "Exhaust temperature", "°C", ("egt", "exhaust")),
        ChannelWord("mixture", "Mixture ratio", "", ("lambda",)),
        ChannelWord("heart_rate", "Heart rate", "bpm", ("hr",)),
    ),
    decisions=(DecisionWord("course", "Course", "text", hint="the best fitting"),),
    events=(
        EventWord(
            "lap",
            "lap",
            "laps",
            droppable=True,
            keepable=True,
            reasons=("traffic", "spun", "wrong course", "pit"),
        ),
    ),
    tags=(
        TagWord("run", "Kind of session", "practice, race", ("practice", "qualifying", "race", "test")),
        TagWord("vehicle", "Vehicle", "number or name"),
        TagWord("place", "Course", "where it was driven"),
        TagWord("series", "Series", "such as club cup"),
    ),
    registers=(
        Followed("best", "Best lap"),
        Followed("theoretical", "Theoretical best"),
        Followed("consistency", "Consistency"),
        Followed("laps", "Laps"),
    ),
    trends=(
        Followed("best", "Best lap"),
        Followed("consistency", "Consistency"),
    ),
)
