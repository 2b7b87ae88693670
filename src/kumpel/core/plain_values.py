"""Values that came from outside (settings of a recorder, data of an event): plain, finite, bounded, or refused."""

from __future__ import annotations

import re

MOST_VALUES, DEEPEST, LONGEST_TEXT, LARGEST_NUMBER = 5_000, 8, 4_000, 1 << 53
_NO_PLACE = re.compile(r"[\x00-\x1f\x7f\ud800-\udfff]")
_NO_PLACE_IN_LINES = re.compile(r"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f\ud800-\udfff]")


def check_text(text: str, longest: int = LONGEST_TEXT, lines: bool = False) -> None:
    """Raises ValueError for a text that is too long, or has signs that cannot be kept or shown.

    Control characters and halves of surrogate pairs have no place in a name; with `lines`, line breaks and tabs have one.

    >>> check_text('one line')
    """
    if len(text) > longest:
        raise ValueError(f"a text of {len(text)} characters; {longest} are possible")
    if (_NO_PLACE_IN_LINES if lines else _NO_PLACE).search(text):
        raise ValueError("a text with control characters")


def check_plain(value: object, most_values: int = MOST_VALUES) -> None:
    """Raises ValueError for anything but maps with texts as names, lists, texts, finite numbers, true, false and null.

    At most `most_values`, 8 deep, texts of 4,000 characters, numbers up to 2^53.

    >>> check_plain({'name': 'Ida', 'shifts': [1, 2.5, None]})
    """
    left = most_values

    def check(part: object, depth: int) -> None:
        nonlocal left
        left -= 1
        if left < 0:
            raise ValueError(f"more than {most_values} values")
        if depth > DEEPEST:
            raise ValueError(f"nested deeper than {DEEPEST}")
        match part:
            case None | bool():
                return
            case str():
                check_text(part, lines=True)
            case int() | float():
                # Written so that nan is refused.
                if not abs(part) <= LARGEST_NUMBER:
                    raise ValueError("a number that is not finite, or too large")
            case list() | tuple():
                for each in part:
                    check(each, depth + 1)
            case dict():
                for key, each in part.items():
                    if not isinstance(key, str):
                        raise ValueError("a name that is no text")
                    check_text(key, 200)
                    check(each, depth + 1)
            case _:
                raise ValueError(f"a value of a form that has no place here ({type(part).__name__})")

    check(value, 0)
