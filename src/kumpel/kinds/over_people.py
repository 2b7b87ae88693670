"""Figures of a kind that are looked at over several people, and what they are called."""

from __future__ import annotations

from collections.abc import Mapping

from kumpel.kinds.kind import Kind


def over_people(kind: Kind) -> list[tuple[str, str]]:
    """The figures that a kind looks at over people, as key and name."""
    labels = {each.figure: each.label for each in (*kind.registers, *kind.trends)}
    # What one sensor's figure is called, the same figure of another is called after that sensor.
    measures = {key.partition(".")[2]: label.partition(", ")[2] for key, label in labels.items() if "." in key}
    return [(rule.figure, labels.get(rule.figure) or _called(rule.figure, measures)) for rule in kind.groups]


def _called(figure: str, measures: Mapping[str, str]) -> str:
    sensor, _, measure = figure.partition(".")
    return f"{sensor.upper()}, {measures.get(measure, measure)}" if measure else figure
