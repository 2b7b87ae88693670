"""Names of files by a pattern of the house: "{date} {place} {person} {run} {n}"."""

from __future__ import annotations

import re
from collections.abc import Mapping

from kumpel.core.names import clean_line

WORDS: Mapping[str, str] = {
    "date": "the day it began, as 2026-11-27",
    "time": "when it began, as 0630",
    "place": "the place or the course",
    "person": "whose it is",
    "kind": "the kind of recording",
    "run": "the kind of session, such as practice",
    "recorder": "the recorder's token",
    "n": "which one of its day on its recorder it is",
}
"""What may stand in braces, and what comes in its place."""
TOLD = "In braces: date, time, place, person, kind, recorder, run (kind of session), n (which of its day)"
USUAL = "{date} {place} {person} {run} {n}"
LONGEST = 120
_WORD = re.compile(r"\{([^{}]*)\}")
_NO_FILE = re.compile(r'[/\\:*?"<>|]')
_AGAIN = re.compile(r"([ _-])[ _-]+")


def checked(pattern: str) -> str:
    """A pattern as it is kept. ValueError says what is wrong with it."""
    good = clean_line(pattern)
    unknown = next((word for word in _WORD.findall(good) if word not in WORDS), None)
    if unknown is not None:
        raise ValueError(f"“{{{unknown}}}” stands for nothing; there are {', '.join(f'{{{word}}}' for word in WORDS)}")
    rest = _WORD.sub("", good)
    if "{" in rest or "}" in rest:
        raise ValueError("a brace is open")
    if _NO_FILE.search(rest):
        raise ValueError(f"“{_NO_FILE.findall(rest)[0]}” has no place in the name of a file")
    if "{n}" not in good and "{time}" not in good:
        raise ValueError("without {n} or {time} two sessions of a day have one name")
    return good


def name_of(pattern: str, values: Mapping[str, str]) -> str:
    """The name by a pattern; where a word is empty, what joins it to the next goes with it."""
    made = _WORD.sub(lambda found: _NO_FILE.sub("-", values.get(found[1], "")), pattern)
    return _AGAIN.sub(r"\1", made).strip(" _-")[:LONGEST]
