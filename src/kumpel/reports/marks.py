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


def words(verdict: str, text: str) -> str:
    """ "\u25a0 limit 130 reached by 10": the sign of a verdict, then its words."""
    return f"{SIGNS[verdict]} {text}" if verdict in SIGNS else text
