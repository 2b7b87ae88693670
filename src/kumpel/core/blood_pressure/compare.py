"""Two blood pressure recordings of one person: what must be alike, what changed, and what else was different."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence

from kumpel.core.assessment import Assessment, LimitSet, Verdict
from kumpel.core.comparison import Change, Comparison, Question, Side, changes, withheld
from kumpel.core.reckoning import hours_minutes, setup_number
from kumpel.core.review import Stretch

COMPARED = (
    ("all.systolic.mean", "24 h systolic"),
    ("all.diastolic.mean", "24 h diastolic"),
    ("awake.systolic.mean", "Awake systolic"),
    ("awake.diastolic.mean", "Awake diastolic"),
    ("asleep.systolic.mean", "Asleep systolic"),
    ("asleep.diastolic.mean", "Asleep diastolic"),
    ("all.pulse.mean", "24 h pulse"),
    ("dip.systolic", "Dip, systolic"),
    ("awake.systolic.load", "Load awake, systolic"),
    ("asleep.systolic.load", "Load asleep, systolic"),
    ("awake.systolic.sd", "Standard deviation awake, systolic"),
    ("all.valid_share", "Valid readings"),
)
"""Figures that are laid side by side, the foremost first."""
MOST_HOURS_APART = 4.0
"""Recordings that differ by more in length rest on different parts of a day."""


def compare(
    before: Side, after: Side, earlier: Sequence[Mapping[str, float]], as_set: Mapping[str, float]
) -> Comparison:
    """Compare two recordings; `earlier` are the stated figures of the person's recordings up to the first of the two, by key.

    Differences are withheld (`why_not`) where one recording is too poor to stand alone or both were held against different limits.
    """
    asked = questions(before, after)
    why_not = withheld(asked)
    found = () if why_not else changes(before.found, after.found, COMPARED, earlier, as_set)
    words = "" if why_not else in_words(found, after.found)
    return Comparison(found, asked, differences(before, after), why_not, words)


def questions(before: Side, after: Side) -> tuple[Question, ...]:
    """What has to be alike, and whether it is."""
    poor = [(name, _why_poor(side)) for name, side in (("before", before), ("after", after))]
    said = "; ".join(f"{name}: {why}" for name, why in poor if why)
    enough = Question("both have enough readings", not said, said, needed=True)
    same_limits = (before.limits.key, before.limits.version) == (after.limits.key, after.limits.version)
    sets = "" if same_limits else f"before: {_set(before.limits)}; after: {_set(after.limits)}. Choose one for both"
    limits = Question("both against the same limits", same_limits, sets, needed=True)
    hours = [side.recording.length_s / 3600 for side in (before, after)]
    apart = abs(hours[0] - hours[1])
    length = Question(
        "about the same length",
        apart <= MOST_HOURS_APART,
        f"{hours_minutes(hours[0] * 3600)} and {hours_minutes(hours[1] * 3600)} h",
    )
    recorders = [str(side.recording.recorder.get("serial", "")) for side in (before, after)]
    recorder = Question(
        "the same recorder",
        recorders[0] == recorders[1] if all(recorders) else None,
        " and ".join(dict.fromkeys(recorders)),
    )
    return enough, limits, length, recorder, *(_alike(before, after, *each) for each in _TAGS)


_TAGS = (("cuff", "the same cuff"), ("arm", "on the same arm"), ("day", "on the same kind of day"))


def _alike(before: Side, after: Side, key: str, text: str) -> Question:
    values = [side.tags.get(key, "").strip() for side in (before, after)]
    if not all(values):
        missing = [name for name, value in zip(("before", "after"), values, strict=True) if not value]
        return Question(text, None, f"not noted {' and '.join(missing)}")
    return Question(text, values[0].lower() == values[1].lower(), " and ".join(dict.fromkeys(values)))


def _why_poor(side: Side) -> str:
    blocking = [f.text for f in side.found.quality.findings if f.blocks]
    known = math.isfinite(side.found.figure("all.systolic.mean").value)
    # A finding that a person accepted with a reason stands, and so do the figures.
    open_ones = side.found.verdict is Verdict.NOT_ASSESSABLE
    return blocking[0] if blocking and open_ones else "" if known else "no valid reading"


def _set(limits: LimitSet) -> str:
    return f"{limits.name}, {limits.version}"


def in_words(found: Sequence[Change], after: Assessment) -> str:
    """The outcome in a few words: against the limits now, and whether the 24 h means moved more than from day to day."""
    now = "within all limits" if after.verdict is Verdict.WITHIN else after.words[:1].lower() + after.words[1:]
    means = [c for c in found if c.figure in ("all.systolic.mean", "all.diastolic.mean")]
    standings = {c.standing for c in means}
    if "beyond" in standings:
        moved = "more than from day to day"
    elif standings == {"within"}:
        moved = "no more than from day to day"
    else:
        moved = "how much days differ is not known"
    return f"now {now}; {moved}"


def differences(before: Side, after: Side) -> tuple[tuple[str, str, str], ...]:
    """What else was different or alike: what, before, after."""
    rows = []
    for label, words in (
        ("Reading every", _intervals),
        ("Asleep", _asleep),
        ("Length", lambda s: f"{hours_minutes(s.recording.length_s)} h"),
        ("Readings that count", lambda s: f"{s.found.figure('all.valid').value:.0f}"),
        ("Left out", lambda s: f"{sum(1 for r in s.found.table('readings').rows if 'left out' in r)}"),
    ):
        rows.append((label, words(before), words(after)))
    return tuple(rows)


def _intervals(side: Side) -> str:
    awake, asleep = (setup_number(side.recording.setup, f"interval_{p}_min", math.nan) for p in ("awake", "asleep"))
    return "not known" if math.isnan(awake) else f"{awake:.0f}/{asleep:.0f} min"


def _asleep(side: Side) -> str:
    stretches: tuple[Stretch, ...] = side.found.stretches
    seconds = sum(s.end_s - s.start_s for s in stretches)
    return f"{hours_minutes(seconds)} h" if stretches else "not known"
