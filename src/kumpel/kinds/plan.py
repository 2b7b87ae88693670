"""What a setup will do once it is on the recorder: what a kind can tell of it beforehand."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

DAY_MIN = 1440.0


@dataclass(frozen=True)
class Situation:
    """How things stand when a setup is about to be written: minutes after midnight; hours that the battery lasts and the share of the
    memory that is used (0..1), None where the recorder does not say."""

    now_min: float = 0.0
    lasts_h: float | None = None
    memory_used: float | None = None


@dataclass(frozen=True)
class PlanFact:
    """One thing that will come of it: a figure with its words, what it is made of, whether it falls short."""

    figure: str
    words: str
    about: str = ""
    short: bool = False


@dataclass(frozen=True)
class Plan:
    """What will come of a setup: facts, and moments in it (minutes after `starts_min`, itself minutes after midnight)."""

    facts: tuple[PlanFact, ...] = ()
    starts_min: float = 0.0
    length_min: float = 0.0
    marks_min: tuple[float, ...] = ()
    values: Mapping[str, float] = field(default_factory=dict)
    """Numbers that follow from the settings, by name: what an editor draws with."""


def hours_words(hours: float) -> str:
    """ "24 h", "7 h 30"."""
    minutes = round(hours * 60)
    return f"{minutes // 60} h" if minutes % 60 == 0 else f"{minutes // 60} h {minutes % 60:02d}"


def clock_words(minutes: float) -> str:
    """Minutes after midnight as a wall time."""
    whole = round(minutes) % 1440
    return f"{whole // 60:02d}:{whole % 60:02d}"


def clock_min(text: str) -> float:
    """Minutes after midnight of a wall time HH:MM."""
    hours, _, minutes = text.partition(":")
    return 60.0 * int(hours) + int(minutes)


def battery(needed_h: float, situation: Situation) -> tuple[PlanFact, ...]:
    """Whether the battery lasts, where the recorder says how long it does."""
    if situation.lasts_h is None:
        return ()
    short = situation.lasts_h < needed_h
    return (PlanFact(hours_words(situation.lasts_h), "battery", f"{hours_words(needed_h)} needed", short),)


LITTLE_MEMORY = 0.05
"""Share of the memory below which a recording may not fit."""


def memory(situation: Situation) -> tuple[PlanFact, ...]:
    """How much memory is left, where the recorder says it."""
    if situation.memory_used is None:
        return ()
    free = 1 - situation.memory_used
    short = free < LITTLE_MEMORY
    about = "take in and clear it first" if short else "room for this recording"
    return (PlanFact(f"{100 * free:.0f} %", "memory free", about, short),)
