"""What was calibrated and checked on the recorders of Tarnfels, and what is overdue."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime, timedelta
from typing import Any

from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.demo.ensemble import Ensemble
from kumpel.services.bench import references
from kumpel.services.recorders import checks
from kumpel.store.tables import Account, Recorder, SensorCheck, now

Points = dict[str, list[list[float]]]
STEERING: Points = {"steering": [[3.951, 90.0], [2.494, 0.0], [1.066, -90.0]]}
BEFORE: Points = {"steering": [[3.949, 90.0], [2.490, 0.0], [1.063, -90.0]]}
OTHER_SENSOR: Points = {"steering": [[4.102, 90.0], [2.611, 0.0], [1.187, -90.0]]}
THROTTLE: Points = {"throttle": [[0.612, 0.0], [4.105, 100.0]]}
BRAKE: Points = {"brake": [[0.588, 0.0], [3.870, 100.0]]}
LEVEL: Points = {"forward_g": [[0.031, 0.0]], "lateral_g": [[-0.018, 0.0]], "vertical_g": [[1.027, 1.0]]}
CALIBRATED: tuple[tuple[str, str, Points, str, float], ...] = (
    ("V-01", "steering", STEERING, "ST-090", 31),
    ("V-01", "throttle", THROTTLE, "PD-14", 31),
    ("V-01", "brake", BRAKE, "PD-15", 31),
    ("V-01", "accelerations", LEVEL, "AX-1", 31),
    ("V-02", "steering", OTHER_SENSOR, "ST-097", 190),
    ("V-02", "steering", BEFORE, "ST-118", 150),
    ("V-02", "steering", STEERING, "ST-118", 110),
    ("V-02", "throttle", THROTTLE, "PD-21", 16),
    ("V-02", "brake", BRAKE, "PD-22", 16),
    ("V-02", "accelerations", LEVEL, "AX-2", 16),
    ("V-03", "steering", STEERING, "ST-119", 16),
    ("V-03", "throttle", THROTTLE, "PD-23", 16),
    ("V-03", "brake", BRAKE, "PD-24", 16),
    ("V-03", "accelerations", LEVEL, "AX-3", 16),
)
"""Recorder, sensor, points, serial number, days ago; the newest is on the recorder."""
REPLACED = (("V-02", "steering", "ST-118", 170, "cable torn off"),)
VALID = timedelta(days=92)
GASES = {
    "G-01": "no2 co h2s lel o2",
    "G-02": "no2 co h2s lel o2",
    "G-03": "no2 co h2s lel o2",
    "G-04": "no2 co h2s lel o2",
}
BOTTLE = {"o2": 18.0, "lel": 50.0, "co": 100.0, "h2s": 25.0, "no2": 5.0}
UNITS = {"o2": "vol %", "lel": "% LEL"}
LATE = ("G-04", "h2s", 192.0)
"""Calibrated so many days ago: twelve days overdue."""
LABORATORY = {"N-02": 400, "N-03": 390, "N-04": 745, "N-06": 120, "N-07": 260}
"""Sound level meters: days since the laboratory had them; they are due after two years (ISO 9612:2009, 5.3)."""


REFERENCES = (
    references.Wish("bottle", "Mix A", {"o2": 18.0, "lel": 50.0, "co": 100.0, "h2s": 25.0}, "2210-7", 62),
    references.Wish("bottle", "Mix B", {"no2": 5.0}, "2197-3", 41),
    references.Wish("bottle", "Mix C", {"so2": 5.0}, "2188-1", 9),
    references.Wish("calibrator", "Calibrator", {"microphone": 94.0}, "AC-31", certificate="L-31-2603"),
)


def put(db: Db, ensemble: Ensemble) -> None:
    recorders = {recorder.token: recorder for recorder in db.exec(select(Recorder)).all()}
    who = db.exec(select(Account.id)).first()
    today = now()
    for token, sensor, points, serial, days in CALIBRATED:
        at = today - timedelta(days=days, hours=2)
        facts: dict[str, Any] = {
            "points": points,
            "serial": serial,
            "adjusted": True,
            "due_at": at + VALID,
            "made_by": who,
        }
        checks.keep(db, recorders[token], SensorCheck(recorder_id=0, what="calibration", sensor=sensor, at=at, **facts))
    for token, sensor, serial, days, why in REPLACED:
        at = today - timedelta(days=days)
        made = SensorCheck(recorder_id=0, what="replaced", sensor=sensor, serial=serial, at=at, note=why, made_by=who)
        checks.keep(db, recorders[token], made)
    for token, days in LABORATORY.items():
        at = today - timedelta(days=days)
        about: dict[str, Any] = {
            "due_at": at + timedelta(days=730),
            "certificate": f"L-{token[2:]}-{at:%y%m}",
            "made_by": who,
        }
        checks.keep(db, recorders[token], SensorCheck(recorder_id=0, what="laboratory check", at=at, **about))
    for wish in REFERENCES:
        references.add(db, replace(wish, expires=today.date() + timedelta(days=wish.left * 4 if wish.left else 300)))
    db.commit()
    for token in {token for token, *_ in CALIBRATED}:
        ensemble.running[token].tell("set", calibrations=_on_it(token, today))
    for token, gases in GASES.items():
        ensemble.running[token].tell("set", checks=_of_gas(token, gases.split(), today))


def _on_it(token: str, today: datetime) -> dict[str, Any]:
    found: dict[str, Any] = {}
    for of, _, points, _, days in CALIBRATED:
        if of != token:
            continue
        for channel, pairs in points.items():
            listed = [{"raw": raw, "true": true} for raw, true in pairs]
            found[channel] = {"points": listed, "at": (today - timedelta(days=days)).timestamp()}
    return found


def _of_gas(token: str, gases: list[str], today: datetime) -> list[dict[str, Any]]:
    """A bump test this morning and a calibration some weeks ago, as the monitor itself remembers them."""
    rows = []
    for i, gas in enumerate(gases):
        days = LATE[2] if (token, gas) == LATE[:2] else 40.0 + int(token[2:])
        for check, ago_s in (("bump", 3600.0 * 3 + i * 40), ("span", 86_400.0 * days + i * 60)):
            applied = BOTTLE[gas]
            rows.append(
                {
                    "check": check,
                    "sensor": gas,
                    "at": today.timestamp() - ago_s,
                    "applied": applied,
                    "before": round(applied * 0.97, 2),
                    "read": round(applied * (1.0 if check == "span" else 0.97), 2),
                    "factor": round(1 / 0.97, 3) if check == "span" else None,
                    "gas": gas,
                    "lot": "T-2611",
                    "type": f"EC {gas}",
                    "serial": _serial(token, gas),
                    "unit": UNITS.get(gas, "ppm"),
                    "adjusted": check == "span",
                    "passed": True,
                }
            )
        # Earlier calibrations: that of hydrogen sulphide has to be turned up a little more each time.
        step = 1.06 if gas == "h2s" else 1.005
        for n in range(1, 4):
            at, applied = today.timestamp() - 86_400 * (days + 176 * n), BOTTLE[gas]
            rows.append(
                rows[-1] | {"at": at, "before": round(applied / step, 2), "read": applied, "factor": round(step, 3)}
            )
    return sorted(rows, key=lambda row: -row["at"])


ORDER = ("o2", "lel", "co", "h2s", "no2")


def _serial(token: str, gas: str) -> str:
    """As the monitor itself numbers its sensors."""
    return f"{gas.upper()}-G{token[2:]}{ORDER.index(gas) + 1:02d}"
