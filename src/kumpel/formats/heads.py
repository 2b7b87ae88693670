"""What columns and signals are called elsewhere: data beside the code, by the key of the channel that they are here.

A kind declares its channels by their own names; which words other files have for them is no property of a kind.
"""

from __future__ import annotations

import json
from collections.abc import Mapping
from functools import lru_cache
from importlib import resources


@lru_cache(maxsize=1)
def _known() -> Mapping[str, tuple[str, ...]]:
    text = resources.files("kumpel.formats").joinpath("heads.json").read_text(encoding="utf-8")
    return {key: tuple(names) for key, names in json.loads(text).items()}


def called(key: str) -> tuple[str, ...]:
    """Other names (lower case) for the quantity of a channel; none where no file is known to call it otherwise."""
    return _known().get(key, ())
