"""What is to be said against the data of a night, and what might be left out."""

from __future__ import annotations

import numpy as np

from kumpel.core.assessment import Finding, Suggestion
from kumpel.core.jaw_muscle.muscle import STATE_S, Electrode
from kumpel.core.jaw_muscle.night import Night
from kumpel.core.jaw_muscle.signals import Signals
from kumpel.core.reckoning import Reckoning
from kumpel.core.runs import runs

MOST_DROWNED = 0.20
"""As of an electrode that is off: with more of the night left out, what remains does not stand for it."""


def findings_of(reckoning: Reckoning, signals: Signals, night: Night) -> list[Finding]:
    """Clenches that are missing, electrodes that were off, too little sleep: what blocks a verdict, and what is only said."""
    found = []
    for side, reference in night.references.items():
        if not reference.found:
            text = f"{side}: {reference.asked.none_found}; contractions cannot be told"
            found.append(Finding(f"no-clench.{side}", text, True, (f"{side}.",)))
        elif 0 < len(reference.at_s) < reference.asked.count:
            found.append(
                Finding(
                    f"few-clenches.{side}",
                    f"{side}: {len(reference.at_s)} clench{'es' if len(reference.at_s) > 1 else ''} in the first {reference.asked.within_s / 60:g} min instead of {reference.asked.count}",
                )
            )
    if night.references and not any(r.found for r in night.references.values()):
        none = next(r.asked.none_found for r in night.references.values())
        found.append(Finding("no-clench", none, True))
    for side, share in night.drowned.items():
        if share > 0.01:
            text = f"{side}: the background is as strong as the threshold for {100 * share:.0f} % of the sleep: left out there"
            too_much = share > MOST_DROWNED
            found.append(
                Finding(f"background.{side}", f"{text}; repeat the test" if too_much else text, too_much, (f"{side}.",))
            )
    lanes = {**{s: a.states for s, a in signals.sides.items()}, "heart": signals.ecg_states}
    for lane, states in lanes.items():
        off = float(np.mean(states == Electrode.OFF)) if len(states) else 0.0
        if off > 0.20:
            figures = ("heart",) if lane == "heart" else (f"{lane}.",)
            found.append(
                Finding(
                    f"electrode.{lane}",
                    f"electrode {lane} off for {100 * off:.0f} % of the time: repeat the test",
                    True,
                    figures,
                )
            )
    if signals.beats is None:
        found.append(Finding("no-ecg", "no ECG was recorded: no heart rate, no heart link"))
    if night.valid_s["both"] < 2 * 3600:
        found.append(
            Finding("short", f"{night.valid_s['both'] / 3600:.1f} h of valid sleep: indices of a short time vary much")
        )
    return found


def suggestions_of(signals: Signals) -> list[Suggestion]:
    """Stretches with an electrode off, that might be left out."""
    lanes = [*signals.sides.items()]
    if not lanes:
        return []
    n = min(len(a.states) for _, a in lanes)
    off = np.all([a.states[:n] == Electrode.OFF for _, a in lanes], axis=0)
    text = "all muscle electrodes off"
    return [Suggestion(a * STATE_S, b * STATE_S, "electrode", text) for a, b in runs(off).tolist()][:200]
