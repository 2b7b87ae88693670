"""Indices, amounts and the heart of a night."""

from __future__ import annotations

import math
from functools import partial

import numpy as np

from kumpel.core.assessment import Over, Put
from kumpel.core.jaw_muscle.beats import mean_rate
from kumpel.core.jaw_muscle.muscle import Clenches
from kumpel.core.jaw_muscle.night import KINDS, Night
from kumpel.core.reckoning import Reckoning
from kumpel.core.recording import Floats
from kumpel.core.review import Review, Stretch

SOURCE = "own rule, docs/methods/jaw_muscle.md; types after Lavigne et al., J Dent Res 1996;75:546"
HEART_SOURCE = "own beat detector, docs/methods/jaw_muscle.md"
LINK_S = 10.0
SIDES = {"left": "Left", "right": "Right", "both": "Both sides"}


def put_indices(reckoning: Reckoning, night: Night, review: Review) -> None:
    """Episodes per hour of valid sleep, by side and type."""
    for side, found in night.episodes.items():
        hours = night.valid_s.get(side, 0.0) / 3600
        known = _known(night, side) and hours > 0
        note = "" if known else _none_found(night) if hours > 0 else "no valid sleep"
        t = Put("T", "valid sleep", hours, "h")
        counts = {"index": ("episodes per hour of valid sleep", len(found))} | {
            kind: (f"{kind} episodes per hour", sum(e.kind == kind for e in found)) for kind in KINDS
        }
        for key, (label, count) in counts.items():
            n = Put("n", "episodes", float(count), "")
            value = count / hours if known else math.nan
            _put(reckoning, side, key, label, value, "/h", 1, "n / T", n, t, note=note)
        counted = "samples asleep with a connected electrode x dt"
        _put(reckoning, side, "valid", "valid sleep", hours, "h", 2, counted)


def _put(
    reckoning: Reckoning,
    side: str,
    key: str,
    label: str,
    value: float,
    unit: str,
    decimals: int,
    formula: str,
    *numbers: Put,
    note: str = "",
) -> None:
    """A figure of one side, beside the same of the other sides; those of both are made of the two."""
    over = Over("side", SIDES[side], label)
    name = f"{over.member}, {label}"
    parts = ("left.", "right.") if side == "both" else ()
    reckoning.put(
        f"{side}.{key}", name, value, unit, decimals, formula, SOURCE, *numbers, note=note, over=over, made_of=parts
    )


def _known(night: Night, side: str) -> bool:
    wanted = night.references.values() if side == "both" else [night.references[side]]
    return any(r.found for r in wanted)


def _none_found(night: Night) -> str:
    return next((r.asked.none_found for r in night.references.values()), Clenches().none_found)


def put_amounts(reckoning: Reckoning, night: Night) -> None:
    """How many contractions, how long, how strong against the clench; the clench itself."""
    for side in night.episodes:
        found, known = night.contractions[side], _known(night, side)
        none = "" if known else _none_found(night)
        empty = none or ("" if found else "no contraction")
        lengths = [c.length_s for c in found]
        total = sum(lengths)
        n = Put("n", "contractions", float(len(found)), "")
        put = partial(_put, reckoning, side)
        count = float(len(found)) if known else math.nan
        put("contractions", "contractions", count, "", 0, "count", note=none)
        put("total", "total length", total if known else math.nan, "s", 0, "sum of lengths", n, note=none)
        mean_length = total / len(found) if found else math.nan
        put("mean_length", "mean length", mean_length, "s", 2, "sum of lengths / n", n, note=empty)
        mean = sum(c.mean_percent * c.length_s for c in found) / total if total > 0 else math.nan
        top = max((c.peak_percent for c in found), default=math.nan)
        strength = "mean RMS over the contractions / clench"
        put("amplitude", "mean amplitude", mean, "%", 0, strength, n, note=empty)
        put("highest", "highest amplitude", top, "%", 0, "highest RMS / clench", n, note=empty)
    for side, reference in night.references.items():
        note = "" if reference.found else reference.asked.none_found
        used = Put("clenches", "used", float(len(reference.at_s)), "")
        _put(
            reckoning,
            side,
            "clench",
            "clench (100 %)",
            reference.level_uv,
            "uV",
            0,
            reference.asked.words,
            used,
            note=note,
        )
        _put(
            reckoning,
            side,
            "threshold",
            "threshold",
            night.share * reference.level_uv,
            "uV",
            1,
            f"{100 * night.share:g} % of the clench",
            Put("ends", "a contraction ends below", night.ends_uv(side), "uV"),
            note=note,
        )


def heart_link(rates: tuple[Floats, Floats], start_s: float) -> float:
    """Rise of the heart rate in % from the 10 s before to the 10 s after a start; nan when either is not known."""
    before = mean_rate(*rates, start_s - LINK_S, start_s)
    after = mean_rate(*rates, start_s, start_s + LINK_S)
    return 100 * (after - before) / before


def put_heart(
    reckoning: Reckoning, night: Night, rates: tuple[Floats, Floats], sleep: tuple[Stretch, ...], review: Review
) -> None:
    """Episodes with a rise of the heart rate, and the rate asleep."""
    rise = review.number("heart_rise", 10.0)
    links = [heart_link(rates, e.start_s) for e in night.episodes["both"]]
    known = [link for link in links if not math.isnan(link)]
    linked = sum(round(link, 6) >= rise for link in known)
    share = 100 * linked / len(known) if known else math.nan
    note = "" if known else "no episode" if not links else "no heart rate around the episodes"
    reckoning.put(
        "linked",
        "Heart-linked episodes",
        share,
        "%",
        0,
        f"100 x episodes with a rise of {rise:g} % or more / episodes with a known rise",
        SOURCE,
        Put("known", "episodes with a known rise", float(len(known)), ""),
        note=note,
        made_of=("both.", "heart_rate"),
    )
    times, values = rates
    inside = np.zeros(len(times), dtype=bool)
    for s in sleep:
        inside |= (times >= s.start_s) & (times < s.end_s)
    for s in review.left_out:
        inside &= ~((times >= s.start_s) & (times < s.end_s))
    part = values[inside]
    mean = 60 * len(part) / float(np.sum(60 / part)) if len(part) else math.nan
    n = Put("N", "intervals between beats", float(len(part)), "")
    none = "" if len(part) else "no heart rate"
    reckoning.put(
        "heart_rate",
        "Mean heart rate",
        mean,
        "bpm",
        0,
        "60 x N / sum of the intervals between beats",
        HEART_SOURCE,
        n,
        note=none,
        used=len(part),
    )
    for key, name, value in (
        ("heart_lowest", "Lowest heart rate", np.percentile(part, 1) if len(part) else math.nan),
        ("heart_highest", "Highest heart rate", np.percentile(part, 99) if len(part) else math.nan),
    ):
        reckoning.put(
            key,
            name,
            float(value),
            "bpm",
            0,
            "1 % or 99 % of the rates by beat",
            HEART_SOURCE,
            n,
            note=none,
            used=len(part),
        )
