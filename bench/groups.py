"""How often what is said of a group is true: the limit of the share above, over groups of which the truth is known.

    ./kumpel bench groups

Prints the coverage of the 70 % and 95 % upper limits over 10,000 made groups a line, with what could not be measured beside it.
"""

from __future__ import annotations

import math

import numpy as np

from kumpel.core.groups import group

GROUPS, LIMIT, GSD = 10_000, 1.0, 2.2
TRUE_SHARE = 0.05
BOUND_POINTS = 2.0


def coverage(count: int, below_share: float) -> tuple[float, float, float]:
    """In which share of groups of `count` the true share above lies within the 70 % and the 95 % limit, and in which it could not be told;
    `below_share` of all results lie below what can be measured."""
    rng = np.random.default_rng(count * 1000 + int(below_share * 100))
    sd = math.log(GSD)
    mean = math.log(LIMIT) - 1.6448536269514722 * sd
    floor = math.exp(mean + _quantile(below_share) * sd) if below_share else None
    within = {0.70: 0, 0.95: 0}
    untold = 0
    for _ in range(GROUPS):
        found = group(np.exp(rng.normal(mean, sd, count)), LIMIT, quantification_limit=floor)
        if math.isnan(found.share_70):
            untold += 1
            continue
        within[0.70] += found.share_70 >= TRUE_SHARE
        within[0.95] += found.share_95 >= TRUE_SHARE
    told = max(GROUPS - untold, 1)
    return within[0.70] / told, within[0.95] / told, untold / GROUPS


def _quantile(share: float) -> float:
    from scipy.special import ndtri

    return float(ndtri(share))


def main() -> None:
    print(f"{GROUPS:,} groups a line, log-normal, GSD {GSD}, {TRUE_SHARE:.0%} of all shifts above the limit")
    worst = 0.0
    for below in (0.0, 0.2, 0.4):
        for count in (6, 9, 15, 30):
            of_70, of_95, untold = coverage(count, below)
            if not below:
                worst = max(worst, abs(of_70 - 0.70) * 100)
            print(
                f"n {count:2d}, {below:4.0%} below what can be measured: 70 % limit holds in {of_70:.1%}, 95 % limit in {of_95:.1%}; "
                f"not told {untold:.1%}"
            )
    print(
        f"everything measured: at most {worst:.1f} points off 70 %, {worst / BOUND_POINTS:.2f} of the {BOUND_POINTS:g} allowed"
    )


if __name__ == "__main__":
    main()
