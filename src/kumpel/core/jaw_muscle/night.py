"""Contractions and episodes of a night that count: when it is night, by which clench, without what was dropped."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from kumpel.core.jaw_muscle.muscle import (
    STEP_S,
    Clenches,
    Contraction,
    Episode,
    Reference,
    contractions,
    episodes,
    reference_clench,
    united,
)
from kumpel.core.jaw_muscle.signals import SIDES, Signals
from kumpel.core.nights import sleep_from_setup
from kumpel.core.reckoning import setup_number
from kumpel.core.recording import Flags, Recording
from kumpel.core.review import Edge, Review, Stretch, named, samples_inside

KINDS = ("phasic", "tonic", "mixed", "single")


@dataclass(frozen=True)
class Night:
    """Contractions and episodes of a night that count, by side and of both; `share` of the clench (0 to 1) is the threshold."""

    references: dict[str, Reference]
    contractions: dict[str, list[Contraction]]
    episodes: dict[str, list[Episode]]
    valid_s: dict[str, float]
    share: float
    hysteresis: float
    drowned: dict[str, float]
    """Share of the sleep in which the background of a side alone would hold a contraction: it is no valid time."""

    def ends_uv(self, side: str) -> float:
        """The level below which a contraction of a side ends, in microvolt; nan where no clench was found."""
        return self.share * (1 - self.hysteresis) * self.references[side].level_uv


def sleep_of(recording: Recording, review: Review) -> tuple[Stretch, ...]:
    """Asleep: as the reviewer says, else by the times of the setup, else everything after the clenches."""
    if review.asleep is not None:
        return review.asleep
    length, after_s = recording.length_s, clenches_of(review).within_s
    planned = [s for s in sleep_from_setup(recording) if s.start_s < length]
    inside = tuple(
        Stretch(max(s.start_s, after_s), min(s.end_s, length), "asleep")
        for s in planned
        if min(s.end_s, length) > max(s.start_s, after_s)
    )
    if inside:
        return inside
    return (Stretch(after_s, length, "asleep"),) if length > after_s else ()


def clenches_of(review: Review) -> Clenches:
    """Which clenches make 100 %: as the reviewer says, else as usual. Raises ValueError for a mean that there is not."""
    usual = Clenches()
    count = int(review.number("clenches", usual.count))
    within_s = 60 * review.number("clench_min", usual.within_s / 60)
    of_peaks = str(review.options.get("clench_mean", usual.of_peaks))
    if not (1 <= count <= 10 and 30 <= within_s <= 1800 and of_peaks in ("mean", "median", "highest")):
        raise ValueError("1 to 10 clenches within half a minute to 30 min, by their mean, median or highest")
    return Clenches(count, within_s, of_peaks)


def night_of(recording: Recording, review: Review, signals: Signals, sleep: tuple[Stretch, ...]) -> Night:
    """The night by the review: references, contractions and episodes by side, valid sleep."""
    share = review.number("threshold", setup_number(recording.setup, "threshold_percent", 10.0)) / 100
    hysteresis = review.number("hysteresis", setup_number(recording.setup, "hysteresis_percent", 20.0)) / 100
    if not (0 < share <= 1 and 0 <= hysteresis < 1):
        raise ValueError(
            "the threshold must be above 0 and up to 100 % of the clench, the hysteresis from 0 to below 100 %"
        )
    asked = clenches_of(review)
    references: dict[str, Reference] = {}
    by_side: dict[str, list[Contraction]] = {}
    grouped: dict[str, list[Episode]] = {}
    valid: dict[str, float] = {}
    drowned: dict[str, float] = {}
    anywhere: Flags = np.zeros(0, dtype=bool)
    for side, found in signals.sides.items():
        typed = review.number("reference_uv", math.nan) if "reference_uv" in review.options else math.nan
        references[side] = reference_clench(found, asked, review.dropped, review.kept, f"clench.{side}")
        if not math.isnan(typed):
            references[side] = Reference(typed, (), asked)
        n = len(found.rms)
        counted = found.valid() & samples_inside(sleep, n, STEP_S) & ~samples_inside(review.left_out, n, STEP_S)
        loud = found.drowned(share * (1 - hysteresis) * references[side].level_uv)
        measured = int(counted.sum())
        drowned[side] = float((counted & loud).sum()) / measured if measured else 0.0
        counted &= ~loud
        valid[side] = float(counted.sum()) * STEP_S
        anywhere = (
            counted
            if not len(anywhere)
            else np.logical_or(anywhere[: min(n, len(anywhere))], counted[: min(n, len(anywhere))])
        )
        made = (
            contractions(found, side, references[side].level_uv, share, hysteresis, counted)
            if references[side].found
            else []
        )
        edges = [e for e in review.edges if e.group == side]
        made = _kept(made, review, edges)
        by_side[side] = made
        grouped[side] = _typed(episodes(made, side, edges), review, side)
    by_side["both"] = united(by_side.get("left", []), by_side.get("right", []))
    grouped["both"] = _as_sides(episodes(by_side["both"], "both", review.edges), grouped)
    valid["both"] = float(anywhere.sum()) * STEP_S
    return Night(references, by_side, grouped, valid, share, hysteresis, drowned)


def _typed(found: list[Episode], review: Review, side: str) -> list[Episode]:
    """Episodes with the types that the reviewer gave them."""
    made = list(found)
    if not review.typed:
        return made
    starts, ends = (np.array([getattr(e, at) for e in found], dtype=np.float64) for at in ("start_s", "end_s"))
    for each in review.typed:
        for i in np.flatnonzero(named((each.key,), side, starts, ends)).tolist():
            made[i] = replace(made[i], kind=each.type, by_hand=True)
    return made


def _as_sides(found: list[Episode], grouped: dict[str, list[Episode]]) -> list[Episode]:
    """Episodes of both sides as one; of the type of their sides where a reviewer gave one and all of them are of it."""
    if not any(e.by_hand for side in SIDES for e in grouped.get(side, [])):
        return found
    made = []
    # Episodes of a side follow one another, so that both their starts and their ends rise.
    sides = [
        (own, [e.start_s for e in own], [e.end_s for e in own]) for own in (grouped.get(side, []) for side in SIDES)
    ]
    for each in found:
        beside = [
            e
            for own, starts, ends in sides
            for e in own[bisect_right(ends, each.start_s) : bisect_left(starts, each.end_s)]
        ]
        kinds = {e.kind for e in beside}
        by_hand = any(e.by_hand for e in beside)
        made.append(replace(each, kind=kinds.pop()) if by_hand and len(kinds) == 1 else each)
    return made


def _kept(found: list[Contraction], review: Review, edges: Sequence[Edge]) -> list[Contraction]:
    """Contractions without those of episodes that the reviewer dropped (by the key of the side's episode)."""
    if not review.dropped:
        return found
    side = found[0].side if found else ""
    grouped = episodes(found, side, edges)
    # An episode's kind may change with the method; its side and time tell which it is.
    keys = tuple(f"{k.partition('.')[0]}@{k.rpartition('@')[2]}" for k in review.dropped)
    starts, ends = (np.array([getattr(e, at) for e in grouped], dtype=np.float64) for at in ("start_s", "end_s"))
    gone = named(keys, side, starts, ends)
    return [c for each, out in zip(grouped, gone.tolist(), strict=True) if not out for c in each.contractions]
