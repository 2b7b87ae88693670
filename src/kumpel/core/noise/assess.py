"""All figures and verdicts of one noise session.

Channels read: `leq.1` .. `leq.3` (level of the interval per weighting set-up, dB), `max.1` .. (highest level in
the interval), `peak` (C-weighted peak, dB(C)), `motion` and `overload` (0 or 1).
"""

from __future__ import annotations

import math
from dataclasses import replace

from kumpel.core.assessment import Assessment, BothWays, Figure, LimitSet, Quality
from kumpel.core.noise.basis import Basis, basis_of
from kumpel.core.noise.doses import put_for
from kumpel.core.noise.doubts import findings_of, suggestions_of
from kumpel.core.noise.figures import put_daily, put_peaks, put_setup, put_time
from kumpel.core.noise.setup import weightings
from kumpel.core.noise.tables import half_table, hour_table, spread_table, task_table
from kumpel.core.reckoning import conclude
from kumpel.core.recording import Recording
from kumpel.core.review import Review

PROTECTED = "lex8h_protected"


def assess(recording: Recording, review: Review, limits: LimitSet) -> BothWays:
    """Assess a noise session against a limit set, as recorded and as reviewed.

    Raises ValueError when the recording has no level channel `leq.1`.
    """
    recorded = _assess(recording, review.as_recorded(), limits, "as recorded")
    if not review.left_out:
        return BothWays(recorded, replace(recorded, basis="as reviewed"))
    return BothWays(recorded, _assess(recording, review, limits, "as reviewed"))


def _assess(recording: Recording, review: Review, limits: LimitSet, name: str) -> Assessment:
    basis, setups = basis_of(recording, review), weightings(recording.setup)
    reckoning = basis.reckoning()
    put_daily(reckoning, basis, review)
    put_peaks(reckoning, basis)
    put_time(reckoning, basis)
    for number, setup in enumerate(setups, 1):
        put_setup(reckoning, basis, setup, number)
    # Each rule is about the figure by its own parameters.
    rules = tuple(replace(rule, figure=put_for(reckoning, rule, basis, setups)) for rule in limits.rules)
    # Nothing is under protection when none was worn.
    bare = review.attenuation_db is None
    rules = tuple(
        replace(r, name="Daily exposure, no protection") if bare and r.figure == PROTECTED else r for r in rules
    )
    judged = [rule.figure for rule in rules]
    dose_like = [key for key in judged if key not in ("lcpeak", PROTECTED)]
    return conclude(
        recording,
        review,
        replace(limits, rules=rules),
        name,
        reckoning,
        Quality(
            basis.coverage, basis.measured_s, basis.planned_s, tuple(findings_of(recording, review, basis, limits))
        ),
        key_figures=(*tuple(dict.fromkeys([*dose_like, "setup1.projected_dose"]))[:2], "lcpeak", "measured"),
        alone={key: _of_measured_part(reckoning.figures[key], basis) for key in judged},
        suggestions=suggestions_of(recording, review),
        tables=(task_table(basis, review), hour_table(basis), half_table(basis), spread_table(basis)),
    )


def _of_measured_part(figure: Figure, basis: Basis) -> float:
    """A figure if the rest of the working day had been silent."""
    measured_s = figure.coverage * basis.planned_s
    if figure.key == "lcpeak" or basis.working_day_s <= 0 or measured_s <= 0:
        return figure.value
    share = min(measured_s / basis.working_day_s, 1.0)
    if figure.unit == "%":
        return figure.value * share
    q = next((n.value for n in figure.why.numbers if n.symbol == "q"), 10.0)
    return figure.value + q * math.log10(share)
