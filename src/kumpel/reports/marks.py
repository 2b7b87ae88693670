"""Verdicts as a sign and a colour, for forms that cannot draw: never colour alone."""

from __future__ import annotations

SIGNS = {
    "within": "\u25cb",
    "action level reached": "\u25d0",
    "above limit": "\u25a0",
    "not assessable": "\u25a8",
}
COLOURS = {
    "within": "26746d",
    "action level reached": "9a5f05",
    "above limit": "ad3a1f",
    "not assessable": "67737a",
}
SOFT = "55626a"


def said(verdict: str, text: str) -> str:
    """ "above limit: limit 130 reached by 10": which of the four verdicts it is, then its words; once where these begin so."""
    return text if verdict not in SIGNS or text.startswith(verdict) else f"{verdict}: {text}" if text else verdict


def words(verdict: str, text: str) -> str:
    """The sign of a verdict before what is said of it."""
    return f"{SIGNS[verdict]} {said(verdict, text)}" if verdict in SIGNS else text
