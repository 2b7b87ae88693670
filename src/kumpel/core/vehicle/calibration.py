"""Sensor calibration: raw values to units by straight pieces, and captures that are refused when unsteady."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Floats

STEADY_SHARE = 0.01
SHORTEST_CAPTURE = 5
LARGEST_OFF_G = 0.5
AXES = ("sideways", "forward", "vertical")


class CaptureError(ValueError):
    """A capture that cannot be used: what is wrong with it and what to do."""


@dataclass(frozen=True)
class PiecewiseLinear:
    """A map from raw values to a unit through points; outside them the outer pieces go on.

    `raw` rises or falls strictly, `value` has the same shape (n,), n >= 2.
    """

    raw: tuple[float, ...]
    value: tuple[float, ...]
    unit: str

    def __post_init__(self) -> None:
        if len(self.raw) != len(self.value) or len(self.raw) < 2:
            raise CaptureError("a calibration needs at least two points, each with a raw and a true value")
        if not all(math.isfinite(v) for v in (*self.raw, *self.value)):
            raise CaptureError("a calibration point is not a number: capture it again")
        steps = np.diff(self.raw)
        if not (np.all(steps > 0) or np.all(steps < 0)):
            points = ", ".join(f"{r:g}" for r in self.raw)
            raise CaptureError(f"the raw values {points} do not go one way: was the sensor moved the right way round?")

    def __call__(self, raw: Floats) -> Floats:
        """Values in the unit, shape of `raw`; nan stays nan."""
        x, y = np.array(self.raw), np.array(self.value)
        if x[0] > x[-1]:
            x, y = x[::-1], y[::-1]
        found = np.interp(raw, x, y)
        low = y[0] + (raw - x[0]) * (y[1] - y[0]) / (x[1] - x[0])
        high = y[-1] + (raw - x[-1]) * (y[-1] - y[-2]) / (x[-1] - x[-2])
        result: Floats = np.where(raw < x[0], low, np.where(raw > x[-1], high, found))
        return result

    def raw_of(self, value: Floats) -> Floats:
        """Raw values of values: the inverse. Raises CaptureError when two raw values mean the same."""
        return PiecewiseLinear(self.value, self.raw, "raw")(value)


def captured(raw: Floats, full_scale: float) -> float:
    """The raw value of a hold of about a second, shape (n,): its mean.

    Raises CaptureError for fewer than 5 samples, missing ones, or a spread (highest - lowest) over 1 % of full scale.
    """
    known = raw[~np.isnan(raw)]
    if len(known) < SHORTEST_CAPTURE or len(known) < len(raw):
        raise CaptureError(f"{len(known)} of {len(raw)} raw values arrived: check the plug, then hold again")
    spread = float(np.ptp(known))
    if spread > STEADY_SHARE * full_scale:
        raise CaptureError(
            f"the raw value moved by {spread:g} while held; {STEADY_SHARE * full_scale:g} is allowed: hold still, capture again"
        )
    return float(known.mean())


def zeroed(
    raw: tuple[float, ...], sensitivity: float, true: tuple[float, ...] = (0.0, 0.0, 1.0)
) -> tuple[PiecewiseLinear, ...]:
    """One press for accelerometers standing level: each axis reads its true value (0, 0 and 1 g) at its raw one.

    `sensitivity` in raw units per g. Raises CaptureError when it is 0, or when an axis reads more than 0.5 g beside what
    the others let expect (their zero points lie alike): the logger lies on its side or upside down.
    """
    if sensitivity == 0 or not math.isfinite(sensitivity):
        raise CaptureError("the sensitivity of the accelerometer must be a number other than 0")
    zeros = [r - sensitivity * t for r, t in zip(raw, true, strict=True)]
    usual = float(np.median(zeros))
    for axis, zero in zip(AXES, zeros, strict=False):
        off = (zero - usual) / sensitivity
        if not abs(off) <= LARGEST_OFF_G:
            raise CaptureError(
                f"the {axis} axis reads {off:+.2f} g beside what is expected: lay the logger level, its top upwards, and press again"
            )
    return tuple(PiecewiseLinear((r, r + sensitivity), (t, t + 1.0), "g") for r, t in zip(raw, true, strict=True))


def two_point(
    raw_low: float, raw_high: float, low: float = 0.0, high: float = 100.0, unit: str = "%"
) -> PiecewiseLinear:
    """A pedal: released and floored. Raises CaptureError when both raw values are the same."""
    if raw_low == raw_high:
        raise CaptureError(f"both captures read {raw_low:g}: was the pedal pressed?")
    return PiecewiseLinear((raw_low, raw_high), (low, high), unit)


def centre_zero(
    raw: tuple[float, float, float], true: tuple[float, float, float] = (90.0, 0.0, -90.0), unit: str = "deg"
) -> PiecewiseLinear:
    """A steering angle: true angles to the right, straight ahead and to the left, and their raw values.

    Raises CaptureError when raw or true values do not go one way.
    """
    steps = (true[1] - true[0], true[2] - true[1])
    if not (steps[0] * steps[1] > 0):
        raise CaptureError("the true angles must go one way: right, straight ahead, left")
    return PiecewiseLinear(raw, true, unit)
