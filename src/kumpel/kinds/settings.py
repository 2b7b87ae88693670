"""Settings described where they are declared: label, unit and words of a field stand in the model itself."""

from __future__ import annotations

from typing import Any, cast

from pydantic import BaseModel, Field

from kumpel.kinds.kind import SetupField


def setting(label: str, default: Any, unit: str = "", words: dict[str, str] | None = None, **limits: Any) -> Any:
    """A field of a setup model with its label, unit and the words for its values."""
    extra = cast("dict[str, Any]", {"unit": unit, "words": words or {}})
    if callable(default):
        return Field(default_factory=default, title=label, json_schema_extra=extra, **limits)
    return Field(default, title=label, json_schema_extra=extra, **limits)


def described(setup: BaseModel) -> list[SetupField]:
    """The settings of a model in the order they are declared; those of listed models follow one by one."""
    found: list[SetupField] = []
    for name, info in type(setup).model_fields.items():
        extra = info.json_schema_extra if isinstance(info.json_schema_extra, dict) else {}
        label = info.title or name
        value = getattr(setup, name)
        if isinstance(value, list) and value and isinstance(value[0], BaseModel):
            for i, each in enumerate(value):
                found += [
                    SetupField(f"{name}.{i}.{f.path}", f"{label} {i + 1}, {f.label.lower()}", f.unit, f.words)
                    for f in described(each)
                ]
        elif isinstance(value, BaseModel):
            found += [
                SetupField(f"{name}.{f.path}", f"{label}, {f.label.lower()}", f.unit, f.words) for f in described(value)
            ]
        else:
            words = extra.get("words", {})
            found.append(SetupField(name, label, str(extra.get("unit", "")), cast("dict[str, str]", words)))
    return found
