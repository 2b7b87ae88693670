"""Settings described where they are declared: the form of a setup comes from its model's JSON schema alone.

Label, unit, the words for values and when a field matters stand in the model; types, choices and bounds are the schema's own.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any, Literal, cast, get_args

from pydantic import BaseModel, Field

FieldType = Literal["choice", "number", "whole", "text", "time"]
TIME_PATTERN = r"^([01]\d|2[0-3]):[0-5]\d$"


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
    `unit_by` is the setting that the unit hangs on, with the unit for each of its values; `brings` what the settings beside it become
    when this one is changed to a value. `fold` is the closed line in which it stands with others ("" stands open); `personal` the
    fact about the person that it is.
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
    unit_by: tuple[str, Mapping[str, str]] | None = None
    brings: Mapping[str, Mapping[str, Any]] = field(default_factory=dict)
    fold: str = ""
    personal: str = ""

    def unit_in(self, settings: Any) -> str:
        """The unit that a value of these settings has: those on a recorder may name another gas than the draft."""
        if self.unit_by is None:
            return self.unit
        neighbour, units = self.unit_by
        return units.get(str(at_path(settings, neighbour)), "")


@dataclass(frozen=True)
class SetupList:
    """A list of a setup: its path, what one item is called, how many there may be, what a new one begins with, and the settings that
    are the columns when its items are shown as a table (none: one after the other)."""

    path: str
    label: str
    fewest: int
    most: int
    blank: dict[str, Any]
    columns: tuple[str, ...] = ()


def setting(
    label: str,
    default: Any,
    unit: str = "",
    words: dict[str, str] | None = None,
    when: dict[str, Any] | None = None,
    unit_by: tuple[str, Mapping[str, str]] | None = None,
    refers: str = "",
    stored_name: Literal["", "code", "text"] = "",
    brings: Mapping[str, Mapping[str, Any]] | None = None,
    columns: tuple[str, ...] = (),
    fold: str = "",
    personal: str = "",
    where_there: bool = False,
    **limits: Any,
) -> Any:
    """A field of a setup model with its label, unit and the words for its values.

    `when` other fields have these values it matters. `unit_by` names the field beside it that decides the unit, with the unit for
    each of its values. `refers`: the value is the name of something else among the settings of the recorder, at this path ("*": of
    each item): `courses.*.name`. `stored_name`: a text about a person that a recorder keeps apart from its settings (docs/link-protocol.md, 5.5);
    a code stands there, or nothing, as long as nobody chose one. `brings`: what the fields beside it become when it is changed to a value.
    `columns` of a list: the fields of its items that stand side by side as a table. `fold`: the closed line in which it stands, with
    others that seldom change. `personal`: the fact about a person that it is (`services.personal`); it comes from there and goes back
    there, and that of one person never stays for the next. `where_there`: shown and written only where the recorder has such a setting.
    """
    about = {
        "unit": unit,
        "words": words,
        "when": when,
        "unit_by": unit_by,
        "refers": refers,
        "stored_name": stored_name,
        "brings": brings,
        "columns": columns,
        "fold": fold,
        "personal": personal,
        "where_there": where_there,
    }
    extra = cast("dict[str, Any]", {key: value for key, value in about.items() if value})
    if callable(default):
        return Field(default_factory=default, title=label, json_schema_extra=extra, **limits)
    return Field(default, title=label, json_schema_extra=extra, **limits)


@lru_cache(maxsize=64)
def _schema(model: type[BaseModel]) -> Mapping[str, Any]:
    return model.model_json_schema()


def described(setup: BaseModel, on_recorder: Mapping[str, Any] | None = None) -> list[SetupField]:
    """The settings of a setup in the order they are declared; those of listed models follow one by one.

    `on_recorder`: everything that the recorder holds, with what the form does not know; a setting may refer to it.
    """
    schema = _schema(type(setup))
    own = setup.model_dump(mode="json")
    return _fields(_Form(schema, {**(on_recorder or {}), **own}), schema, own)


def at_path(settings: Any, path: str) -> Any:
    """Value at a dotted path; None where the path leads nowhere."""
    for part in path.split("."):
        if isinstance(settings, list):
            settings = settings[int(part)] if part.isdigit() and int(part) < len(settings) else None
        elif isinstance(settings, Mapping):
            settings = settings.get(part)
        else:
            return None
    return settings


def names_at(settings: Any, path: str) -> list[str]:
    """The names at a dotted path in which "*" stands for each item of a list, each once and in order."""
    first, star, rest = path.partition(".*.")
    found = at_path(settings, first)
    if not star:
        return [found] if isinstance(found, str) and found else []
    items = found if isinstance(found, list) else []
    return list(dict.fromkeys(name for item in items for name in names_at(item, rest)))


@dataclass(frozen=True)
class _Form:
    """What a form is made from: the schema of the whole setup and all that the recorder holds."""

    root: Mapping[str, Any]
    settings: Mapping[str, Any]


def stored_names(model: type[BaseModel]) -> dict[str, str]:
    """The settings that are names kept apart, each with what stands there as long as nobody chose one."""
    properties = _schema(model)["properties"]
    return {key: about["stored_name"] for key, about in properties.items() if about.get("stored_name")}


def personal_facts(model: type[BaseModel]) -> dict[str, str]:
    """The settings that are facts about the person, each with the fact that it is."""
    properties = _schema(model)["properties"]
    return {key: about["personal"] for key, about in properties.items() if about.get("personal")}


def where_there(model: type[BaseModel]) -> frozenset[str]:
    """The settings that only some recorders of the kind have."""
    return frozenset(key for key, about in _schema(model)["properties"].items() if about.get("where_there"))


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
            fewest, most = about.get("minItems", 0), about.get("maxItems", 50)
            found.append(SetupList(name, label, fewest, most, blank, tuple(about.get("columns", ()))))
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


def _fields(form: _Form, schema: Mapping[str, Any], values: Mapping[str, Any]) -> list[SetupField]:
    found: list[SetupField] = []
    for name, about in schema["properties"].items():
        label, value = str(about.get("title", name)), values[name]
        item = _resolved(form.root, about.get("items", {}))
        inner = _resolved(form.root, about)
        if about.get("type") == "array" and "properties" in item:
            for i, each in enumerate(value):
                found += _within(_fields(form, item, each), f"{name}.{i}", f"{label} {i + 1}", f"{name}.{i}", about)
        elif "properties" in inner:
            found += _within(_fields(form, inner, value), name, label, "", about)
        else:
            found.append(_field(form, name, about, values))
    return found


def _within(
    fields: list[SetupField], path: str, label: str, part_of: str, about: Mapping[str, Any]
) -> list[SetupField]:
    return [
        replace(
            f,
            path=f"{path}.{f.path}",
            label=f"{label}, {f.label[:1].lower()}{f.label[1:]}",
            part_of=part_of or f.part_of,
            unit_by=f.unit_by and (f"{path}.{f.unit_by[0]}", f.unit_by[1]),
            fold=about.get("fold", "") or f.fold,
        )
        for f in fields
    ]


def _field(form: _Form, name: str, about: Mapping[str, Any], values: Mapping[str, Any]) -> SetupField:
    forms = about.get("anyOf", [about])
    plain = next(f for f in forms if f.get("type") != "null")
    words: dict[str, str] = about.get("words", {})
    empty = any(f.get("type") == "null" for f in forms)
    choices = _choices(form, about, plain, empty, values[name])
    type_: FieldType = "text"
    if choices:
        type_ = "choice"
    elif plain.get("type") in ("number", "integer"):
        type_ = "number" if plain["type"] == "number" else "whole"
    elif plain.get("pattern") == TIME_PATTERN:
        type_ = "time"
    described = SetupField(
        name,
        str(about.get("title", name)),
        str(about.get("unit", "")),
        words,
        type_,
        choices,
        plain.get("minimum", plain.get("exclusiveMinimum")),
        plain.get("maximum", plain.get("exclusiveMaximum")),
        empty,
        matters=all(values.get(other) == value for other, value in about.get("when", {}).items()),
        unit_by=about.get("unit_by"),
        brings=about.get("brings", {}),
        fold=about.get("fold", ""),
        personal=about.get("personal", ""),
    )
    return replace(described, unit=described.unit_in(values))


def _choices(
    form: _Form, about: Mapping[str, Any], plain: Mapping[str, Any], empty: bool, value: Any
) -> tuple[SetupChoice, ...]:
    """The values to choose from; none for what is typed."""
    words: dict[str, str] = about.get("words", {})
    if "refers" in about:
        return _referred(form, about["refers"], words, value)
    values: list[Any] = [plain["const"]] if "const" in plain else list(plain.get("enum", []))
    if plain.get("type") == "boolean":
        values = [True, False]
    if values and empty:
        values = [None, *values]
    return tuple(SetupChoice(each, words.get(str(each), _word(each))) for each in values)


def _referred(form: _Form, path: str, words: Mapping[str, str], value: Any) -> tuple[SetupChoice, ...]:
    """What a setting may name: nothing, what is there, and what it names now even when that is not there."""
    names = names_at(form.settings, path)
    found = [SetupChoice("", words.get("", "none")), *(SetupChoice(name, name) for name in names)]
    if value and value not in names:
        found.append(SetupChoice(value, f"{value} (not on this recorder)"))
    return tuple(found)


def _word(value: Any) -> str:
    return {True: "yes", False: "no", None: "none"}[value] if value is None or isinstance(value, bool) else str(value)
