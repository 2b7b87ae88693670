"""Core results as JSON: dataclasses to dicts, nan to null."""

from __future__ import annotations

import dataclasses
import math
from collections.abc import Mapping
from enum import Enum
from typing import Any


def plain(value: Any) -> Any:
    """The JSON form of a core result; nan and infinities become null."""
    if isinstance(value, Enum):
        return value.value
    if dataclasses.is_dataclass(value) and not isinstance(value, type):
        return {f.name: plain(getattr(value, f.name)) for f in dataclasses.fields(value)}
    if isinstance(value, float):
        return value if math.isfinite(value) else None
    if isinstance(value, Mapping):
        return {str(k): plain(v) for k, v in value.items()}
    if isinstance(value, list | tuple):
        return [plain(v) for v in value]
    return value
