"""Shipped limit sets: data in <kind>/limits.json, read once."""

from __future__ import annotations

import json
from collections.abc import Mapping
from importlib.resources import files
from typing import Any

from kumpel.core.assessment import LimitSet, Rule, Step, Verdict


def limit_set_from(data: Mapping[str, Any]) -> LimitSet:
    """A limit set from its JSON form. Raises ValueError naming the rule that is wrong."""
    rules = []
    for number, rule in enumerate(data["rules"], 1):
        try:
            steps = tuple(
                Step(
                    float(s["value"]),
                    Verdict(s["verdict"]),
                    s["name"],
                    bool(s.get("beyond", False)),
                    bool(s.get("below", False)),
                )
                for s in rule["steps"]
            )
            rules.append(Rule(rule["figure"], rule["name"], rule["unit"], steps, dict(rule.get("parameters", {}))))
        except (KeyError, TypeError, ValueError) as error:
            raise ValueError(f"limit set {data.get('key')}, rule {number}: {error}") from error
        if not steps:
            raise ValueError(f"limit set {data.get('key')}, rule {number}: a rule needs at least one step")
    return LimitSet(
        data["key"],
        data["kind"],
        data["name"],
        data["issuer"],
        data["version"],
        data["valid_from"],
        tuple(rules),
        float(data.get("minimum_coverage", 0.75)),
    )


def limit_set_data(limits: LimitSet) -> dict[str, Any]:
    """The JSON form of a limit set."""
    return {
        "key": limits.key,
        "kind": limits.kind,
        "name": limits.name,
        "issuer": limits.issuer,
        "version": limits.version,
        "valid_from": limits.valid_from,
        "minimum_coverage": limits.minimum_coverage,
        "rules": [
            {
                "figure": r.figure,
                "name": r.name,
                "unit": r.unit,
                "parameters": dict(r.parameters),
                "steps": [
                    {"value": s.value, "verdict": s.verdict.value, "name": s.name, "beyond": s.beyond}
                    | ({"below": True} if s.below else {})
                    for s in r.steps
                ],
            }
            for r in limits.rules
        ],
    }


def shipped(package: str) -> tuple[LimitSet, ...]:
    """The limit sets that ship with the package of a kind, in its limits.json; the kind is called as its folder is."""
    folder = files(package)
    text = folder.joinpath("limits.json").read_text(encoding="utf-8")
    return tuple(limit_set_from({"kind": folder.name} | each) for each in json.loads(text))
