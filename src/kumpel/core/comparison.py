"""Two recordings of one person: what changed, by how much, and whether it is more than one day differs from another by itself."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy

from kumpel.core.assessment import Assessment, LimitSet
from kumpel.core.recording import Recording
from kumpel.core.rounding import stated

FEWEST_EARLIER = 3
"""Earlier recordings from which on a person's own differences from day to day can be told."""
SPAN_SOURCE = "repeatability coefficient: Bland and Altman, Lancet 1986;327:307; ISO 5725-6:1994, 4.1"
Origin = Literal["own", "set", "none"]
Standing = Literal["beyond", "within", "not known"]


@dataclass(frozen=True)
class Side:
    """One of two recordings: its results, what they were held against, and what was said of it (tags), by key."""

    recording: Recording
    found: Assessment
    limits: LimitSet
    tags: Mapping[str, str]


@dataclass(frozen=True)
class Span:
    """By how much a figure differs from one day to another without a reason; nan where nobody can say.

    It comes from the person's `own` earlier recordings (`recordings` of them), or was `set` by the house.
    """

    value: float
    origin: Origin
    recordings: int = 0


@dataclass(frozen=True)
class Change:
    """A figure of both recordings. `difference` is after less before, nan where one of them has none."""

    figure: str
    label: str
    unit: str
    decimals: int
    before: float
    after: float
    difference: float
    span: Span
    standing: Standing


@dataclass(frozen=True)
class Question:
    """Something that has to be alike for a comparison to mean something: the answer (None: not known) and what it rests on.

    One that is `needed` withholds the differences where it is not so.
    """

    text: str
    holds: bool | None
    about: str = ""
    needed: bool = False


@dataclass(frozen=True)
class Comparison:
    """What changed between two recordings; without changes where they cannot be compared at all (`why_not`).

    `differing` is what else was different or alike: what, before, after.
    """

    changes: tuple[Change, ...]
    questions: tuple[Question, ...]
    differing: tuple[tuple[str, str, str], ...] = ()
    why_not: str = ""
    in_words: str = ""


def own_span(values: Sequence[float]) -> Span:
    """The span of a person's own earlier recordings: sqrt(2) t s of n values, with t of Student at 97.5 % and n - 1 degrees.

    Two single days differ by less than that in 19 of 20 pairs (the repeatability coefficient, with t for few values). Fewer than three
    tell nothing. Values that are nan do not count.

    >>> round(own_span([140.0, 144.0, 142.0]).value, 1)   # s = 2, t(2) = 4.303: 1.414 x 4.303 x 2
    12.2
    """
    known = np.array([v for v in values if math.isfinite(v)])
    if len(known) < FEWEST_EARLIER:
        return Span(math.nan, "none", len(known))
    t = float(scipy.special.stdtrit(len(known) - 1, 0.975))
    return Span(math.sqrt(2) * t * float(known.std(ddof=1)), "own", len(known))


def span_of(figure: str, earlier: Sequence[Mapping[str, float]], as_set: Mapping[str, float]) -> Span:
    """The span of a figure: the person's own, else that which the house set, else none."""
    own = own_span([each.get(figure, math.nan) for each in earlier])
    value = as_set.get(figure, math.nan)
    if own.origin == "own" or not math.isfinite(value):
        return own
    return Span(value, "set", own.recordings)


def standing_of(difference: float, span: Span, decimals: int) -> Standing:
    """Whether a difference lies beyond its span, both as they are stated."""
    if not math.isfinite(difference) or not math.isfinite(span.value):
        return "not known"
    return "beyond" if abs(stated(difference, decimals)) > stated(span.value, decimals) else "within"


def changes(
    before: Assessment,
    after: Assessment,
    figures: Sequence[tuple[str, str]],
    earlier: Sequence[Mapping[str, float]],
    as_set: Mapping[str, float],
) -> tuple[Change, ...]:
    """The change of each figure (key and label). Differences are those of the figures as stated, so that a reader can subtract."""
    found = []
    for key, label in figures:
        figure = after.figure(key)
        a, b = before.figure(key).stated, figure.stated
        span = span_of(key, earlier, as_set)
        difference = stated(b - a, figure.decimals)
        standing = standing_of(difference, span, figure.decimals)
        found.append(Change(key, label, figure.unit, figure.decimals, a, b, difference, span, standing))
    return tuple(found)


def withheld(questions: Sequence[Question]) -> str:
    """Why no difference is told: the first thing needed that does not hold; empty when all do."""
    return next((q.about or q.text for q in questions if q.needed and q.holds is not True), "")
