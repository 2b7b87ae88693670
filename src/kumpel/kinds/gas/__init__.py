"""Personal gas monitors: sensors with their alarms, log interval, what is read first."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Literal, Self

from pydantic import BaseModel, model_validator

from kumpel.core.assessment import Step, Verdict
from kumpel.core.bounds import Bounds
from kumpel.core.check_rules import Allowed
from kumpel.core.front import places_of
from kumpel.core.gas.alike import ALIKE
from kumpel.core.gas.assess import assess
from kumpel.core.gas.sensors import GASES
from kumpel.core.gas.short_term import short_term_means
from kumpel.core.recording import ChannelWord
from kumpel.core.timebase import DAY_S
from kumpel.kinds.bench import BenchCheck, BenchSensor
from kumpel.kinds.kind import CheckInput, CheckWord, DecisionWord, EventWord, Followed, GroupRule, Kind
from kumpel.kinds.limit_sets import shipped
from kumpel.kinds.live import LiveFigure
from kumpel.kinds.plan import Plan, Situation, recorded, resolution
from kumpel.kinds.sensors import Watched
from kumpel.kinds.setup_fields import setting

GasName = Literal["o2", "lel", "co", "h2s", "no2", "so2", "nh3", "cl2", "voc"]
_GASES = {
    "o2": "oxygen",
    "lel": "combustible gas",
    "co": "carbon monoxide",
    "h2s": "hydrogen sulphide",
    "no2": "nitrogen dioxide",
    "so2": "sulphur dioxide",
    "nh3": "ammonia",
    "cl2": "chlorine",
    "voc": "organic vapours",
}
_UNIT = ("gas", {key: gas.unit for key, gas in GASES.items()})
_BOTTLE = tuple(
    CheckInput(key, label, units=_UNIT[1])
    for key, label in (("applied", "applied"), ("before", "read"), ("after", "after it"))
)
_REST = "The monitor"
_YES = {"True": "yes", "False": "no"}


USUAL: dict[str, dict[str, float | None]] = {
    "o2": {"low": 19.5, "high": 23.5, "stel": None, "twa": None, "range": 30, "span": 18},
    "lel": {"low": 10, "high": 20, "stel": None, "twa": None, "range": 100, "span": 50},
    "co": {"low": 20, "high": 100, "stel": 100, "twa": 20, "range": 1000, "span": 100},
    "h2s": {"low": 5, "high": 10, "stel": 10, "twa": 5, "range": 200, "span": 25},
    "no2": {"low": 0.5, "high": 1, "stel": 1, "twa": 0.5, "range": 50, "span": 10},
    "so2": {"low": 0.5, "high": 1, "stel": 1, "twa": 0.5, "range": 50, "span": 5},
    "nh3": {"low": 20, "high": 50, "stel": 50, "twa": 20, "range": 100, "span": 25},
    "cl2": {"low": 0.5, "high": 1, "stel": 0.5, "twa": None, "range": 10, "span": 5},
    "voc": {"low": 50, "high": 100, "stel": None, "twa": None, "range": 1000, "span": 100},
}
"""What a sensor of a gas begins with: alarms at its indicative limits (2017/164/EU, 2000/39/EC, 2009/161/EU), else usual ones of the trade. A
number of one gas must never become the alarm of another."""


class SensorSetup(BaseModel):
    """One sensor of the monitor; alarms in the unit of its gas."""

    gas: GasName = setting("Gas", "co", words=_GASES, brings=USUAL)
    on: bool = setting("On", True, words=_YES)
    off_because: str = setting("Off because", "", when={"on": False}, max_length=60)
    low: float = setting("Low alarm", 20.0, unit_by=_UNIT, ge=0)
    high: float = setting("High alarm", 100.0, unit_by=_UNIT, ge=0)
    stel: float | None = setting("15 min alarm", None, unit_by=_UNIT, ge=0)
    twa: float | None = setting("8 h alarm", None, unit_by=_UNIT, ge=0)
    range: float = setting("Highest reading", 1000.0, unit_by=_UNIT, gt=0)
    span: float | None = setting("Span gas", None, unit_by=_UNIT, ge=0)
    factor: float = setting("Correction factor", 1.0, gt=0, le=20)
    calibration_days: int = setting("Calibrate every", 180, "days", ge=1, le=730)
    bump_days: int = setting("Bump test every", 1, "days", ge=1, le=90)

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.high < self.low:
            raise ValueError("the high alarm has to lie above the low one")
        return self


COLUMNS = ("gas", "on", "low", "high", "stel", "twa", "span", "bump_days", "calibration_days")


def _four() -> list[SensorSetup]:
    return [
        SensorSetup(gas="o2", low=19.5, high=23.5, range=30),
        SensorSetup(gas="lel", low=10, high=20, range=100),
        SensorSetup(gas="co", stel=100, twa=20),
        SensorSetup(gas="h2s", low=5, high=10, stel=10, twa=5, range=200),
    ]


def _blasting() -> list[SensorSetup]:
    return [*_four(), SensorSetup(gas="no2", low=0.5, high=1, stel=1, twa=0.5, range=50)]


class GasSetup(BaseModel):
    """Settings of a personal gas monitor."""

    sensors: list[SensorSetup] = setting("Sensor", _four, columns=COLUMNS, min_length=1, max_length=6)
    interval_s: Literal[1, 5, 10, 30, 60, 300, 600] = setting("Log every", 10, "s")
    run_length_min: int = setting("Shift", 480, "min", ge=1, le=3120)
    latching: bool = setting("Alarms stay until confirmed", True, words=_YES, fold=_REST)
    man_down_s: int | None = setting("Man-down after", 60, "s", {"None": "off"}, fold=_REST, ge=10, le=600)
    display: Literal["values", "ok only", "blank"] = setting("Display", "values", fold=_REST)
    language: Literal["English", "Deutsch"] = setting("Language", "English", fold=_REST)
    name: str = setting("Setup", "Four gases", max_length=60, fold=_REST)


STEL_S = 900.0


def plan(setup: GasSetup, situation: Situation) -> Plan:
    """Mean, lowest and highest of every sensor that is on, at each interval."""
    on = sum(sensor.on for sensor in setup.sensors)
    facts = recorded(3 * on, setup.interval_s, setup.run_length_min, situation, f"{on} sensor{'s' if on != 1 else ''}")
    facts += resolution(setup.interval_s, STEL_S, "15 min")
    return Plan(facts, situation.now_min, float(setup.run_length_min))


def watched(setup: Mapping[str, Any]) -> list[Watched]:
    """A bump test and a calibration of every sensor that is on, as often as its setup says."""
    found = []
    for each in setup.get("sensors") or ():
        if not isinstance(each, Mapping) or not each.get("on", True):
            continue
        gas = str(each.get("gas", ""))
        name = _GASES.get(gas, gas).capitalize()
        found.append(Watched("bump", gas, f"{name}, bump test", float(each.get("bump_days") or 1)))
        found.append(Watched("span", gas, f"{name}, calibration", float(each.get("calibration_days") or 180)))
    return found


LIBRARY: dict[str, BaseModel] = {
    "Four gases": GasSetup(),
    "Four gases and nitrogen dioxide": GasSetup(name="Blasting", sensors=_blasting()),
}


def live(setup: Mapping[str, Any]) -> tuple[LiveFigure, ...]:
    """Every sensor that is on, with its own alarms; of oxygen too little is an alarm as well as too much."""
    found = []
    listed = [each for each in setup.get("sensors") or () if isinstance(each, Mapping)]
    for each in sorted(listed, key=lambda sensor: {"lel": 1, "o2": 2}.get(str(sensor.get("gas")), 0)):
        gas = GASES.get(str(each.get("gas", ""))) if each.get("on", True) else None
        if gas is None:
            continue
        low, high = float(each.get("low") or gas.low), float(each.get("high") or gas.high)
        is_oxygen = gas.key == "o2"
        first = Verdict.ABOVE if is_oxygen else Verdict.ACTION
        steps = (Step(low, first, "low alarm", below=is_oxygen), Step(high, Verdict.ABOVE, "high alarm"))
        decimals = 1 if gas.unit != "ppm" or gas.low >= 5 else 2
        found.append(LiveFigure(f"{gas.key}.avg", gas.name, gas.unit, decimals, steps))
    return tuple(found)


CLEAN = {"o2": 20.9}
"""What clean air holds; of all else nothing."""


def _on_bench(applied: str) -> Callable[[Mapping[str, Any]], tuple[BenchSensor, ...]]:
    def sensors(setup: Mapping[str, Any]) -> tuple[BenchSensor, ...]:
        found = []
        for each in setup.get("sensors") or ():
            gas = GASES.get(str(each.get("gas", ""))) if isinstance(each, Mapping) and each.get("on", True) else None
            if gas is not None:
                value = CLEAN.get(gas.key, 0.0) if applied == "clean air" else None
                found.append(BenchSensor(gas.key, gas.name, gas.unit, value, channel=f"{gas.key}.avg"))
        return tuple(found)

    return sensors


BENCH = (
    BenchCheck(
        "bump",
        "Bump test",
        "Put the monitor into its bay or fit its cap; open the bottle when the first sensor is asked for.",
        Allowed("EN 60079-29-2:2015, 11.3, and the house: every sensor answers", share=0.2, amount=0.2),
        _on_bench("bottle"),
        needs="bottle",
        days=1,
    ),
    BenchCheck(
        "span",
        "Calibration",
        "Zero it in clean air first; fit its cap and open the bottle.",
        Allowed("EN 45544-4:2016, 7.4; EN 60079-29-2:2015, 11.4", share=0.1, amount=0.1),
        _on_bench("bottle"),
        needs="bottle",
        adjusts=True,
        days=180,
    ),
    BenchCheck(
        "zero",
        "Zero",
        "In clean air, away from exhausts.",
        Allowed("EN 45544-4:2016, 7.4", share=0.02, amount=0.5),
        _on_bench("clean air"),
        adjusts=True,
    ),
)

LEAFLET = """\
Wear it at the collar or on the chest, outside the clothes, with the sensors free.
Leave it on for the whole shift.
When it sounds: leave the place at once by the way you were taught, help nobody without breathing protection, then report.
An alarm that is high or lasts is no fault until it was checked.
Do not switch it off, cover it or wash it.
If it shows a fault or a low battery, leave the area and have it changed."""


KIND = Kind(
    stands=True,
    key="gas",
    name="Gas",
    recorder_name="Gas monitor",
    leaflet=LEAFLET,
    setup_model=GasSetup,
    setup_library=LIBRARY,
    plan=plan,
    assess=assess,
    method="4",
    computed=short_term_means,
    watched=watched,
    figures_of=lambda sensor: (f"{sensor}.",),
    front=places_of,
    live=live,
    bench=BENCH,
    reaches=True,
    main_channel="co.avg",
    bounds=Bounds(31 * DAY_S, 1.0, 48, 50_000_000, 50_000),
    limit_sets=shipped(__name__),
    checks=(
        CheckWord("bump-test", "bump test", _BOTTLE, 1, "failed-bump-test", "gas"),
        CheckWord("calibration", "calibration", _BOTTLE, 180, "failed-calibration", "gas"),
    ),
    groups=tuple(GroupRule(f"{gas}.twa_shift") for gas in ("co", "h2s", "no2", "so2", "nh3", "cl2", "voc")),
    shortest_s=20.0,
    check_list=(
        "Is it switched on and past its warm-up (about a minute)?",
        "Is it in its cradle, face up?",
        "Is a bump test running? Wait until it has ended.",
    ),
    channels=(
        ChannelWord("o2.avg", "Oxygen", "vol %"),
        ChannelWord("lel.avg", "Combustible gas", "% LEL"),
        ChannelWord("co.avg", "Carbon monoxide", "ppm"),
        ChannelWord("h2s.avg", "Hydrogen sulphide", "ppm"),
        ChannelWord("no2.avg", "Nitrogen dioxide", "ppm"),
        ChannelWord("so2.avg", "Sulphur dioxide", "ppm"),
        ChannelWord("nh3.avg", "Ammonia", "ppm"),
        ChannelWord("cl2.avg", "Chlorine", "ppm"),
        ChannelWord("voc.avg", "Organic vapours", "ppm"),
        ChannelWord("lat", "Latitude", "deg", reduce="angle", usual=False),
        ChannelWord("lon", "Longitude", "deg", reduce="angle", usual=False),
        *(
            ChannelWord(f"{key}.mean15", f"{_GASES[key].capitalize()}, 15-min mean", GASES[key].unit, usual=False)
            for key in ("co", "h2s", "no2", "so2", "nh3", "cl2", "voc")
        ),
        ChannelWord("o2.min", "Oxygen, lowest", "vol %", usual=False),
        ChannelWord("o2.max", "Oxygen, highest", "vol %", usual=False),
        ChannelWord("lel.min", "Combustible gas, lowest", "% LEL", usual=False),
        ChannelWord("lel.max", "Combustible gas, highest", "% LEL", usual=False),
        ChannelWord("co.min", "Carbon monoxide, lowest", "ppm", usual=False),
        ChannelWord("co.max", "Carbon monoxide, highest", "ppm", usual=False),
        ChannelWord("h2s.min", "Hydrogen sulphide, lowest", "ppm", usual=False),
        ChannelWord("h2s.max", "Hydrogen sulphide, highest", "ppm", usual=False),
        ChannelWord("no2.min", "Nitrogen dioxide, lowest", "ppm", usual=False),
        ChannelWord("no2.max", "Nitrogen dioxide, highest", "ppm", usual=False),
        ChannelWord("so2.min", "Sulphur dioxide, lowest", "ppm", usual=False),
        ChannelWord("so2.max", "Sulphur dioxide, highest", "ppm", usual=False),
        ChannelWord("nh3.min", "Ammonia, lowest", "ppm", usual=False),
        ChannelWord("nh3.max", "Ammonia, highest", "ppm", usual=False),
        ChannelWord("cl2.min", "Chlorine, lowest", "ppm", usual=False),
        ChannelWord("cl2.max", "Chlorine, highest", "ppm", usual=False),
        ChannelWord("voc.min", "Organic vapours, lowest", "ppm", usual=False),
        ChannelWord("voc.max", "Organic vapours, highest", "ppm", usual=False),
    ),
    decisions=(
        DecisionWord("working_day_s", "Shift", "length", "h", 60, 86_400, hint="as planned"),
        DecisionWord(
            "additive",
            "Act together",
            "text",
            offers=tuple((",".join(each.gases), each.words) for each in ALIKE),
            hint="such as co,no2",
        ),
    ),
    events=(
        EventWord("low", "low alarm", "low alarms"),
        EventWord("high", "high alarm", "high alarms"),
        EventWord("man-down", "man-down", "man-downs", droppable=True),
        EventWord("alarm", "alarm of the monitor", "alarms of the monitor", droppable=True),
        EventWord("bump-test", "bump test", "bump tests"),
        EventWord("calibration", "calibration", "calibrations"),
        EventWord("log", "note of the monitor", "notes of the monitor", droppable=True),
    ),
    registers=(
        Followed("co.twa_shift", "CO, TWA 8 h"),
        Followed("co.stel", "CO, 15 min"),
        Followed("h2s.stel", "H2S, 15 min"),
        Followed("no2.stel", "NO2, 15 min"),
        Followed("o2.lowest", "O2, lowest"),
    ),
    trends=(
        Followed("co.twa_shift", "CO, TWA 8 h"),
        Followed("h2s.stel", "H2S, 15 min"),
        Followed("o2.lowest", "O2, lowest"),
    ),
)
