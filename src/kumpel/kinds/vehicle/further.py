"""Further analogue sensors of a vehicle: declared with it, wired to an input of its logger, calibrated and logged like the known ones."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from typing import Any

from pydantic import BaseModel, model_validator

from kumpel.core.assessment import Rule, Step, Verdict
from kumpel.core.names import channel_key
from kumpel.core.vehicle.calibration import WIRE
from kumpel.core.vehicle.measures import Further, further
from kumpel.kinds.sensors import Position, ProofStep, SensorWord
from kumpel.kinds.setup_fields import setting

MOST = 8
INPUTS = 16
LARGEST = 1e6
LEAST_SPAN_V = 0.3
"""Volts between the ends of a sensor's range, at the least: the same that lie between two points of a calibration."""
AT_REST_SHARE, MOVED_SHARE = 0.02, 0.1
"""What has to be seen of a sensor, as shares of its range: how near to its rest, how far away from it."""
_YES = {"True": "yes", "False": "no"}
_POINTS = {"1": "one press, at rest", **{str(n): f"{n} points" for n in range(2, 10)}}


class FurtherSensor(BaseModel):
    """A sensor on 0 to 5 V: which quantity, in which unit, from where to where, at which voltages by its data sheet, on which input."""

    name: str = setting("Sensor", "", max_length=40)
    quantity: str = setting("Quantity", "", max_length=40)
    unit: str = setting("Unit", "", max_length=12)
    low: float = setting("From", 0.0, ge=-LARGEST, le=LARGEST)
    high: float = setting("To", 100.0, ge=-LARGEST, le=LARGEST)
    low_v: float = setting("At the first", 0.5, "V", ge=0.0, le=5.0)
    high_v: float = setting("At the last", 4.5, "V", ge=0.0, le=5.0)
    input: int = setting("Input", 1, ge=1, le=INPUTS)
    hz: int = setting("Rate", 10, "Hz", ge=1, le=1000)
    points: int = setting("Calibrated by", 2, words=_POINTS, ge=1, le=9)
    on: bool = setting("On", True, words=_YES)
    off_because: str = setting("Off because", "", when={"on": False}, max_length=60)

    @model_validator(mode="after")
    def _is_a_range(self) -> FurtherSensor:
        if not self.low < self.high:
            raise ValueError(
                f"“{self.name}” reaches from {self.low:g} to {self.high:g}; its end lies above its beginning"
            )
        if abs(self.high_v - self.low_v) < LEAST_SPAN_V:
            raise ValueError(f"“{self.name}”: {LEAST_SPAN_V:g} V at the least lie between the ends of its range")
        return self


def fit_together(sensors: Sequence[FurtherSensor], taken: Collection[str]) -> None:
    """Raises ValueError when two have one name or one input, or one has the name of a channel that is `taken`."""
    names: set[str] = set(taken)
    inputs: dict[int, str] = {}
    for each in sensors:
        key = channel_key(each.name)
        if not key or not key[0].isalpha():
            raise ValueError("a further sensor needs a name that begins with a letter")
        if key in names:
            raise ValueError(f"there is a channel “{each.name}” already")
        names.add(key)
        if each.input in inputs:
            raise ValueError(
                f"input {each.input} has “{inputs[each.input]}” on it already; “{each.name}” needs another"
            )
        inputs[each.input] = each.name


def rules(setup: Mapping[str, Any]) -> list[Rule]:
    """What a limit set may say of each further sensor of a setup: its highest and its lowest value, at first at the ends of its range."""
    found = []
    for each in further(setup):
        top = Step(each.high, Verdict.ABOVE, "limit")
        bottom = Step(each.low, Verdict.ABOVE, "limit", below=True)
        found += [
            Rule(f"max.{each.key}", each.name, each.unit, (top,)),
            Rule(f"min.{each.key}", f"{each.name}, low side", each.unit, (bottom,)),
        ]
    return found


def sensor_words(setup: Mapping[str, Any], every_days: int) -> list[SensorWord]:
    """How each further sensor of a setup is calibrated."""
    return [_word(each, every_days) for each in further(setup)]


def _word(sensor: Further, every_days: int) -> SensorWord:
    count = sensor.points
    rest = 0.0 if sensor.low <= 0.0 <= sensor.high else sensor.low
    if count == 1:
        at_rest = (Position("at rest", rest, sensor.key),)
        stands = f"at rest, where it should read {rest:g} {sensor.unit}".rstrip()
        return SensorWord(sensor.key, sensor.name, "press", sensor.unit, at_rest, WIRE, every_days, stands)
    places = ["lowest", *(f"point {i + 1}" for i in range(1, count - 1)), "highest"]
    positions = [Position(w, sensor.low + sensor.span * i / (count - 1)) for i, w in enumerate(places)]
    near, far = AT_REST_SHARE * sensor.span, MOVED_SHARE * sensor.span
    held = ProofStep(f"at rest, within {near:g} {sensor.unit} of {rest:g}", rest - near, rest + near)
    upwards = sensor.high - rest >= rest - sensor.low
    moved = (
        ProofStep(f"moved, at least {rest + far:g} {sensor.unit}", rest + far, sensor.high + sensor.span)
        if upwards
        else ProofStep(f"moved, at most {rest - far:g} {sensor.unit}", sensor.low - sensor.span, rest - far)
    )
    proof = (moved, held)
    return SensorWord(
        sensor.key, sensor.name, "positions", sensor.unit, tuple(positions), WIRE, every_days, proof=proof
    )
