"""Groups of people with the same job (similar exposure groups): statistics and the test for compliance."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy

from kumpel.core.recording import Floats

SOURCE = "EN 689:2018, 5.5.2 (screening test), 5.5.3 and annex F (statistical test)"
P95 = 1.6448536269514722
"""The 95 % point of the standard normal distribution."""
SCREENING = {3: 0.10, 4: 0.15, 5: 0.20}
COMPLIES, EXCEEDS, MORE, NO_LIMIT = "complies", "does not comply", "more measurements needed", "no limit"


@dataclass(frozen=True)
class Group:
    """Statistics of one group. Log-normal: `centre` is the geometric mean and `spread` the geometric standard
    deviation; for decibels the arithmetic mean and standard deviation in dB.

    `share_above` is the estimated share of shifts above the limit, `u_r` the test value, `u_t` the value it must
    reach; nan where they do not apply.
    """

    count: int
    centre: float
    spread: float
    lowest: float
    highest: float
    p95: float
    limit: float
    share_above: float
    u_r: float
    u_t: float
    screening: str
    verdict: str
    words: str
    logarithmic: bool


def u_t(count: int) -> float:
    """The least U_R with which the 95th percentile lies below the limit with 70 % confidence.

    U_T = t'(0.70; n-1; 1.645 sqrt n) / sqrt n with the non-central Student t quantile (EN 689:2018, annex F,
    table F.1: 2.187 for n = 6). Raises ValueError for n < 2.

    >>> round(u_t(6), 3)
    2.187
    """
    if count < 2:
        raise ValueError(f"U_T needs at least 2 results, not {count}")
    root = math.sqrt(count)
    return float(scipy.special.nctdtrit(count - 1, P95 * root, 0.70)) / root


def screening(results: Floats, limit: float) -> str:
    """Preliminary test with 3 to 5 results (EN 689:2018, 5.5.2), linear values, not decibels.

    All below 0.1 (n = 3), 0.15 (4), 0.2 (5) of the limit: complies; any above the limit: does not; else more.

    >>> screening(np.array([0.1, 0.2, 0.15]), 10.0)
    'complies'
    """
    if np.any(results > limit):
        return EXCEEDS
    share = SCREENING.get(len(results))
    return COMPLIES if share is not None and bool(np.all(results < share * limit)) else MORE


def group(
    results: Floats, limit: float, *, logarithmic: bool = True, quantification_limit: float | None = None
) -> Group:
    """Statistics of results of one group, shape (n,), against a limit in the same unit.

    `logarithmic` takes the results as log-normal (concentrations). Decibels are a logarithm already: pass False
    for their arithmetic statistics. A result at or below 0 has no logarithm: `quantification_limit` replaces
    it, and any below it, by half of it.

    Results of nan are left out. Raises ValueError for no result, and for one at or below 0 without a
    quantification limit.
    """
    values = results[~np.isnan(results)].astype(np.float64)
    n = len(values)
    if not n:
        raise ValueError("the group has no result")
    if logarithmic:
        if quantification_limit is not None:
            values = np.where(values < quantification_limit, quantification_limit / 2, values)
        if np.any(values <= 0):
            raise ValueError(
                f"{int(np.sum(values <= 0))} of {n} results are 0 or below and have no logarithm: give the quantification limit"
            )
    work = np.log(values) if logarithmic else values
    target = math.log(limit) if logarithmic and limit > 0 else limit
    centre, spread = float(work.mean()), float(work.std(ddof=1)) if n > 1 else math.nan
    u_r = _distance(target, centre, spread)
    needed = u_t(n) if n >= 6 else math.nan
    # The fractions of the limit in the screening test are of concentrations; decibels have no such fractions.
    first = screening(values, limit) if logarithmic and n >= 3 else EXCEEDS if np.any(values > limit) else MORE
    verdict, words = _verdict(n, first, u_r, needed, limit)
    back = math.exp if logarithmic else float
    return Group(
        count=n,
        centre=back(centre),
        spread=back(spread) if not math.isnan(spread) else math.nan,
        lowest=float(values.min()),
        highest=float(values.max()),
        p95=back(centre + P95 * spread) if not math.isnan(spread) else math.nan,
        limit=limit,
        share_above=float(scipy.special.ndtr(-u_r)) if not math.isnan(u_r) else math.nan,
        u_r=u_r,
        u_t=needed,
        screening=first,
        verdict=verdict,
        words=words,
        logarithmic=logarithmic,
    )


def _distance(target: float, centre: float, spread: float) -> float:
    """U_R = (ln limit - ln GM) / ln GSD; without spread it is endless on the side of the limit."""
    if math.isnan(spread) or math.isnan(target):
        return math.nan
    if spread < 1e-12 * max(abs(centre), 1.0):
        return math.inf if centre < target else -math.inf
    return (target - centre) / spread


def _verdict(n: int, first: str, u_r: float, needed: float, limit: float) -> tuple[str, str]:
    if not limit > 0 or math.isnan(limit):
        return NO_LIMIT, "no limit to compare with"
    if n < 6:
        words = {
            COMPLIES: f"all {n} results below {SCREENING.get(n, 0):g} of the limit",
            EXCEEDS: "a result is above the limit",
            MORE: f"{n} results do not decide: at least {3 if n < 3 else 6} are needed",
        }[first]
        return first, words
    verdict = COMPLIES if u_r >= needed else EXCEEDS
    relation = "at least" if verdict == COMPLIES else "below"
    return verdict, f"U_R {u_r:.3f} {relation} U_T {needed:.3f}"
