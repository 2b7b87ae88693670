"""The simulated recorders of Tarnfels: thirty in reach, one away, one in a network of its own."""

from __future__ import annotations

from typing import Any

from kumpel.demo import air
from kumpel.demo.ensemble import StandIn
from kumpel.demo.yard import BRAKE_LINE, LOOP, PORTS, RAMP
from kumpel.link.messages import Mode

LASTS_S = 20.0
"""A whole recording of any kind takes this long in the demo, from a hill run to twenty-four hours of cuff readings."""


def _of(kind: str, token: str, name: str, place: str, clock_error_s: float, battery: float, **rest: Any) -> StandIn:
    serial = {"noise": f"NM-{int(token[2:]) + 100:06d}"}.get(kind, f"TF-{token}")
    return StandIn(token, serial, name, place, clock_error_s, battery, kind=kind, rest={"lasts_s": LASTS_S} | rest)


def _noise(number: int, place: str, clock_error_s: float, battery: float, passcode: str = "") -> StandIn:
    token = f"N-{number:02d}"
    return StandIn(
        token,
        f"NM-{number + 100:06d}",
        f"Noise meter {number}",
        place,
        clock_error_s,
        battery,
        passcode,
        rest={"lasts_s": LASTS_S},
    )


METERS = (
    _noise(2, "Dock A, bay 1", 1.0, 0.72),
    _noise(3, "Dock A, bay 3", 0.6, 0.97),
    _noise(4, "Dock A, bay 4", 38.0, 0.91),
    _noise(6, "Dock A, bay 5", -1.2, 0.83, "2718"),
    _noise(7, "Dock A, bay 2", -250.0, 0.61),
)


def _sensors(*gases: str, off: tuple[str, ...] = ()) -> dict[str, Any]:
    usual = {
        "o2": (19.5, 23.5, None, None),
        "lel": (10.0, 20.0, None, None),
        "co": (30.0, 100.0, 100.0, 20.0),
        "h2s": (5.0, 10.0, 10.0, 5.0),
        "no2": (0.5, 1.0, 1.0, 0.5),
        "so2": (0.5, 1.0, 1.0, 0.5),
    }
    sensors = []
    for gas in gases:
        low, high, stel, twa = usual[gas]
        alarms = {"low": low, "high": high, "stel": stel, "twa": twa}
        rest = {"range": 1000.0, "span": None, "factor": 1.0, "calibration_days": 180, "bump_days": 1}
        sensors.append({"gas": gas, "on": gas not in off} | alarms | rest)
    return {"name": "Blasting", "sensors": sensors, "interval_s": 10, "run_length_min": 480}


