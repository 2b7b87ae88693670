"""What a setup will do once it is on the recorder: what a kind can tell of it beforehand."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

DAY_MIN = 1440.0


@dataclass(frozen=True)
class Situation:
    """How things stand when a setup is about to be written: minutes after midnight; hours that the battery lasts, the share of the
    memory that is used (0..1) and all of it in bytes, None where the recorder does not say."""

    now_min: float = 0.0
    lasts_h: float | None = None
    memory_used: float | None = None
    memory_bytes: int | None = None

    @property
    def free_bytes(self) -> float | None:
        if self.memory_used is None or self.memory_bytes is None:
            return None
        return (1 - self.memory_used) * self.memory_bytes


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
"""Share of the memory below which a recording may not fit, where the recorder does not say how much that is."""
VALUE_BYTES = 2
"""A stored sample before packing (docs/recording-file.md, `i16`); packed it is less, so what is said to fit does."""
MB = 1e6
FEWEST_IN_WINDOW = 5
"""With fewer values than these in the time that a figure looks at, a short peak falls between them. A rule of ours."""


def number_words(number: float) -> str:
    """ "28\u202f800"."""
    return f"{number:,.0f}".replace(",", "\u202f")


def megabytes(size: float) -> str:
    """ "0.4 MB", "173 MB"."""
    return f"{size / MB:.1f} MB" if size < 10 * MB else f"{size / MB:.0f} MB"


def memory(situation: Situation, needed_bytes: float | None = None) -> tuple[PlanFact, ...]:
    """Whether the recording fits and how many more like it would, where the recorder says how much memory it has; else how much of it is
    left."""
    free = situation.free_bytes
    if free is not None and needed_bytes:
        more = int(free // needed_bytes) - 1
        short = more < 0
        then = (
            ""
            if short
            else ", the next fits, too"
            if more == 1
            else f", {more} more fit"
            if more > 1
            else ", no other fits"
        )
        return (PlanFact(megabytes(needed_bytes), "of memory", f"{megabytes(free)} free{then}", short),)
    if situation.memory_used is None:
        return ()
    left = 1 - situation.memory_used
    short = left < LITTLE_MEMORY
    about = "take in and clear it first" if short else "room for this recording"
    return (PlanFact(f"{100 * left:.0f} %", "memory free", about, short),)


def recorded(
    values_each: float, interval_s: float, length_min: float, situation: Situation, what: str = ""
) -> tuple[PlanFact, ...]:
    """How many values a recording at equal intervals makes, whether they fit and whether the battery lasts: `values_each` are stored at
    each of them."""
    times = length_min * 60 / interval_s
    pace = f"one every {interval_s:g} s" if interval_s >= 1 else f"{1 / interval_s:g} a second"
    values = PlanFact(number_words(times * values_each), "values", f"{pace}{f', {what}' if what else ''}")
    return (values, *memory(situation, times * values_each * VALUE_BYTES), *battery(length_min / 60, situation))


def resolution(interval_s: float, window_s: float, figure: str) -> tuple[PlanFact, ...]:
    """That too few values lie in the time that a figure looks at, or nothing."""
    values = window_s / interval_s
    if values >= FEWEST_IN_WINDOW:
        return ()
    if values < 1:
        return (PlanFact("no", figure, f"one value in {hours_words(interval_s / 3600)}", True),)
    return (
        PlanFact(
            f"{values:.0f}", f"value{'s' if values >= 1.5 else ''} in {figure}", "what is short falls between", True
        ),
    )
