"""Texts that people type: cleaned of signs that cannot be seen, so that no name carries a trap."""

from __future__ import annotations

import re
import unicodedata

# Joiners shape letters (Persian, Indian scripts, emoji) and stay; marks that turn the direction of what follows do not.
KEPT_FORMATS = "\u200c\u200d"


def clean_line(text: str) -> str:
    """A name or another text of one line: without control signs and invisible marks, white space single and none outside.

    >>> clean_line('  Ida   Brandvik ')
    'Ida Brandvik'
    """
    return " ".join(_visible(text, " ").split())


def clean_text(text: str) -> str:
    """A text of several lines: line breaks and tabs stay."""
    return _visible(text.replace("\r\n", "\n").replace("\r", "\n"), "\n\t")


def _visible(text: str, kept: str) -> str:
    made = []
    for sign in unicodedata.normalize("NFC", text):
        category = unicodedata.category(sign)
        if sign in kept or sign in KEPT_FORMATS or category[0] != "C":
            made.append(sign)
        elif category == "Cc":
            made.append(" ")
    return "".join(made)


def channel_key(name: str) -> str:
    """What formulas, files and limits call a channel of this name: "combined_acceleration". Empty where nothing is left of it.

    >>> channel_key("Oil pressure")
    'oil_pressure'
    """
    return re.sub(r"[^a-z0-9]+", "_", clean_line(name).lower()).strip("_")
