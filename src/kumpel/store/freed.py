"""Memory that was freed goes back to the system: the C library keeps what lies between things that stay."""

from __future__ import annotations

import ctypes
import ctypes.util
from collections.abc import Callable
from functools import lru_cache


@lru_cache(maxsize=1)
def _trim() -> Callable[[int], int] | None:
    """glibc's own call for it; another C library has none."""
    name = ctypes.util.find_library("c")
    return getattr(ctypes.CDLL(name), "malloc_trim", None) if name else None


def give_back() -> None:
    """Some milliseconds; hold nothing meanwhile that others wait for."""
    trim = _trim()
    if trim is not None:
        trim(0)
