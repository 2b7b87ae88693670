"""Two recordings of one person or place, of any kind: the figures that both have, what has to be alike, what was different."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from kumpel.core.assessment import Assessment, Verdict
from kumpel.core.comparison import Change, Comparison, Question, Side, changes, withheld
from kumpel.core.rounding import shown

LENGTHS_ALIKE = 0.25
"""Lengths that differ by more than this share of the longer one are said."""
HOURS_ALIKE = 2.0
"""Starts that lie further apart on the wall are said."""
FOREMOST = 8


def compare(
    before: Side,
    after: Side,
    figures: Sequence[tuple[str, str]],
    earlier: Sequence[Mapping[str, float]],
    as_set: Mapping[str, float],
) -> Comparison:
    """The change of each figure that both have: first those of `figures` (key and label), then all others by their own names.

    Differences are withheld where one of the two cannot be assessed, or both are held against different limits. Where nothing is known
    of the usual span from one day to another, that is said of each (`core.comparison`).
    """
    asked = questions(before, after)
    why_not = withheld(asked)
    named = {key for key, _ in figures[:FOREMOST]}
    found = () if why_not else changes(before.found, after.found, _of_both(before, after, figures), earlier, as_set)
    return Comparison(
        found,
        asked,
        differing(before, after),
        why_not,
        "" if why_not else in_words([c for c in found if c.figure in named] or found[:FOREMOST]),
    )


def _of_both(before: Side, after: Side, figures: Sequence[tuple[str, str]]) -> list[tuple[str, str]]:
    """Figures that both recordings have with the same unit, the wished ones first."""
    there = {figure.key: figure for figure in before.found.figures}
    both = {f.key: f.name for f in after.found.figures if f.key in there and there[f.key].unit == f.unit}
    first = [(key, label) for key, label in figures if key in both]
    named = {key for key, _ in first}
    return first + [(key, name) for key, name in both.items() if key not in named]


def questions(before: Side, after: Side) -> tuple[Question, ...]:
    """What has to be alike, and whether it is."""
    poor = [
        f"{name}: {side.found.words}"
        for name, side in (("before", before), ("after", after))
        if side.found.verdict is Verdict.NOT_ASSESSABLE
    ]
    sets = [f"{side.limits.name} {side.limits.version}" for side in (before, after)]
    same = sets[0] == sets[1]
    lengths = [side.recording.length_s for side in (before, after)]
    alike = abs(lengths[0] - lengths[1]) <= LENGTHS_ALIKE * max(lengths)
    hours = [_hour(side) for side in (before, after)]
    apart = min(abs(hours[0] - hours[1]), 24 - abs(hours[0] - hours[1]))
    return (
        Question("both can be assessed", not poor, "; ".join(poor), needed=True),
        Question(
            "both against the same limits",
            same,
            "" if same else f"before: {sets[0]}; after: {sets[1]}. Choose one for both",
            needed=True,
        ),
        Question("about as long", alike, " and ".join(_span(s) for s in lengths)),
        Question("begun at about the same hour", apart <= HOURS_ALIKE, " and ".join(_clock(h) for h in hours)),
        *(_same_tag(before, after, key) for key in ("place", "task")),
    )


def _hour(side: Side) -> float:
    """The hour on the wall where it began."""
    return ((side.recording.start + side.recording.utc_offset_min * 60) % 86_400) / 3600


def _clock(hour: float) -> str:
    minutes = round(hour * 60) % 1440
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def _span(seconds: float) -> str:
    if seconds < 7200:
        return f"{seconds / 60:.0f} min"
    return f"{seconds / 3600:.1f} h"


def _same_tag(before: Side, after: Side, key: str) -> Question:
    a, b = before.tags.get(key, ""), after.tags.get(key, "")
    holds = None if not a or not b else a.lower() == b.lower()
    said = " and ".join(dict.fromkeys(x or "not said" for x in (a, b)))
    return Question(f"the same {key}", holds, "" if holds else said)


def differing(before: Side, after: Side) -> tuple[tuple[str, str, str], ...]:
    """What else was said of them, before and after; and figures that one of them has alone."""
    keys = [key for key in dict.fromkeys((*before.tags, *after.tags)) if before.tags.get(key) != after.tags.get(key)]
    rows = [(key.capitalize(), before.tags.get(key, ""), after.tags.get(key, "")) for key in keys]
    alone = [_alone(before.found, after.found), _alone(after.found, before.found)]
    if any(alone):
        rows.append(("Figures of one alone", alone[0], alone[1]))
    return tuple(rows)


def _alone(mine: Assessment, other: Assessment) -> str:
    there = {figure.key for figure in other.figures}
    return ", ".join(figure.name for figure in mine.figures if figure.key not in there)[:200]


def in_words(foremost: Sequence[Change]) -> str:
    """What moved more than from day to day, else what is known of that."""
    known = [change for change in foremost if math.isfinite(change.difference)]
    beyond = [change for change in known if change.standing == "beyond"]
    if beyond:
        return ", ".join(_moved(change) for change in beyond) + ": more than from day to day"
    if not known:
        return "nothing to compare was measured in both"
    if all(change.standing == "within" for change in known):
        return "nothing moved more than from day to day"
    return f"{_moved(known[0])}; what is usual from day to day is not known"


def _moved(change: Change) -> str:
    unit = "points" if change.unit == "%" else change.unit
    if change.difference == 0:
        return f"{change.label} the same"
    way = "higher" if change.difference > 0 else "lower"
    return f"{change.label} {shown(abs(change.difference), change.decimals)} {unit} {way}".replace("  ", " ")
