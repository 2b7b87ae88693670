"""Units that a reader has chosen: what is kept in one unit is shown, printed and typed in another; nothing kept changes.

A figure is converted as it is stated (rounded in the unit it is kept and compared in), so that two that are equal on record are
equal in every unit.
"""

from __future__ import annotations

import math
import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace

import numpy as np

from kumpel.core.assessment import Assessment, BothWays, Figure, Finding, Judgement, Step, Table, TableColumn
from kumpel.core.comparison import Change
from kumpel.core.recording import Channel
from kumpel.core.rounding import shown, stated


@dataclass(frozen=True)
class Conversion:
    """How a kept unit is read: read = kept x factor + offset, with so many decimals more (or fewer)."""

    kept: str
    read: str
    factor: float
    offset: float = 0.0
    decimals: int = 0

    def value(self, value: float) -> float:
        return value * self.factor + self.offset


@dataclass(frozen=True)
class Choice:
    """What a reader may choose of one quantity beside what is kept."""

    key: str
    label: str
    usual: str
    other: str
    conversions: tuple[Conversion, ...]


MILE, FOOT, INCH, POUND, PSI = 1609.344, 0.3048, 0.0254, 0.45359237, 6894.757293168361
"""Metres, kilograms and pascals. Source: NIST Special Publication 811 (2008), appendix B.8; exact but for the last, 1 lbf/in2."""

CHOICES = (
    Choice(
        "distance",
        "Distance and speed",
        "m, km, km/h",
        "feet, miles, mph",
        (
            Conversion("m", "ft", 1 / FOOT),
            Conversion("km", "mi", 1000 / MILE),
            Conversion("m/s", "mph", 3600 / MILE),
            Conversion("km/h", "mph", 1000 / MILE),
            Conversion("s/km", "s/mi", MILE / 1000),
        ),
    ),
    Choice(
        "body",
        "Weight and height",
        "kg, cm",
        "pounds, inches",
        (Conversion("kg", "lb", 1 / POUND), Conversion("cm", "in", 0.01 / INCH, decimals=1)),
    ),
    Choice("temperature", "Temperature", "°C", "°F", (Conversion("°C", "°F", 1.8, 32.0),)),
    Choice(
        "pressure",
        "Pressure of oil, fuel, brakes and tyres",
        "bar, kPa",
        "psi",
        (Conversion("bar", "psi", 1e5 / PSI, decimals=-1), Conversion("kPa", "psi", 1e3 / PSI, decimals=1)),
    ),
)
_KNOWN = {choice.key: choice for choice in CHOICES}
_IN_WORDS = ("km/h", "m/s", "km", "°C", "bar", "kPa", "kg", "cm", "m")
_QUANTITY = re.compile(
    rf"(?<![\w.,])([-−]?\d+(?:\.\d+)?) ({'|'.join(map(re.escape, _IN_WORDS))})(?![\w²³/°])",
)


