"""A personal gas monitor: six sensors, alarms by its settings, bump tests; one that is switched off measures nothing."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from kumpel.link.abilities import CHECKS, FIRMWARE, LIVE
from kumpel.standins import gas_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Wishes, of_made, seed_of
from kumpel.standins.gas_signal import ALARMS, BACKGROUND, UNITS, Episode
from kumpel.standins.made import Made


def _sensor(gas: str) -> dict[str, Any]:
    low, high = ALARMS[gas]
    return {"gas": gas, "on": True, "low": low, "high": high, "calibration_days": 180, "bump_days": 1}


FACTORY_SETUP: dict[str, Any] = {
    "name": "Four gases",
    "sensors": [_sensor(gas) for gas in ("o2", "lel", "co", "h2s")],
    "interval_s": 10,
    "run_length_min": 480,
    "latching": True,
    "man_down_s": 60,
    "language": "English",
    "display": "values",
}


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: episodes (gas, start s, length s, level), gaps_s, failed_bump, top, place (latitude, longitude)."""
    sensors = [s for s in began.setup.get("sensors") or FACTORY_SETUP["sensors"] if isinstance(s, dict)]
    on = tuple(str(s["gas"]) for s in sensors if s.get("on", True) and s.get("gas") in BACKGROUND)
    interval = float(began.setup.get("interval_s") or 10)
    shift = gas_signal.usual_shift(seed_of(began, wishes), max(began.length_s, interval), interval)
    extra = tuple(Episode(str(g), float(a), float(n), float(v)) for g, a, n, v in wishes.get("episodes", ()))
    shift = replace(
        shift,
        gases=on or ("o2",),
        episodes=extra or shift.episodes,
        gaps_s=tuple((float(a), float(b)) for a, b in wishes.get("gaps_s", ())),
        failed_bump=tuple(wishes.get("failed_bump", ())),
        top=wishes.get("top"),
        place=tuple(wishes["place"]) if "place" in wishes else None,
    )
    made = gas_signal.make(shift)
    logged = gas_signal.with_log(made, sensors, seed_of(began, wishes))
    return of_made(Made(replace(logged.recording, setup={}), made.truth), began)


DEVICE = Device(
    "gas",
    "GM-6",
    "2.1.0",
    FACTORY_SETUP,
    record,
    tuple(Measured(f"{g}.avg", g.upper(), UNITS.get(g, "ppm"), 1.0, level, 0.1) for g, level in BACKGROUND.items()),
    (LIVE, CHECKS, FIRMWARE),
    checks={"bump": tuple(BACKGROUND), "span": tuple(BACKGROUND), "zero": tuple(BACKGROUND)},
    check_s=60.0,
)
