"""What a reviewer decided about a recording: stretches left out, tasks, the working day, acceptances."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from kumpel.core.recording import Flags, Floats


@dataclass(frozen=True)
class Stretch:
    """A time span of a session, from `start_s` (inclusive) to `end_s` (exclusive) after its start."""

    start_s: float
    end_s: float
    label: str

    def __post_init__(self) -> None:
        if not self.end_s > self.start_s:
            raise ValueError(f"the stretch “{self.label}” ends at {self.end_s} s, before it begins")


KEPT_WHEN_SET = {"kept": "when set"}
"""Of a field that came later: what is kept without it is the very same as before it was there."""


@dataclass(frozen=True)
class Doubt:
    """Something from outside a recording that puts its figures in question, such as a check of its recorder that failed afterwards.

    It becomes a finding that stops the verdict until a person accepts it by its `code`; `figures` narrows it to figures whose keys
    begin so, empty means all of them.
    """

    code: str
    text: str
    figures: tuple[str, ...] = ()


@dataclass(frozen=True)
class Checked:
    """A check of the recorder made beside a recording, before its start or after its end: what was applied, what was read, both in the
    unit of the check. `from_start_s` counts from the start of the recording, below zero before it."""

    what: str
    from_start_s: float
    applied: float
    read: float


@dataclass(frozen=True)
class Edge:
    """Whether what begins at a moment (s) is an event of its own, or goes on with the one before; `group` is whose events ("left")."""

    group: str
    at_s: float
    begins: bool


@dataclass(frozen=True)
class Typed:
    """An event, by its name, that is of another type than it was found to be."""

    key: str
    type: str


@dataclass(frozen=True)
class Review:
    """The reviewer's input to an assessment.

    `working_day_s` is the length of the working day that the measurement stands for (ISO 9612, Te); None takes
    the planned time, else the time measured. `attenuation_db` is the worn protection's attenuation, in dB.
    `accepted` names the findings ("coverage", "drift") that a person accepted with a reason.

    `dropped` names events, readings, laps or strokes that do not count, by `core.assessment.event_key`; `kept`
    those that count although the assessment would set them aside. `asleep` replaces the computed sleep,
    `factor` a photometric monitor's factor. `options` holds what the reviewer set for this session alone: the
    settings that each kind's docs/methods page lists. `edges` split events and join them, `typed` gives them another type. `doubts` and `checks` are no decision, but what is known of the recorder
    beside the recording: they hold both ways.
    """

    left_out: tuple[Stretch, ...] = ()
    tasks: tuple[Stretch, ...] = ()
    working_day_s: float | None = None
    attenuation_db: float | None = None
    accepted: tuple[str, ...] = ()
    dropped: tuple[str, ...] = ()
    kept: tuple[str, ...] = ()
    asleep: tuple[Stretch, ...] | None = None
    factor: float | None = None
    options: Mapping[str, float | str] = field(default_factory=dict)
    doubts: tuple[Doubt, ...] = field(default=(), metadata=KEPT_WHEN_SET)
    checks: tuple[Checked, ...] = field(default=(), metadata=KEPT_WHEN_SET)
    edges: tuple[Edge, ...] = field(default=(), metadata=KEPT_WHEN_SET)
    typed: tuple[Typed, ...] = field(default=(), metadata=KEPT_WHEN_SET)

    def as_recorded(self) -> Review:
        """The same review without a decision about the data: nothing left out, dropped, kept or moved."""
        return replace(self, left_out=(), dropped=(), kept=(), asleep=None, factor=None, edges=(), typed=())

    def number(self, name: str, default: float) -> float:
        """An option as a number. Raises ValueError naming the option when it is none."""
        value = self.options.get(name, default)
        try:
            found = float(value)
        except ValueError:
            raise ValueError(f"option {name}: a number is needed, not “{value}”") from None
        if found != found or found in (float("inf"), float("-inf")):
            raise ValueError(f"option {name}: a finite number is needed")
        return found


MOVED_S = 0.5
"""So far a found event may move (a better method, another filter) and still be the one that a review names."""


@dataclass(frozen=True)
class EventName:
    """What a review calls an event by: its code and start, and how long it was when it was named (0: not known)."""

    code: str
    at_s: float
    length_s: float = 0.0

    @classmethod
    def of(cls, key: str) -> EventName | None:
        """The name in "tonic@5421.25" or "tonic@5421.25+6.8"; None when it is none."""
        code, _, place = key.rpartition("@")
        at, _, length = place.partition("+")
        if not code or not _is_number(at) or not _is_number(length or "0"):
            return None
        return cls(code, float(at), float(length or 0))


def is_named(keys: Sequence[str], code: str, at_s: float) -> bool:
    """Whether a review names the event of this code at this moment, to the millisecond; for events that never move."""
    names = (EventName.of(key) for key in keys)
    return any(n is not None and n.code == code and abs(n.at_s - at_s) < 0.0006 for n in names)


def named(keys: Sequence[str], code: str, starts_s: Floats, ends_s: Floats) -> Flags:
    """Flags, shape (n,), of the events of a code (from `starts_s` to `ends_s`) that `keys` name.

    A key ("tonic@5421.25") names the event that starts then, to the millisecond; when none does any more, the one that
    overlaps it, else the nearest within half a second. No event takes the key of another.
    """
    flags = np.zeros(len(starts_s), dtype=bool)
    names = [n for n in map(EventName.of, keys) if n is not None and n.code == code]
    if not names or not len(starts_s):
        return flags
    moved = []
    for name in names:
        exact = np.flatnonzero(np.abs(starts_s - name.at_s) < 0.0006)
        if not len(exact):
            exact = np.flatnonzero(np.abs(np.round(starts_s, 1) - name.at_s) < 0.0006)
        if len(exact):
            flags[exact] = True
        else:
            moved.append(name)
    for name in moved:
        away = np.maximum(np.maximum(starts_s - name.at_s - name.length_s, name.at_s - ends_s), 0.0)
        away[flags] = np.inf
        nearest = int(np.lexsort((np.abs(starts_s - name.at_s), away))[0])
        flags[nearest] |= away[nearest] <= MOVED_S
    return flags


def _is_number(text: str) -> bool:
    try:
        return math.isfinite(float(text))
    except ValueError:
        return False


def samples_inside(stretches: tuple[Stretch, ...], count: int, interval_s: float) -> Flags:
    """Flags, shape (count,), of the samples whose middle lies in any of the stretches."""
    flags = np.zeros(count, dtype=bool)
    for stretch in stretches:
        first = int(np.ceil(stretch.start_s / interval_s - 0.5))
        end = int(np.ceil(stretch.end_s / interval_s - 0.5))
        flags[max(first, 0) : max(end, 0)] = True
    return flags
