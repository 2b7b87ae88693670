"""Core results as JSON: for the API (nan becomes null), and for the store (nothing is lost)."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable, Mapping
from enum import Enum
from functools import cache
from typing import Any, TypeVar

import numpy as np
from pydantic import TypeAdapter

NOT_A_NUMBER = "$"
"""Key of the map that stands for a number JSON has no form for: {"$": "nan"}, {"$": "-inf"}."""
T = TypeVar("T")
_FIELDS: dict[type, tuple[dataclasses.Field[Any], ...] | None] = {}


def for_screen(value: Any) -> Any:
    """The JSON form of a core result for a screen; nan and infinities become null."""
    return _walked(value, lambda number: number if math.isfinite(number) else None)


def for_store(value: Any) -> Any:
    """The JSON form of a core result for the store; `kept_as` gives the very same result back."""
    return _walked(value, lambda number: number if math.isfinite(number) else {NOT_A_NUMBER: repr(number)})


def from_store(form: type[T], data: Any) -> T:
    """The core result that `kept` made `data` from. Raises pydantic.ValidationError when it is none."""
    wanted: Any = form
    found: T = _adapter(wanted).validate_python(_with_numbers(data))
    return found


@cache
def _adapter(form: Any) -> TypeAdapter[Any]:
    return TypeAdapter(form)


def _walked(value: Any, of_number: Callable[[float], Any]) -> Any:
    form = type(value)
    if form is str or form is int or form is bool or value is None:
        return value
    if form is float:
        return of_number(value)
    fields = _fields_of(form)
    if fields is not None:
        found = ((f, getattr(value, f.name)) for f in fields)
        return {f.name: _walked(each, of_number) for f, each in found if not _left_away(f, each)}
    if isinstance(value, Enum):
        return value.value
    if isinstance(value, float):
        return of_number(float(value))
    if isinstance(value, Mapping):
        return {str(k): _walked(v, of_number) for k, v in value.items()}
    if isinstance(value, np.ndarray):
        return _walked(value.tolist(), of_number)
    if isinstance(value, list | tuple):
        return [_walked(v, of_number) for v in value]
    return value


def _fields_of(form: type) -> tuple[dataclasses.Field[Any], ...] | None:
    """The fields of a dataclass; None for any other type."""
    if form not in _FIELDS:
        _FIELDS[form] = dataclasses.fields(form) if dataclasses.is_dataclass(form) else None
    return _FIELDS[form]


def _left_away(field: dataclasses.Field[Any], value: Any) -> bool:
    """Whether a field that came later says nothing: then it is not kept, as before it was there."""
    return field.metadata.get("kept") == "when set" and bool(value == field.default)


def _with_numbers(value: Any) -> Any:
    if isinstance(value, list):
        return [_with_numbers(v) for v in value]
    if not isinstance(value, dict):
        return value
    if value.keys() == {NOT_A_NUMBER}:
        return float(value[NOT_A_NUMBER])
    return {k: _with_numbers(v) for k, v in value.items()}
