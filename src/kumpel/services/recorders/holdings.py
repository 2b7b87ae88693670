"""What a recorder holds beside its sessions, as it is kept here: settings, the slip, stored names, courses.

Names and what else is no setting stand under keys that begin with "_", so that they are never written back as settings.
"""

from __future__ import annotations

from typing import Any

from pydantic import ValidationError

from kumpel.kinds.kind import Kind
from kumpel.link.abilities import ListedCourse
from kumpel.link.messages import SetupState
from kumpel.store.tables import Person

Holdings = dict[str, Any]


def holdings_of(setup: SetupState, can_names: bool, courses: list[ListedCourse]) -> Holdings:
    """What is kept of an answer."""
    own: Holdings = {"_slip": setup.slip, "_courses": [{"name": c.name, "sha256": c.sha256.hex()} for c in courses]}
    if can_names:
        own["_names"] = dict(setup.names)
        own["_names_withheld"] = setup.names_withheld
    return setup.setup | own


def settings_of(held: Holdings) -> dict[str, Any]:
    """The settings alone, as the recorder names them."""
    return {key: value for key, value in held.items() if not key.startswith("_")}


def keeps_names(held: Holdings) -> bool:
    return "_names" in held


def for_form(held: Holdings) -> dict[str, Any]:
    """Everything that a form may show or refer to: settings, stored names, the courses by name."""
    courses = {"courses": held["_courses"]} if held.get("_courses") else {}
    names: dict[str, str] = held.get("_names", {})
    return settings_of(held) | courses | names


def understood(kind: Kind, settings: dict[str, Any]) -> dict[str, Any]:
    """The settings without those that this kind's form cannot hold: an older or a foreign recorder may have other values there.

    They show as what differs on the recorder; a slip can always be opened.
    """
    left = {key: value for key, value in settings.items() if key in kind.setup_model.model_fields}
    while True:
        try:
            kind.setup_model.model_validate(left)
        except ValidationError as error:
            strange = {str(each["loc"][0]) for each in error.errors() if each["loc"]} & left.keys()
            if not strange:
                return {}
            left = {key: value for key, value in left.items() if key not in strange}
        else:
            return left


def others(kind: Kind, held: Holdings) -> dict[str, Any]:
    """Settings that the recorder has and this kind's form does not know; they survive every write."""
    return {key: value for key, value in settings_of(held).items() if key not in kind.setup_model.model_fields}


def split(kind: Kind, settings: dict[str, Any], there: dict[str, Any]) -> tuple[dict[str, Any], dict[str, str]]:
    """Settings as they are written to a recorder that has `there`, and the names that are stored apart from them."""
    names = {key: str(settings[key] or "") for key in kind.names if key in settings}
    foreign = kind.where_there - there.keys()
    return {key: value for key, value in settings.items() if key not in names and key not in foreign}, names


def with_own_names(kind: Kind, settings: dict[str, Any], person: Person | None, is_theirs: bool) -> dict[str, Any]:
    """Settings for a person: names of whoever had the recorder before never stay; a code stands where nothing was chosen."""
    own = dict(settings)
    for key, usual in kind.names.items():
        if not is_theirs:
            own[key] = ""
        if usual == "code" and not own.get(key) and person is not None:
            own[key] = person.number or ""
    return own
