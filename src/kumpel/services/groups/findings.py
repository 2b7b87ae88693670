"""What a group's measurements say: the rule it is held against, its statistics, and what has changed since its conclusion."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np
from sqlmodel import Session as Db

from kumpel.core import groups as core
from kumpel.kinds.registry import kind_of
from kumpel.services.ground.deeds import Whom, ask
from kumpel.services.groups import kept
from kumpel.services.groups.kept import GroupWish
from kumpel.services.groups.measured import Measured, Measurements, Step, measurements
from kumpel.store.tables import Account, GroupSignature, MeasuredGroup

ABOVE = "above limit"


@dataclass(frozen=True)
class Look:
    """A group as it stands: what was measured, the step it is held against, what follows; `findings` is None with `why_not` where nothing
    can be said."""

    group: MeasuredGroup
    version: int
    wish: GroupWish
    found: Measurements
    step: Step | None
    logarithmic: bool
    findings: core.Findings | None
    why_not: str

    @property
    def counted(self) -> list[Measured]:
        return [each for each in self.found.measured if each.counts]


def look(db: Db, group_id: int, without: Collection[int] = ()) -> Look:
    """A group with everything that its measurements say now; `without` some people as if they were not in it, for this look alone."""
    ask(db, "looked at", Whom("group", group_id))
    group, version = kept.group_of(db, group_id), kept.version_of(db, group_id)
    return look_of(db, group, version.number, kept.wish_of(version), without)


def look_of(db: Db, group: MeasuredGroup, number: int, wish: GroupWish, without: Collection[int] = ()) -> Look:
    found = measurements(db, group.kind, wish).without(without)
    rule = next(r for r in kind_of(group.kind).groups if r.figure == wish.figure)
    step = _step(found.steps, wish.step)
    made, why_not = _findings(found, step, rule.logarithmic, wish.floor)
    return Look(group, number, wish, found, step, rule.logarithmic, made, why_not)


def _step(steps: tuple[Step, ...], wanted: str) -> Step | None:
    """The step of that name, else the limit value; where there are action values only, the highest."""
    named = next((step for step in steps if wanted and step.name == wanted), None)
    above = next((step for step in reversed(steps) if step.verdict == ABOVE), None)
    return named or above or (steps[-1] if steps else None)


def _findings(
    found: Measurements, step: Step | None, logarithmic: bool, floor: float | None
) -> tuple[core.Findings | None, str]:
    by_person = tuple(
        tuple(each.value for each in found.of(member.id) if each.counts and each.value is not None)
        for member in found.members
    )
    if not any(by_person):
        return None, "no measurement counts yet"
    try:
        return _computed(by_person, step.value if step else math.nan, logarithmic, floor), ""
    except ValueError as error:
        return None, str(error)


@lru_cache(maxsize=64)
def _computed(
    by_person: tuple[tuple[float, ...], ...], limit: float, logarithmic: bool, floor: float | None
) -> core.Findings:
    """The same numbers say the same."""
    values = [np.array(each, dtype=np.float64) for each in by_person]
    return core.findings(values, limit, logarithmic=logarithmic, quantification_limit=floor)


@dataclass(frozen=True)
class Since:
    """A signed conclusion: who, when, and what would be otherwise today, in sentences."""

    signature: GroupSignature
    signer: str
    differs: tuple[str, ...]


def since_signed(db: Db, seen: Look) -> Since | None:
    """What changed since the conclusion was signed; None when it is not."""
    signature = kept.signature_of(db, seen.group.id or 0)
    if signature is None:
        return None
    signer = db.get_one(Account, signature.signed_by).name
    return Since(signature, signer, tuple(_differing(signature.frozen, seen)))


def as_signed(seen: Look) -> dict[str, Any]:
    """What is frozen of a look beside its page: each value that counted, whose, and the limit."""
    names = {member.id: member.name for member in seen.found.members}
    return {
        "method": core.METHOD,
        "limit": seen.step.value if seen.step else None,
        "step": seen.step.name if seen.step else "",
        "values": {
            str(each.session_id): {
                "value": each.value,
                "person": names.get(each.person_id, ""),
                "day": f"{each.day:%d %b %Y}",
            }
            for each in seen.counted
        },
    }


def _differing(frozen: Mapping[str, Any], seen: Look) -> list[str]:
    then: Mapping[str, Mapping[str, Any]] = frozen.get("values", {})
    now = as_signed(seen)["values"]
    told = [
        (now[key], f"{now[key]['person']}, {now[key]['day']}: new, {_number(now[key]['value'])}")
        for key in now.keys() - then.keys()
    ]
    told += [
        (then[key], f"{then[key]['person']}, {then[key]['day']}: counts no more") for key in then.keys() - now.keys()
    ]
    told += [
        (
            now[key],
            f"{now[key]['person']}, {now[key]['day']}: {_number(then[key]['value'])} then, {_number(now[key]['value'])} now",
        )
        for key in now.keys() & then.keys()
        if now[key]["value"] != then[key]["value"]
    ]
    said = [words for _, words in sorted(told, key=lambda each: each[1])]
    limit = seen.step.value if seen.step else None
    if frozen.get("limit") != limit:
        said.append(f"Held against {frozen.get('limit')} then, {limit} now")
    if frozen.get("method") != core.METHOD:
        said.append(f"Computed with method {frozen.get('method')} then; {core.METHOD} is newer")
    return said


def _number(value: float) -> str:
    return f"{value:g}"
