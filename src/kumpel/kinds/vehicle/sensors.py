"""The sensors of a driver's logger, and how each is calibrated."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from kumpel.core.vehicle.assess import extremes_of
from kumpel.core.vehicle.calibration import AXIS, WIRE
from kumpel.core.vehicle.measures import switched_off
from kumpel.kinds.sensors import Position, ProofStep, SensorWord, Watched
from kumpel.kinds.vehicle.further import sensor_words

CALIBRATION = "calibration"
QUARTER_DAYS = 92
ENGINE_STANDS = ("rpm", 100.0)


def _pedal(key: str, label: str) -> SensorWord:
    return SensorWord(
        key,
        label,
        "positions",
        "%",
        (Position("released", 0.0), Position("floored", 100.0)),
        WIRE,
        QUARTER_DAYS,
        proof=(ProofStep("floored, at least 97 %", 97.0, 110.0), ProofStep("released, within 2 % of 0", -2.0, 2.0)),
    )


SENSORS = (
    SensorWord(
        "steering",
        "Steering angle",
        "positions",
        "°",
        (Position("straight ahead", 0.0), Position("turned right", 90.0), Position("turned left", -90.0)),
        WIRE,
        QUARTER_DAYS,
        proof=(
            ProofStep("full right, at least 80°", 80.0, 720.0),
            ProofStep("full left, at least 80°", -720.0, -80.0),
            ProofStep("hands off, within 1° of 0", -1.0, 1.0),
        ),
    ),
    _pedal("throttle", "Accelerator pedal"),
    _pedal("brake", "Brake pedal"),
    SensorWord(
        "accelerations",
        "Accelerations",
        "press",
        "g",
        (
            Position("along", 0.0, "forward_g"),
            Position("across", 0.0, "lateral_g"),
            Position("up", 1.0, "vertical_g"),
        ),
        AXIS,
        QUARTER_DAYS,
        stands="vehicle level, nobody in it, engine off",
        at_rest=ENGINE_STANDS,
    ),
)


def further_sensors(setup: Mapping[str, Any]) -> list[SensorWord]:
    """How the further sensors of a setup are calibrated."""
    return sensor_words(setup, QUARTER_DAYS)


def off_channels(setup: Mapping[str, Any]) -> dict[str, str]:
    """The channels that a setup says are not logged, each with why."""
    return {key: why for key, _, why in switched_off(setup)}


def figures_of(sensor: str) -> tuple[str, ...]:
    """The figures that rest on a sensor: of its channels, where it has several."""
    channels = next((each.channels for each in SENSORS if each.key == sensor), (sensor,))
    return tuple(figure for channel in channels for figure in extremes_of(channel))


def watched(setup: Mapping[str, Any]) -> list[Watched]:
    """The calibrations that a logger should have: of every sensor whose channels are not all switched off."""
    off = off_channels(setup).keys()
    return [
        Watched(CALIBRATION, sensor.key, sensor.label, sensor.every_days)
        for sensor in (*SENSORS, *further_sensors(setup))
        if not set(sensor.channels) <= off
    ]
