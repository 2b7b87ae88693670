"""Facts about a person that a setup needs: they come from the person, and go back there when they were changed on a slip.

Those of whoever had the recorder before never stay on it for the next person.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from pydantic import ValidationError

from kumpel.kinds.kind import Kind
from kumpel.kinds.setup_fields import personal_facts
from kumpel.store.tables import Person, now

GIVEN = ("sex", "weight_kg", "gets_up", "goes_to_bed", "heart_rate_highest", "heart_rate_resting")
"""Facts that stand on the person's own card, and may be changed from a slip; the age follows from the date of birth."""


_SEX = {"f": "f", "w": "f", "m": "m"}
"""A setup knows a letter; on the card people write words."""


def facts_of(person: Person) -> dict[str, Any]:
    """What is known of somebody; what is not known is left out."""
    known = {name: getattr(person, name) for name in GIVEN} | {"sex": _SEX.get((person.sex or "").strip().lower()[:1])}
    if person.born is not None:
        known["age_years"] = age_years(person.born, now().date())
    return {name: value for name, value in known.items() if value not in (None, "")}


def age_years(born: date, today: date) -> int:
    """Completed years."""
    return today.year - born.year - ((today.month, today.day) < (born.month, born.day))


def known_for(kind: Kind, person: Person | None) -> dict[str, Any]:
    """The settings of a kind that are known of somebody. What a setup could not hold is left out."""
    facts = facts_of(person) if person is not None else {}
    wished = {setting: facts[fact] for setting, fact in personal_facts(kind.setup_model).items() if fact in facts}
    return {setting: value for setting, value in wished.items() if _fits(kind, {setting: value})}


def _fits(kind: Kind, settings: dict[str, Any]) -> bool:
    try:
        kind.setup_model.model_validate(settings)
    except ValidationError:
        return False
    return True


def fitted(kind: Kind, settings: dict[str, Any], person: Person | None, is_theirs: bool) -> dict[str, Any]:
    """Settings for somebody: what is known of them counts; what is not stays only when the settings were theirs before."""
    own = dict(settings)
    if not is_theirs:
        usual = kind.setup_model().model_dump(mode="json")
        own |= {setting: usual[setting] for setting in personal_facts(kind.setup_model)}
    for setting, value in known_for(kind, person).items():
        # One at a time: two facts that contradict each other never keep a slip from being opened.
        if _fits(kind, own | {setting: value}):
            own[setting] = value
    return own


def keep(
    kind: Kind, settings: dict[str, Any], person: Person, changed_here: Sequence[str]
) -> dict[str, tuple[Any, Any]]:
    """Put what was changed on a slip on the person's card; gives each fact with what it was and what it is."""
    kept: dict[str, tuple[Any, Any]] = {}
    for setting, fact in personal_facts(kind.setup_model).items():
        if setting not in changed_here or fact not in GIVEN:
            continue
        before, value = getattr(person, fact), settings.get(setting) or None
        if value != before:
            setattr(person, fact, value)
            kept[fact] = (before, value)
    return kept
