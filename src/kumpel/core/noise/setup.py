"""The weighting set-ups of a personal noise meter and the channels they produce."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from kumpel.core.noise.exposure import DoseRule


@dataclass(frozen=True)
class Weighting:
    """One weighting set-up: frequency weighting A, C or Z; time weighting F, S or I (integrating, "L_eq")."""

    name: str
    frequency: str
    time: str
    rule: DoseRule

    @property
    def unit(self) -> str:
        return "dB" if self.frequency == "Z" else f"dB({self.frequency})"

    @property
    def is_equal_energy(self) -> bool:
        return self.rule.exchange_rate_db == 3 and self.rule.threshold_db is None


DEFAULT = Weighting("EU / ISO", "A", "I", DoseRule())


def _number(source: Mapping[str, object], key: str, default: float | None) -> float | None:
    value = source.get(key, default)
    if value is None:
        return None
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise ValueError(f"setup field {key}: a number is needed, not {value!r}")
    return float(value)


def _required(source: Mapping[str, object], key: str, default: float) -> float:
    value = _number(source, key, default)
    return default if value is None else value


def weightings(setup: Mapping[str, object]) -> tuple[Weighting, ...]:
    """The weighting set-ups of a recorder's settings; one EU/ISO set-up when the settings name none."""
    listed = setup.get("weightings")
    if not isinstance(listed, list | tuple) or not listed:
        return (DEFAULT,)
    return tuple(
        Weighting(
            str(each.get("name", f"set-up {i}")),
            str(each.get("frequency", "A")),
            str(each.get("time", "I")),
            DoseRule(
                _required(each, "exchange_rate_db", 3),
                _required(each, "criterion_db", 85),
                _required(each, "criterion_h", 8),
                _number(each, "threshold_db", None),
            ),
        )
        for i, each in enumerate(listed, 1)
    )


def planned_s(setup: Mapping[str, object]) -> float | None:
    """Planned run length in seconds, None when the setup does not say."""
    minutes = _number(setup, "run_length_min", None)
    return None if not minutes else minutes * 60
