"""Stretches that a rule leaves out although something was measured; a person may give each of them back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Flags
from kumpel.core.review import Review, named
from kumpel.core.runs import runs

CODE = "artefact"
MOST = 2000


@dataclass(frozen=True)
class Artefact:
    """A stretch (s) whose samples do not count, by which rule, and whether a person gave it back: then they do."""

    start_s: float
    end_s: float
    reason: str
    given_back: bool


def artefacts(reasons: Sequence[tuple[str, Flags]], interval_s: float, review: Review) -> list[Artefact]:
    """Runs of samples that at least one of the rules leaves out, shape (n,) each, in order of time; a run is called by the first rule that holds
    for it."""
    together = np.logical_or.reduce([flags for _, flags in reasons])
    spans = runs(together)[:MOST]
    starts, ends = (spans[:, i].astype(np.float64) * interval_s for i in (0, 1))
    kept = named(review.kept, CODE, starts, ends)
    return [
        Artefact(a * interval_s, b * interval_s, next(name for name, flags in reasons if flags[a:b].any()), bool(back))
        for (a, b), back in zip(spans.tolist(), kept.tolist(), strict=True)
    ]


def given_back(found: Sequence[Artefact], count: int, interval_s: float) -> Flags:
    """Flags, shape (count,), of the samples that count again."""
    flags = np.zeros(count, dtype=bool)
    for each in found:
        if each.given_back:
            flags[round(each.start_s / interval_s) : round(each.end_s / interval_s)] = True
    return flags
