"""The sensors of a gas monitor: what each measures, its alarms, its bump tests and calibrations."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

from kumpel.core.assessment import Finding, Table
from kumpel.core.reckoning import table
from kumpel.core.recording import Event, Recording

DAY_S = 86_400.0


@dataclass(frozen=True)
class Gas:
    """A gas or vapour: key, name, unit, usual alarms (low, high) and highest reading of a usual sensor."""

    key: str
    name: str
    unit: str
    low: float
    high: float
    top: float


GASES: dict[str, Gas] = {
    gas.key: gas
    for gas in (
        Gas("o2", "Oxygen", "vol %", 19.5, 23.5, 30.0),
        Gas("lel", "Combustible gas", "% LEL", 10.0, 20.0, 100.0),
        Gas("co", "Carbon monoxide", "ppm", 20.0, 100.0, 1000.0),
        Gas("h2s", "Hydrogen sulphide", "ppm", 5.0, 10.0, 200.0),
        Gas("no2", "Nitrogen dioxide", "ppm", 0.5, 1.0, 50.0),
        Gas("so2", "Sulphur dioxide", "ppm", 0.5, 1.0, 50.0),
        Gas("nh3", "Ammonia", "ppm", 20.0, 50.0, 100.0),
        Gas("cl2", "Chlorine", "ppm", 0.5, 1.0, 20.0),
        Gas("voc", "Organic vapours", "ppm", 50.0, 100.0, 2000.0),
    )
}


@dataclass(frozen=True)
class Sensor:
    """One sensor as it was set up. `factor` turns the reading into the vapour's concentration (organic vapours)."""

    gas: Gas
    on: bool
    low: float
    high: float
    top: float
    factor: float
    calibration_days: float
    bump_days: float
    off_because: str = ""


def sensor(gas: Gas, settings: Mapping[str, object]) -> Sensor:
    """A sensor from its settings, the usual values where they say nothing. Raises ValueError naming the field."""

    def number(key: str, default: float) -> float:
        value = settings.get(key, default)
        if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
            raise ValueError(f"setup of sensor {gas.key}, field {key}: a number is needed, not {value!r}")
        return float(value)

    return Sensor(
        gas,
        settings.get("on", True) is not False,
        number("low", gas.low),
        number("high", gas.high),
        number("range", gas.top),
        number("factor", 1.0),
        number("calibration_days", 180),
        number("bump_days", 1),
        str(settings.get("off_because") or ""),
    )


def sensors(recording: Recording) -> list[Sensor]:
    """The sensors that the setup lists, then those that only have a channel."""
    listed = recording.setup.get("sensors")
    settings = {
        str(each.get("gas")): each
        for each in (listed if isinstance(listed, list | tuple) else ())
        if isinstance(each, Mapping)
    }
    keys = [*settings, *(c.split(".")[0] for c in recording.channels if c.split(".")[0] not in settings)]
    return [sensor(GASES[key], settings.get(key, {})) for key in dict.fromkeys(keys) if key in GASES]


def checks(recording: Recording) -> list[Event]:
    """Bump tests and calibrations in the recorder's event log."""
    return [e for e in recording.events if e.code in ("bump-test", "calibration")]


def check_findings(recording: Recording, fitted: list[Sensor]) -> list[Finding]:
    """Failed, overdue and missing checks. A failed one blocks its sensor; an overdue one is said, not hidden.

    `data` of a check: gas, applied, before, after, passed; the setup may give `last_calibration` and `last_bump`
    of a sensor in Unix seconds.
    """
    found: list[Finding] = []
    settings = {str(s.get("gas")): s for s in _listed(recording)}
    for each in fitted:
        if not each.on:
            continue
        mine = [e for e in checks(recording) if e.data.get("gas") == each.gas.key]
        last = {e.code: e for e in mine}
        for code, word in (("bump-test", "bump test"), ("calibration", "calibration")):
            event = last.get(code)
            if event is not None and event.data.get("passed") is False:
                text = f"{each.gas.name}: the {word} failed; its readings prove nothing until it is passed"
                found.append(Finding(f"failed-{code}.{each.gas.key}", text, blocks=True, figures=(f"{each.gas.key}.",)))
        for code, key, days, word in (
            ("bump-test", "last_bump", each.bump_days, "bump test"),
            ("calibration", "last_calibration", each.calibration_days, "calibration"),
        ):
            when = settings.get(each.gas.key, {}).get(key)
            if code in last or not isinstance(when, int | float):
                continue
            age = (recording.start - when) / DAY_S
            if age > days:
                over = math.floor(age - days)
                since = f"overdue by {over} day{'' if over == 1 else 's'}" if over else "due since less than a day"
                text = f"{each.gas.name}: {word} {since} (every {days:g} days)"
                found.append(Finding(f"overdue-{code}.{each.gas.key}", text))
    return found


def _listed(recording: Recording) -> list[Mapping[str, object]]:
    listed = recording.setup.get("sensors")
    return [s for s in listed if isinstance(s, Mapping)] if isinstance(listed, list | tuple) else []


def check_table(recording: Recording) -> Table:
    """Bump tests and calibrations for the certificate: applied, read before and after, change of the span factor."""
    rows: list[tuple[str | float, ...]] = []
    fitted = {s.gas.key: s for s in sensors(recording)}
    for event in checks(recording):
        data = event.data
        gas = GASES.get(str(data.get("gas")))
        applied, before, after = (_float(data.get(k)) for k in ("applied", "before", "after"))
        change = applied / before - 1 if before > 0 else math.nan
        words = {True: "passed", False: "failed"}.get(data.get("passed") is True, "") if "passed" in data else ""
        rows.append(
            (
                event.at_s,
                event.code.replace("-", " "),
                gas.name if gas else str(data.get("gas", "")),
                str(data.get("sensor_serial", "")),
                applied,
                before,
                after,
                100 * change if event.code == "calibration" else math.nan,
                words,
                _next_due(event, fitted.get(str(data.get("gas")))),
            )
        )
    columns = (
        ("Time", "clock", 0),
        ("Check", "", None),
        ("Gas", "", None),
        ("Sensor", "", None),
        ("Applied", "", 1),
        ("Before", "", 1),
        ("After", "", 1),
        ("Span factor change", "%", 1),
        ("Result", "", None),
        ("Next due", "clock", 0),
    )
    return table("checks", "Bump tests and calibrations", columns, rows)


def _next_due(event: Event, fitted: Sensor | None) -> float:
    """When the check is due again, in s after the start of the recording; at once when it failed."""
    if fitted is None:
        return math.nan
    if event.data.get("passed") is False:
        return event.at_s
    return event.at_s + DAY_S * (fitted.bump_days if event.code == "bump-test" else fitted.calibration_days)


def _float(value: object) -> float:
    return float(value) if isinstance(value, int | float) and not isinstance(value, bool) else math.nan