class ReadersUnits:
    """The units of one reader. Without a choice everything is as it is kept.

    >>> units = ReadersUnits(("distance", "temperature"))
    >>> units.number(129.96, "km/h", 1), units.unit("km/h")
    ('80.8', 'mph')
    >>> units.words("Oil of 120.5 °C for 30 s at 412 m")
    'Oil of 248.9 °F for 30 s at 1352 ft'
    """

    def __init__(self, chosen: Collection[str] = ()) -> None:
        """`chosen` are keys of CHOICES; others are passed over, they may be of a later version."""
        self.chosen = tuple(key for key in _KNOWN if key in chosen)
        self._by_unit: Mapping[str, Conversion] = {
            conversion.kept: conversion for key in self.chosen for conversion in _KNOWN[key].conversions
        }

    @property
    def conversions(self) -> tuple[Conversion, ...]:
        return tuple(self._by_unit.values())

    def unit(self, unit: str) -> str:
        found = self._by_unit.get(unit)
        return found.read if found else unit

    def value(self, value: float, unit: str) -> float:
        found = self._by_unit.get(unit)
        return found.value(value) if found else value

    def difference(self, value: float, unit: str) -> float:
        """A difference of two values: that of temperatures has no offset."""
        found = self._by_unit.get(unit)
        return value * found.factor if found else value

    def decimals(self, decimals: int, unit: str) -> int:
        found = self._by_unit.get(unit)
        return max(decimals + found.decimals, 0) if found else decimals

    def number(self, value: float, unit: str, decimals: int) -> str:
        """A kept value as it is printed, without its unit."""
        return shown(self.value(stated(value, decimals), unit), self.decimals(decimals, unit))

    def limit(self, value: float, unit: str) -> float:
        """A limit: as round as it was typed, else to a tenth."""
        return value if unit not in self._by_unit else stated(self.value(value, unit), 1)

    def words(self, text: str, *, differences: bool = False) -> str:
        """A sentence of Kumpel's own with its quantities (or `differences` of them) in the reader's units. Never given what a person
        wrote."""
        if not self._by_unit:
            return text
        read_value = self.difference if differences else self.value

        def read(found: re.Match[str]) -> str:
            number, unit = found.group(1).replace("−", "-"), found.group(2)
            if unit not in self._by_unit:
                return found.group(0)
            decimals = self.decimals(len(number.partition(".")[2]), unit)
            return f"{shown(read_value(float(number), unit), decimals)} {self.unit(unit)}"

        return _QUANTITY.sub(read, text)

    def said(self, read: set[str]) -> str:
        """How those of these units that are the reader's are kept, for paper: "ft (kept in m), mph (kept in m/s, km/h)"; empty where
        none is."""
        found: dict[str, list[str]] = {}
        for each in self.conversions:
            if each.read in read:
                found.setdefault(each.read, []).append(each.kept)
        return ", ".join(f"{unit} (kept in {', '.join(kept)})" for unit, kept in found.items())

    # What a result holds, for paper.

    def change(self, change: Change) -> Change:
        """What changed between two recordings."""
        unit = change.unit
        if unit not in self._by_unit:
            return change
        return replace(
            change,
            unit=self.unit(unit),
            decimals=self.decimals(change.decimals, unit),
            before=self.value(stated(change.before, change.decimals), unit),
            after=self.value(stated(change.after, change.decimals), unit),
            difference=self.difference(change.difference, unit),
            span=replace(change.span, value=self.difference(change.span.value, unit)),
        )

    def both(self, both: BothWays, lanes: Mapping[str, str]) -> BothWays:
        """Both results; `lanes` are the units of the channels that lines are drawn on, by key."""
        if not self._by_unit:
            return both
        recorded, reviewed = self.assessment(both.recorded, lanes), self.assessment(both.reviewed, lanes)
        return replace(both, recorded=recorded, reviewed=reviewed)

    def assessment(self, found: Assessment, lanes: Mapping[str, str]) -> Assessment:
        """Figures, tables, judgements, lines and sentences in the reader's units; verdicts stay those of the kept ones."""
        return replace(
            found,
            words=self.words(found.words),
            figures=tuple(self.figure(each) for each in found.figures),
            judgements=tuple(self._judgement(each) for each in found.judgements),
            tables=tuple(self.table(each) for each in found.tables),
            quality=replace(found.quality, findings=tuple(self._finding(each) for each in found.quality.findings)),
            levels=tuple(
                replace(each, value=self.limit(each.value, lanes.get(each.lane, ""))) for each in found.levels
            ),
        )

    def figure(self, figure: Figure) -> Figure:
        if figure.unit not in self._by_unit:
            return replace(figure, note=self.words(figure.note))
        return replace(
            figure,
            value=self.value(figure.stated, figure.unit),
            unit=self.unit(figure.unit),
            decimals=self.decimals(figure.decimals, figure.unit),
            note=self.words(figure.note),
        )

    def table(self, table: Table) -> Table:
        def cell(column: TableColumn, value: str | float) -> str | float:
            # Names of tasks and of places are a person's words.
            return (
                value
                if isinstance(value, str) or math.isnan(value)
                else self.value(stated(value, column.decimals or 0), column.unit)
            )

        return replace(
            table,
            title=self.words(table.title),
            columns=tuple(
                replace(
                    column,
                    unit=self.unit(column.unit),
                    decimals=None if column.decimals is None else self.decimals(column.decimals, column.unit),
                )
                for column in table.columns
            ),
            rows=tuple(
                tuple(cell(column, value) for column, value in zip(table.columns, row, strict=True))
                for row in table.rows
            ),
        )

    def channel(self, channel: Channel) -> Channel:
        found = self._by_unit.get(channel.unit)
        if found is None:
            return channel
        values = np.asarray(channel.values, dtype=float) * found.factor + found.offset
        return Channel(channel.key, channel.name, found.read, channel.interval_s, values)

    def _judgement(self, judgement: Judgement) -> Judgement:
        unit = judgement.unit
        if unit not in self._by_unit:
            return judgement
        return replace(
            judgement,
            value=self.value(judgement.value, unit),
            unit=self.unit(unit),
            words=self.words(judgement.words),
            limit=None if judgement.limit is None else self.limit(judgement.limit, unit),
            steps=tuple(self._step(step, unit) for step in judgement.steps),
            at_least=None if judgement.at_least is None else self.value(judgement.at_least, unit),
        )

    def _step(self, step: Step, unit: str) -> Step:
        return replace(step, value=self.limit(step.value, unit))

    def _finding(self, finding: Finding) -> Finding:
        # Why a sensor was switched off is a person's words.
        return finding if finding.code.startswith("off.") else replace(finding, text=self.words(finding.text))


AS_KEPT = ReadersUnits()
"""Of nobody who chose otherwise."""
