"""Analogue sensors that a setup declares, on the inputs of a simulated logger: raw values beside their data sheet, and their channels."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from kumpel.formats.krec import Channel
from kumpel.standins.device import Measured, Sensor, Setup
from kumpel.standins.made import channel

Floats = NDArray[np.float64]
INPUTS = 8
OFF_V = (0.062, -0.041)
"""How far its ends really lie from those of its data sheet."""
WARM_S = 240.0


def measured(setup: Setup) -> tuple[Measured, ...]:
    """The channels of the declared sensors as live values; of one on an input that the logger does not have there is none."""
    return tuple(_measured(each) for each in _declared(setup))


def _measured(about: Mapping[str, Any]) -> Measured:
    low, high = float(about["low"]), float(about["high"])
    believed = ((float(about["low_v"]), low), (float(about["high_v"]), high))
    gives = tuple((raw + off, true) for (raw, true), off in zip(believed, OFF_V, strict=True))
    rest = 0.0 if low <= 0 <= high else low
    turns = (rest, rest, low + 0.8 * (high - low), rest)
    sensor = Sensor("V", gives, believed, 0.003, turns)
    return Measured(
        key_of(about), str(about["name"]), str(about["unit"]), min(float(about["hz"]), 50.0), rest, 0.0, sensor
    )


def logged(setup: Setup, beside: Mapping[str, Channel], rng: np.random.Generator) -> dict[str, Channel]:
    """What the declared sensors that are on log during a drive: a pressure follows the brake, a temperature rises, all else follows the
    load in corners."""
    found = {}
    for about in _declared(setup):
        if about.get("on", True):
            made = _signal(about, beside, rng)
            found[made.key] = made
    return found


def _signal(about: Mapping[str, Any], beside: Mapping[str, Channel], rng: np.random.Generator) -> Channel:
    low, high, interval_s = float(about["low"]), float(about["high"]), 1.0 / float(about["hz"])
    length_s = max((each.length_s for each in beside.values()), default=0.0)
    at_s: Floats = np.arange(int(length_s / interval_s), dtype=np.float64) * interval_s
    quantity = str(about.get("quantity", "")).lower()
    if "temperature" in quantity:
        share = 0.2 + 0.5 * (1 - np.exp(-at_s / WARM_S))
    elif "pressure" in quantity and "brake" in beside:
        share = 0.6 * _of(beside["brake"], at_s) / 100.0
    else:
        share = np.clip(0.5 + 0.15 * _of(beside["lateral_g"], at_s), 0.0, 1.0)
    values = low + (high - low) * (share + rng.normal(0, 0.001, len(at_s)))
    return channel(key_of(about), str(about["name"]), str(about["unit"]), interval_s, values)


def _of(channel: Channel, at_s: Floats) -> Floats:
    values = np.asarray(channel.values, dtype=np.float64)
    found: Floats = np.interp(at_s, np.arange(len(values)) * channel.interval_s, values)
    return found


def _declared(setup: Setup) -> Iterator[Mapping[str, Any]]:
    return (each for each in setup.get("further") or () if 1 <= int(each["input"]) <= INPUTS)


def key_of(about: Mapping[str, Any]) -> str:
    """The key of its channel, made of its name (docs/methods/vehicle.md)."""
    return re.sub(r"[^a-z0-9]+", "_", str(about["name"]).lower()).strip("_")
