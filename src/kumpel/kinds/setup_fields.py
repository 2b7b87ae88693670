"""Settings described where they are declared: the form of a setup comes from its model's JSON schema alone.

Label, unit, the words for values and when a field matters stand in the model; types, choices and bounds are the schema's own.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any, Literal, cast, get_args

from pydantic import BaseModel, Field

FieldType = Literal["choice", "number", "whole", "text", "time"]
TIME_PATTERN = r"^\d\d:\d\d$"


@dataclass(frozen=True)
class SetupChoice:
    """A value that a setting may have, with its word."""

    value: Any
    words: str


@dataclass(frozen=True)
class SetupField:
    """A settings field as people read it. `path` reaches into lists ("weightings.0.threshold_db").

    `low` and `high` bound a number; `empty`: it may be left out. `part_of` is the path of
    the list item that it belongs to ("weightings.0"), `matters` whether it means something with the other settings as they are.
    """

    path: str
    label: str
    unit: str = ""
    words: dict[str, str] = field(default_factory=dict)
    type: FieldType = "text"
    choices: tuple[SetupChoice, ...] = ()
    low: float | None = None
    high: float | None = None
    empty: bool = False
    part_of: str = ""
    matters: bool = True


@dataclass(frozen=True)
class SetupList:
    """A list of a setup: its path, what one item is called, how many there may be, and what a new one begins with."""

    path: str
    label: str
    fewest: int
    most: int
    blank: dict[str, Any]


def setting(
    label: str,
    default: Any,
    unit: str = "",
    words: dict[str, str] | None = None,
    when: dict[str, Any] | None = None,
    **limits: Any,
) -> Any:
    """A field of a setup model with its label, unit and the words for its values; `when` other fields have these values it matters."""
    extra = cast("dict[str, Any]", {"unit": unit, "words": words or {}, "when": when or {}})
    if callable(default):
        return Field(default_factory=default, title=label, json_schema_extra=extra, **limits)
    return Field(default, title=label, json_schema_extra=extra, **limits)


@lru_cache(maxsize=64)
def _schema(model: type[BaseModel]) -> Mapping[str, Any]:
    return model.model_json_schema()


def described(setup: BaseModel) -> list[SetupField]:
    """The settings of a setup in the order they are declared; those of listed models follow one by one."""
    schema = _schema(type(setup))
    return _fields(schema, schema, setup.model_dump(mode="json"))


def lists_of(setup: BaseModel) -> list[SetupList]:
    """The lists of a setup whose items can be added and taken away."""
    schema = _schema(type(setup))
    found = []
    for name, about in schema["properties"].items():
        item = _resolved(schema, about.get("items", {}))
        if about.get("type") == "array" and "properties" in item:
            model = _item_model(type(setup), name)
            blank = model().model_dump(mode="json")
            label = str(about.get("title", name))
            found.append(SetupList(name, label, about.get("minItems", 0), about.get("maxItems", 50), blank))
    return found


def _item_model(model: type[BaseModel], name: str) -> type[BaseModel]:
    """The model of a list's items."""
    [item] = get_args(model.model_fields[name].annotation)
    return cast("type[BaseModel]", item)


def _resolved(root: Mapping[str, Any], about: Mapping[str, Any]) -> Mapping[str, Any]:
    """A part of a schema with its reference followed."""
    if "$ref" in about:
        part: Mapping[str, Any] = root["$defs"][about["$ref"].rpartition("/")[2]]
        return part
    return about


def _fields(root: Mapping[str, Any], schema: Mapping[str, Any], values: Mapping[str, Any]) -> list[SetupField]:
    found: list[SetupField] = []
    for name, about in schema["properties"].items():
        label, value = str(about.get("title", name)), values[name]
        item = _resolved(root, about.get("items", {}))
        inner = _resolved(root, about)
        if about.get("type") == "array" and "properties" in item:
            for i, each in enumerate(value):
                found += _within(_fields(root, item, each), f"{name}.{i}", f"{label} {i + 1}", f"{name}.{i}")
        elif "properties" in inner:
            found += _within(_fields(root, inner, value), name, label, "")
        else:
            found.append(_field(name, label, about, values))
    return found


def _within(fields: list[SetupField], path: str, label: str, part_of: str) -> list[SetupField]:
    return [
        SetupField(
            f"{path}.{f.path}",
            f"{label}, {f.label[:1].lower()}{f.label[1:]}",
            f.unit,
            f.words,
            f.type,
            f.choices,
            f.low,
            f.high,
            f.empty,
            part_of or f.part_of,
            f.matters,
        )
        for f in fields
    ]


def _field(name: str, label: str, about: Mapping[str, Any], values: Mapping[str, Any]) -> SetupField:
    forms = about.get("anyOf", [about])
    plain = next(f for f in forms if f.get("type") != "null")
    words: dict[str, str] = about.get("words", {})
    choices: list[Any] = [plain["const"]] if "const" in plain else list(plain.get("enum", []))
    if plain.get("type") == "boolean":
        choices = [True, False]
    empty = any(f.get("type") == "null" for f in forms)
    type_: FieldType = "text"
    if choices:
        type_ = "choice"
        choices = [*([None] if empty else []), *choices]
    elif plain.get("type") in ("number", "integer"):
        type_ = "number" if plain["type"] == "number" else "whole"
    elif plain.get("pattern") == TIME_PATTERN:
        type_ = "time"
    low = plain.get("minimum", plain.get("exclusiveMinimum"))
    high = plain.get("maximum", plain.get("exclusiveMaximum"))
    return SetupField(
        name,
        label,
        str(about.get("unit", "")),
        words,
        type_,
        tuple(SetupChoice(value, words.get(str(value), _word(value))) for value in choices),
        low,
        high,
        empty,
        "",
        all(values.get(other) == value for other, value in about.get("when", {}).items()),
    )


def _word(value: Any) -> str:
    return {True: "yes", False: "no", None: "none"}[value] if value is None or isinstance(value, bool) else str(value)
