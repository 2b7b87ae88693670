"""A dust monitor: runs of a length by a plan; looked at only (spot), it stores nothing."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from kumpel.link.abilities import CHECKS, LIVE
from kumpel.standins import dust_signal
from kumpel.standins.device import Began, Device, Measured, Recorded, Setup, Wishes, of_made, run_length_s, seed_of
from kumpel.standins.made import Made

FACTORY_SETUP: dict[str, Any] = {
    "name": "Shift, respirable dust",
    "mode": "logged",
    "fraction": "PM4",
    "interval_s": 10,
    "run_length_min": 480,
    "runs": 1,
    "start_at": None,
    "time_constant_s": 10,
    "factor": 1.0,
}


def planned_s(setup: Setup) -> float:
    return run_length_s(setup) * int(setup.get("runs") or 1)


def record(began: Began, wishes: Wishes) -> Recorded:
    """Wishes: level (mg/m3), above (start s, length s, level), flow_faults_s, zero_passed, soft_s."""
    seed, setup = seed_of(began, wishes), began.setup
    interval = float(setup.get("interval_s") or 10)
    run_s = min(run_length_s(setup), began.length_s)
    plan = dust_signal.usual_runs(seed)
    above = wishes.get("above", [a for a in plan.above if a[0] + a[1] < began.length_s])
    plan = replace(
        plan,
        run_s=max(run_s, interval),
        count=max(min(int(setup.get("runs") or 1), round(began.length_s / max(run_s, interval))), 1),
        interval_s=interval,
        level=float(wishes.get("level", plan.level)),
        spread=0.1 * (10 / float(setup.get("time_constant_s") or 10)) ** 0.5,
        factor=float(setup.get("factor") or 1.0),
        fraction=str(setup.get("fraction") or "PM4"),
        above=tuple((float(a), float(n), float(v)) for a, n, v in above),
        flow_faults_s=tuple((float(a), float(b)) for a, b in wishes.get("flow_faults_s", ())),
        soft_s=float(wishes.get("soft_s", 0.0)),
        zero_passed=bool(wishes.get("zero_passed", True)),
    )
    made = dust_signal.make(plan)
    return of_made(Made(replace(made.recording, setup={}), made.truth), began)


DEVICE = Device(
    "dust",
    "DM-1",
    "1.7.2",
    FACTORY_SETUP,
    record,
    (Measured("mass", "Mass concentration", "mg/m3", 1.0, 0.4, 0.1), Measured("flow", "Flow", "l/min", 1.0, 2.0, 0.02)),
    (LIVE, CHECKS),
    planned_s=planned_s,
    begins=lambda setup: setup.get("start_at"),
    stores=lambda setup: setup.get("mode") != "spot",
    checks={"zero": ("mass",)},
    check_s=30.0,
)
