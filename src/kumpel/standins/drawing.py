"""Letters and numbers on a small display: five by seven dots, enlarged."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.uint8]
WIDE, HIGH = 5, 7
# A row of dots is five bits, the leftmost the highest.
DOTS: dict[str, tuple[int, ...]] = {
    "0": (14, 17, 19, 21, 25, 17, 14),
    "1": (4, 12, 4, 4, 4, 4, 14),
    "2": (14, 17, 1, 2, 4, 8, 31),
    "3": (31, 2, 4, 2, 1, 17, 14),
    "4": (2, 6, 10, 18, 31, 2, 2),
    "5": (31, 16, 30, 1, 1, 17, 14),
    "6": (6, 8, 16, 30, 17, 17, 14),
    "7": (31, 1, 2, 4, 8, 8, 8),
    "8": (14, 17, 17, 14, 17, 17, 14),
    "9": (14, 17, 17, 15, 1, 2, 12),
    ":": (0, 4, 4, 0, 4, 4, 0),
    ".": (0, 0, 0, 0, 0, 12, 12),
    "/": (1, 1, 2, 4, 8, 16, 16),
    "%": (24, 25, 2, 4, 8, 19, 3),
    "-": (0, 0, 0, 31, 0, 0, 0),
    " ": (0, 0, 0, 0, 0, 0, 0),
    "a": (0, 0, 14, 1, 15, 17, 15),
    "b": (16, 16, 22, 25, 17, 17, 30),
    "c": (0, 0, 14, 16, 16, 17, 14),
    "d": (1, 1, 13, 19, 17, 17, 15),
    "e": (0, 0, 14, 17, 31, 16, 14),
    "f": (6, 9, 8, 28, 8, 8, 8),
    "g": (0, 15, 17, 17, 15, 1, 14),
    "h": (16, 16, 22, 25, 17, 17, 17),
    "i": (4, 0, 12, 4, 4, 4, 14),
    "j": (2, 0, 6, 2, 2, 18, 12),
    "k": (16, 16, 18, 20, 24, 20, 18),
    "l": (12, 4, 4, 4, 4, 4, 14),
    "m": (0, 0, 26, 21, 21, 17, 17),
    "n": (0, 0, 22, 25, 17, 17, 17),
    "o": (0, 0, 14, 17, 17, 17, 14),
    "p": (0, 0, 30, 17, 30, 16, 16),
    "q": (0, 0, 13, 19, 15, 1, 1),
    "r": (0, 0, 22, 25, 16, 16, 16),
    "s": (0, 0, 14, 16, 14, 1, 30),
    "t": (8, 8, 28, 8, 8, 9, 6),
    "u": (0, 0, 17, 17, 17, 19, 13),
    "v": (0, 0, 17, 17, 17, 10, 4),
    "w": (0, 0, 17, 17, 21, 21, 10),
    "x": (0, 0, 17, 10, 4, 10, 17),
    "y": (0, 0, 17, 17, 15, 1, 14),
    "z": (0, 0, 31, 2, 4, 8, 31),
}


def text(words: str, scale: int) -> Pixels:
    """Dots of a text, 1 where ink is; capitals look like small letters, what has no dots is left out."""
    columns = [np.zeros((HIGH, 1), np.uint8)]
    for letter in words.lower():
        rows = DOTS.get(letter, DOTS[" "])
        columns.append(np.array([[row >> bit & 1 for bit in range(WIDE - 1, -1, -1)] + [0] for row in rows], np.uint8))
    dots = np.hstack(columns)
    return dots.repeat(scale, axis=0).repeat(scale, axis=1)


def page(width: int, height: int, greys: int, fields: list[tuple[str, str]], is_round: bool = False) -> Pixels:
    """A page of fields (label, value) one under the other, dark on white, each within what is seen of its row.

    On a round display a row at the edge is narrower: half its chord on either side of the middle is what is left.
    """
    paper = np.full((height, width), greys - 1, np.uint8)
    edge = height // 10 if is_round else 0
    share = (height - 2 * edge) // len(fields)
    for number, (label, value) in enumerate(fields):
        top = edge + number * share
        room = width if not is_round else _chord(width, height, top, top + share)
        scale = max(min((share - HIGH - 4) // HIGH, (room - 4) // (6 * max(len(value), 1))), 1)
        drawn, words = text(value, scale), text(label, 1)
        above = max((share - drawn.shape[0] - HIGH - 1) // 2, 1)
        _ink(paper, drawn, top + above, _middle(width, drawn), 0)
        _ink(paper, words, top + above + drawn.shape[0] + 1, _middle(width, words), greys // 2)
        if number:
            paper[top, :] = greys // 2
    return paper


def _middle(width: int, dots: Pixels) -> int:
    return max((width - int(dots.shape[1])) // 2, 0)


def _chord(width: int, height: int, top: int, bottom: int) -> int:
    """How wide a round display is over all of a row."""
    off = max(abs(top - height / 2), abs(bottom - height / 2)) / (height / 2)
    return int(width * math.sqrt(max(1 - off * off, 0.0)))


def _ink(paper: Pixels, dots: Pixels, top: int, left: int, grey: int) -> None:
    room = paper[top : top + dots.shape[0], left : left + dots.shape[1]]
    room[dots[: room.shape[0], : room.shape[1]] > 0] = grey