FIVE = ("o2", "lel", "co", "h2s", "no2")
GAS = (
    _of("gas", "G-01", "Gas monitor 1", "Dock A, bay 15", 0.4, 0.88, setup=_sensors(*FIVE)),
    _of("gas", "G-02", "Gas monitor 2", "Dock A, bay 16", 2.1, 0.97, setup=_sensors(*FIVE)),
    _of("gas", "G-03", "Gas monitor 3", "Dock A, bay 17", -0.8, 0.64, setup=_sensors(*FIVE, "so2", off=("so2",))),
    _of("gas", "G-04", "Gas monitor 4", "Dock A, bay 18", 0.2, 0.93, setup=_sensors(*FIVE)),
    _of(
        "gas",
        "G-05",
        "Gas monitor 5",
        "Dock A, bay 19",
        41.0,
        0.79,
        setup=_sensors(*FIVE),
        mode=Mode.TRANSFER_OFF,
        press="Hold both keys for 3 s until the light blinks; it then warms up for a minute.",
        warm_up_s=60.0,
    ),
)
WORN = (
    *(
        _of("gas", f"G-{n:02d}", f"Gas monitor {n}", "worn", error, battery, setup=_sensors(*FIVE), lasts_s=28_800.0)
        for n, error, battery in ((6, 0.3, 0.81), (7, 1.1, 0.74), (8, -0.4, 0.9))
    ),
    *(
        _of("noise", f"N-{n:02d}", f"Noise meter {n}", "worn", error, battery, lasts_s=28_800.0)
        for n, error, battery in ((8, 0.2, 0.77), (9, 0.9, 0.69))
    ),
)
"""Those that somebody wears just now, and that are heard."""
DUST = (
    _of("dust", "D-01", "Dust monitor 1", "mill", 1.4, 1.0, setup={"factor": 1.34, "fraction": "PM2.5"}),
    _of("dust", "D-02", "Dust monitor 2", "mill control room", -3.0, 1.0),
)
CLINIC = (
    _of("blood_pressure", "C-01", "Cuff recorder 1", "Dock B, bay 1", 0.5, 0.76),
    _of("blood_pressure", "C-02", "Cuff recorder 2", "Dock B, bay 2", -1.1, 0.58),
    _of("blood_pressure", "C-03", "Cuff recorder 3", "Dock B, bay 3", 0.9, 0.91),
    _of("oximetry", "O-01", "Oximeter 1", "Dock B, bay 9", 0.3, 0.82),
    _of("oximetry", "O-02", "Oximeter 2", "Dock B, bay 10", 12.0, 0.44),
    _of("jaw_muscle", "J-01", "Jaw recorder 1", "Dock B, bay 13", -0.6, 0.69),
)
SQUAD = (
    _of("training", "W-01", "Watch 1", "squad room", 0.2, 0.81, over="radio", quality=0.9, bytes_per_s=60_000.0),
    _of("training", "W-02", "Watch 2", "squad room", 0.7, 0.66, over="radio", quality=0.7, bytes_per_s=60_000.0),
    _of(
        "training",
        "W-03",
        "Watch 3, paddle",
        "squad room",
        0.0,
        0.12,
        over="radio",
        quality=0.8,
        mode=Mode.POWER_SAVE,
        press="Press any key: it saves power and wakes for ten minutes.",
        setup={"name": "Paddle", "mode": "paddle", "split_m": 500.0},
    ),
    _of("resuscitation", "R-01", "Defibrillator, pit head", "on a cable", 3.0, 0.95, over="cable", port=str(PORTS)),
)
CUP = {"run": "practice", "series": "Yard cup, round 5", "team": "Haulage", "course": "Practice loop"}
YARD = (
    _of(
        "vehicle",
        "V-01",
        "Logger, hauler 4",
        "near over radio",
        0.4,
        0.9,
        over="radio",
        moved=True,
        quality=0.8,
        setup={"name": "Hauler", "vehicle": "hauler", "number": "4", "machine": "hauler 4", "team": "Haulage"},
        courses=(RAMP,),
    ),
    _of(
        "vehicle",
        "V-02",
        "Logger, kart K-1",
        "near over radio",
        0.1,
        0.74,
        over="radio",
        moved=True,
        quality=0.9,
        setup={
            "number": "26",
            "machine": "kart K-1",
            "further": [{**BRAKE_LINE, "on": True, "off_because": ""}],
            **CUP,
        },
        courses=(LOOP, RAMP),
    ),
    _of(
        "vehicle",
        "V-03",
        "Logger, kart K-2",
        "far bay, over radio",
        -0.5,
        0.52,
        over="radio",
        moved=True,
        quality=0.2,
        bytes_per_s=12_000.0,
        setup={"number": "27", "machine": "kart K-2", **CUP},
        courses=(LOOP,),
    ),
)
FAR = _of(
    "vehicle",
    air.FAR,
    "Logger, service truck",
    "service road",
    1.2,
    0.7,
    over="radio",
    quality=0.4,
    opens=True,
    air=str(air.FOLDER),
    setup={"name": "Truck", "vehicle": "truck", "machine": "service truck", "team": "Haulage"},
    courses=(RAMP,),
)
"""In reach only while the server is in the network that it opens."""
RECORDERS = (*METERS, *GAS, *WORN, *DUST, *CLINIC, *SQUAD, *YARD, FAR)
