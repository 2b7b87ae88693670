"""Sensor calibration: which held raw values make a point of a calibration, and which are refused, with amounts."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

LARGEST_OFF_G = 0.5


class CaptureError(ValueError):
    """A capture that cannot be used: what is wrong with it and what to do."""


@dataclass(frozen=True)
class RawRange:
    """What the raw values of a sensor may be, all in `unit`.

    Below `low` and above `high` its wire is off or broken; a hold whose standard deviation is over `steady` was moving; two points
    lie `apart` at the least.
    """

    unit: str
    low: float
    high: float
    steady: float
    apart: float

    def words(self, raw: float) -> str:
        """A raw value: "2.487 V"."""
        return f"{raw:.3f} {self.unit}"

    def small(self, difference: float) -> str:
        """A spread or a distance, which reads better in thousandths: "212 mV"."""
        return f"{1000 * difference:.0f} m{self.unit}"


WIRE = RawRange("V", 0.20, 4.80, 0.010, 0.30)
"""A ratiometric sensor on 0 to 5 V: the outer 0.2 V are left free so that a broken or shorted wire shows."""
AXIS = RawRange("g", -4.0, 4.0, 0.02, 0.0)
"""An axis of an acceleration sensor of 4 g."""


def accepted(
    raw: float, spread: float, true: float, others: Mapping[str, tuple[float, float]], within: RawRange
) -> float:
    """The raw value of a hold, as a point of a calibration beside the `others` (name: raw and true value).

    `spread` is the standard deviation of the readings held. Raises CaptureError, naming the amount and the limit, when the
    wire is off, the sensor moved, the value is too near another point, or the points turn round.
    """
    if not (math.isfinite(raw) and math.isfinite(spread)):
        raise CaptureError("nothing was measured: check the plug, then capture again")
    if raw < within.low or raw > within.high:
        end, bound = ("under", within.low) if raw < within.low else ("over", within.high)
        raise CaptureError(f"{within.words(raw)} is {end} {bound:.2f} {within.unit}: its wire is off or broken")
    if spread > within.steady:
        raise CaptureError(
            f"it moved: the raw value spread by {within.small(spread)} while held, {within.small(within.steady)} is the limit. Hold still"
        )
    for name, (other, its_true) in others.items():
        if its_true == true:
            raise CaptureError(f"“{name}” has the same true value {true:g}: each point needs its own")
        if abs(raw - other) < within.apart:
            raise CaptureError(
                f"{within.words(raw)} is only {within.small(abs(raw - other))} from “{name}”; "
                f"{within.apart:.2f} {within.unit} is the least. Is it really moved?"
            )
    line = sorted([*((its_true, other) for other, its_true in others.values()), (true, raw)])
    steps = np.diff([r for _, r in line])
    if not (np.all(steps > 0) or np.all(steps < 0)):
        went = ", ".join(f"{within.words(r)} at {t:g}" for t, r in line)
        raise CaptureError(
            f"the order is turned round ({went}): raw values have to rise or fall from one end to the other"
        )
    return raw


def level(axis: str, raw: float, spread: float, true: float, within: RawRange = AXIS) -> float:
    """The raw value of an acceleration axis of a vehicle that stands level, where `true` (g) is what it should read.

    Raises CaptureError when it moved or reads more than 0.5 g beside: the logger lies on its side or upside down.
    """
    held = accepted(raw, spread, true, {}, within)
    if abs(held - true) > LARGEST_OFF_G:
        raise CaptureError(
            f"{axis} reads {held:+.2f} g where {true:+.2f} g is right: lay the logger level, its top upwards, and press again"
        )
    return held
