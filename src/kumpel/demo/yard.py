"""The yard of Tarnfels: its vehicles and its courses, and where its cables and cards are."""

from __future__ import annotations

from typing import Any

from kumpel.config import DEMO
from kumpel.standins.vehicle_signal import course_of, loop, practice_loop, ramp

PORTS = DEMO / "ports"
LOOP, RAMP = course_of(practice_loop()), course_of(ramp("Ramp", 900, 1))
COURSES = (
    LOOP,
    RAMP,
    course_of(loop("Infield", 640, 3)),
    course_of(loop("Haul road", 2400, 11)),
    course_of(loop("Wet pad", 420, 5)),
)
COMBINED = {"name": "Combined acceleration", "unit": "g", "formula": "sqrt(lateral_g^2 + forward_g^2)"}
BRAKE_LINE: dict[str, Any] = {
    "name": "Brake line pressure",
    "quantity": "pressure",
    "unit": "bar",
    "low": 0.0,
    "high": 100.0,
    "low_v": 0.5,
    "high_v": 4.5,
    "input": 1,
    "hz": 50,
    "points": 3,
}
"""What the mechanic added to one of the karts."""
MIXTURE = {"quantity": "mixture", "over": "rpm", "andOver": "throttle", "low": 0.82, "high": 0.95}
"""What the mechanic of the karts asks first, and the target of these engines."""
VEHICLES: tuple[dict[str, Any], ...] = (
    {"name": "hauler 4", "number": "4", "profile": "hauler", "team": "Haulage"},
    {"name": "hauler 7", "number": "7", "profile": "hauler", "team": "Haulage"},
    {
        "name": "kart K-1",
        "number": "26",
        "profile": "kart",
        "team": "Haulage",
        "derived": (COMBINED,),
        "sensors": (BRAKE_LINE,),
    },
    {"name": "kart K-2", "number": "27", "profile": "kart", "team": "Haulage", "derived": (COMBINED,)},
)
