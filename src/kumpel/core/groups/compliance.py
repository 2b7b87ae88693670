"""Statistics of a group's results, and the test for compliance with a limit."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import scipy

from kumpel.core.groups.fitted import fitted, p_normal
from kumpel.core.groups.share import share_above, upper_share
from kumpel.core.recording import Floats

SOURCE = "EN 689:2018, 5.5.2 (screening test), 5.5.3 and annex F (statistical test)"
P95 = 1.6448536269514722
"""The 95 % point of the standard normal distribution."""
SCREENING = {3: 0.10, 4: 0.15, 5: 0.20}
COMPLIES, EXCEEDS, MORE, NO_LIMIT = "complies", "does not comply", "more measurements needed", "no limit"
NOT_ALIKE = "not alike"
"""People differ by more than their days do: no verdict holds for all of them before the group is split."""


@dataclass(frozen=True)
class Group:
    """Statistics of one group. Log-normal: `centre` is the geometric mean and `spread` the geometric standard
    deviation; for decibels the arithmetic mean and standard deviation in dB.

    `below` results could not be measured. `p95` is the estimated 95th percentile, `tolerance` its upper limit with 70 %
    confidence; `share_above` the estimated share of shifts above the limit, `share_70` and `share_95` what it does not pass
    with that confidence; `u_r` the test value, `u_t` the value it must reach; `p_normal` how well they are (log-)normal.
    nan where they do not apply.
    """

    count: int
    below: int
    centre: float
    spread: float
    lowest: float
    highest: float
    p95: float
    tolerance: float
    limit: float
    share_above: float
    share_70: float
    share_95: float
    u_r: float
    u_t: float
    p_normal: float
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
    """Preliminary test with 3 to 5 results (EN 689:2018, 5.5.2), linear values, not decibels; what could not be measured stands
    at what can be.

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
    for their arithmetic statistics. Results below `quantification_limit` are known to lie below it, and no more: mean and
    spread come from regression on order statistics then (`fitted`), and tests see the limit in their place.

    Results of nan are left out. Raises ValueError for no result, and for one at or below 0 without a
    quantification limit.
    """
    values = results[~np.isnan(results)].astype(np.float64)
    n = len(values)
    if not n:
        raise ValueError("the group has no result")
    floor = quantification_limit
    if logarithmic and floor is None and np.any(values <= 0):
        raise ValueError(
            f"{int(np.sum(values <= 0))} of {n} results are 0 or below and have no logarithm: give the quantification limit"
        )
    floor = -math.inf if floor is None else floor
    at_most = np.maximum(values, floor)
    work = np.log(at_most) if logarithmic else at_most
    # What is below the floor stands under all that was measured, by its number alone.
    work = np.where(values < floor, -math.inf, work)
    of_limit = math.log(limit) if logarithmic and limit > 0 else limit
    found = fitted(work, _least(work))
    u_r = _distance(of_limit, found.mean, found.sd)
    needed = u_t(n) if n >= 6 else math.nan
    # The fractions of the limit in the screening test are of concentrations; decibels have no such fractions.
    first = screening(at_most, limit) if logarithmic and n >= 3 else EXCEEDS if np.any(at_most > limit) else MORE
    verdict, words = _verdict(n, first, u_r, needed, limit)
    known = not math.isnan(found.sd)
    back = math.exp if logarithmic else float
    return Group(
        count=n,
        below=found.below,
        centre=back(found.mean),
        spread=back(found.sd) if known else math.nan,
        lowest=float(at_most.min()),
        highest=float(at_most.max()),
        p95=back(found.mean + P95 * found.sd) if known else math.nan,
        tolerance=back(found.mean + u_t(n) * found.sd) if known and n > 1 else math.nan,
        limit=limit,
        share_above=share_above(u_r),
        share_70=upper_share(u_r, n, 0.70),
        share_95=upper_share(u_r, n, 0.95),
        u_r=u_r,
        u_t=needed,
        p_normal=math.nan if found.below else p_normal(work),
        screening=first,
        verdict=verdict,
        words=words,
        logarithmic=logarithmic,
    )


def _least(work: Floats) -> float | None:
    """The least that was measured where something was not; None where everything was."""
    if not np.any(np.isneginf(work)):
        return None
    measured = work[~np.isneginf(work)]
    return float(measured.min()) if len(measured) else math.inf


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
    if n >= 6 and math.isnan(u_r):
        if first == EXCEEDS:
            return EXCEEDS, "a result is above the limit"
        return MORE, "too few results could be measured to tell a spread"
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
