"""Days and spans of days as people type them in a list."""

from __future__ import annotations

import re
from datetime import date, timedelta

from kumpel.core.names import clean_line

LONGEST = timedelta(days=3660)
_SPAN = re.compile(r"^(\d{4}-\d{2}-\d{2})(?:\s+(?:to|-|–)\s+(\d{4}-\d{2}-\d{2}))?(?:\s*[,:]\s*(.*))?$")


def days_words(text: str) -> str:
    """A day or a span of days as it is kept: "2026-12-24 to 2027-01-01, between the years". ValueError when it is neither.

    >>> days_words("2026-12-24 - 2027-01-01: between the years")
    '2026-12-24 to 2027-01-01, between the years'
    """
    first, last, why = parts(text)
    span = first.isoformat() if first == last else f"{first.isoformat()} to {last.isoformat()}"
    return f"{span}, {why}" if why else span


def parts(text: str) -> tuple[date, date, str]:
    """The first day, the last, and what is said of them. ValueError when it is no span of days."""
    found = _SPAN.match(clean_line(text))
    if found is None:
        raise ValueError("no day")
    first = date.fromisoformat(found[1])
    last = date.fromisoformat(found[2]) if found[2] else first
    if not first <= last <= first + LONGEST:
        raise ValueError("it ends before it begins, or after ten years")
    return first, last, (found[3] or "").strip()
