"""Core results as JSON: for the API (nan becomes null), and for the store (nothing is lost)."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Callable, Mapping
from enum import Enum
from functools import cache
from typing import Any, TypeVar

from pydantic import TypeAdapter

NOT_A_NUMBER = "$"
"""Key of the map that stands for a number JSON has no form for: {"$": "nan"}, {"$": "-inf"}."""
T = TypeVar("T")


def plain(value: Any) -> Any:
    """The JSON form of a core result for a screen; nan and infinities become null."""
    return _walked(value, lambda number: number if math.isfinite(number) else None)


def kept(value: Any) -> Any:
    """The JSON form of a core result for the store; `kept_as` gives the very same result back."""
    return _walked(value, lambda number: number if math.isfinite(number) else {NOT_A_NUMBER: repr(number)})


def kept_as(form: type[T], data: Any) -> T:
    """The core result that `kept` made `data` from. Raises pydantic.ValidationError when it is none."""
    wanted: Any = form
    found: T = _adapter(wanted).validate_python(_with_numbers(data))
    return found


@cache
def _adapter(form: Any) -> TypeAdapter[Any]:
    return TypeAdapter(form)


def _walked(value: Any, of_number: Callable[[float], Any]) -> Any:
    if isinstance(value, Enum):
        return value.value
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        fields = [f for f in dataclasses.fields(value) if not _left_away(f, getattr(value, f.name))]
        return {f.name: _walked(getattr(value, f.name), of_number) for f in fields}
    if isinstance(value, float):
        return of_number(value)
    if isinstance(value, Mapping):
        return {str(k): _walked(v, of_number) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [_walked(v, of_number) for v in value]
    return value


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
