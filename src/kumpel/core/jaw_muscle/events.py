"""The episodes of a night as events."""

from __future__ import annotations

from kumpel.core.assessment import Detected
from kumpel.core.jaw_muscle.figures import heart_link
from kumpel.core.jaw_muscle.night import Night
from kumpel.core.jaw_muscle.signals import SIDES
from kumpel.core.recording import Floats
from kumpel.core.review import EventName, Review


def events_of(night: Night, rates: tuple[Floats, Floats], review: Review) -> list[Detected]:
    """Clenches and episodes by side; dropped episodes come back as such, so that they can be kept again."""
    found = []
    for side, reference in night.references.items():
        for clench in reference.candidates:
            text = f"clench, {clench.level_uv:.0f} uV"
            found.append(
                Detected(
                    clench.start_s, clench.end_s, f"clench.{side}", text, clench.used, {"level uV": clench.level_uv}
                )
            )
    for side in SIDES:
        for each in night.episodes.get(side, []):
            link = heart_link(rates, each.start_s)
            numbers: dict[str, float | str] = {
                "contractions": float(len(each.contractions)),
                "peak %": max(c.peak_percent for c in each.contractions),
                "heart rise %": link,
            }
            text = f"{each.kind}, {len(each.contractions)} contraction{'s' if len(each.contractions) > 1 else ''}"
            found.append(Detected(each.start_s, each.end_s, f"{side}.{each.kind}", text, True, numbers))
    for name in map(EventName.of, review.dropped):
        if name is not None and name.code.split(".")[0] in SIDES:
            text = "dropped by the reviewer"
            found.append(Detected(name.at_s, name.at_s + name.length_s, name.code, text, False))
    return found
