"""The quantities of a logger whose extremes are figures: those known, and the further ones that a vehicle's setup declares.

Source: docs/methods/vehicle.md, "Limits" and "Further sensors".
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from kumpel.core.names import channel_key
from kumpel.core.recording import PLAUSIBLE_BPM

MOST_FURTHER, LONGEST_NAME, MOST_POINTS = 16, 40, 9
"""As many, and named as long, as a setup may declare; a recorder may say anything."""
SOURCE = "docs/methods/vehicle.md"
BEYOND_RANGE = 0.1
"""How far beyond its declared range a sensor's value is still believed, as a share of the range."""


@dataclass(frozen=True)
class Measure:
    """A channel whose highest (and lowest) value is a figure: what that is called, the unit it is shown in and the factor to it.

    `believed` are the lowest and highest values somebody can have measured, in the unit of the channel; `lowest` is empty where the
    lowest value is no figure; `signed`: its amount counts, to either side.
    """

    highest: str
    unit: str
    believed: tuple[float, float]
    decimals: int = 0
    factor: float = 1.0
    lowest: str = ""
    signed: bool = False


KNOWN: Mapping[str, Measure] = {
    "speed": Measure("Highest speed", "km/h", (-5.0, 130.0), 1, 3.6),
    "lateral_g": Measure("Highest lateral acceleration", "g", (-8.0, 8.0), 2, signed=True),
    "forward_g": Measure("Highest forward acceleration", "g", (-8.0, 8.0), 2, signed=True),
    "rpm": Measure("Highest engine speed", "rpm", (0.0, 25_000.0)),
    "water_temp": Measure("Highest water temperature", "°C", (-60.0, 250.0)),
    "oil_temp": Measure("Highest oil temperature", "°C", (-60.0, 350.0)),
    "exhaust_temp": Measure("Highest exhaust temperature", "°C", (-60.0, 1300.0)),
    "mixture": Measure("Highest mixture ratio", "", (0.3, 5.0), 2, lowest="Lowest mixture ratio"),
    "heart_rate": Measure("Driver's highest heart rate", "bpm", PLAUSIBLE_BPM),
}
"""Their units are those of `channels.WANTED`; what is believed is our own choice."""
SIGNED = tuple(key for key, measure in KNOWN.items() if measure.signed)


def measures_of(setup: Mapping[str, Any]) -> dict[str, Measure]:
    """The measures of a session with this setup, by channel key; of a name that is known already the known one counts."""
    found = dict(KNOWN)
    for sensor in further(setup):
        found.setdefault(
            sensor.key,
            Measure(
                f"{sensor.name}, highest",
                sensor.unit,
                (sensor.low - BEYOND_RANGE * sensor.span, sensor.high + BEYOND_RANGE * sensor.span),
                sensor.decimals,
                lowest=f"{sensor.name}, lowest",
            ),
        )
    return found


@dataclass(frozen=True)
class Further:
    """A further analogue sensor as a setup declares it: its range in `unit`, and whether it is logged."""

    key: str
    name: str
    unit: str
    low: float
    high: float
    on: bool = True
    off_because: str = ""
    points: int = 2
    """By how many points it is calibrated; 1: its zero alone."""

    @property
    def span(self) -> float:
        return self.high - self.low

    @property
    def decimals(self) -> int:
        """Digits behind the point, so that a thousandth of its range can be read: 1 for 0 to 100 bar, 3 at the most."""
        return min(max(3 - math.floor(math.log10(self.span)), 0), 3)


def further(setup: Mapping[str, Any]) -> list[Further]:
    """The further sensors of a setup; what is not declared rightly (a file from elsewhere, a recorder that says anything) is none."""
    found: list[Further] = []
    for each in _items(setup, "further"):
        name, low, high = str(each.get("name") or ""), _number(each.get("low")), _number(each.get("high"))
        key = channel_key(name)
        if len(found) == MOST_FURTHER:
            break
        if key and len(name) <= LONGEST_NAME and low < high and math.isfinite(high - low):
            unit, why = (str(each.get(word) or "")[:60] for word in ("unit", "off_because"))
            points = _number(each.get("points"))
            count = int(points) if 1 <= points <= MOST_POINTS else 2
            found.append(Further(key, name, unit, low, high, each.get("on") is not False, why, count))
    return found


def switched_off(setup: Mapping[str, Any]) -> list[tuple[str, str, str]]:
    """The channels that a setup says are not logged: key, name in words, and why ("" where nobody said)."""
    found = []
    for each in _items(setup, "channels"):
        if each.get("on") is False:
            key = str(each.get("key") or "")
            found.append((key, key.replace("_", " "), str(each.get("off_because") or "")))
    return [*found, *((s.key, s.name, s.off_because) for s in further(setup) if not s.on)]


def _items(setup: Mapping[str, Any], name: str) -> Iterator[Mapping[str, Any]]:
    listed = setup.get(name)
    return (each for each in (listed if isinstance(listed, list) else ()) if isinstance(each, Mapping))


def _number(value: Any) -> float:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else math.nan
