"""How a number is stated: what is printed is what is compared."""

from __future__ import annotations

import math
from decimal import ROUND_HALF_UP, Context, Decimal

_CONTEXT = Context(prec=60)


def rounded(value: float, decimals: int) -> Decimal:
    """A finite number to a count of decimals, halves away from zero, on its shortest decimal form; nothing is not negative.

    134.5 is 135 and -2.5 is -3 (not the even neighbour), 1.005 is 1.01 (not the 1.00 of the binary fraction just below). Source:
    ISO 80000-1:2009, annex B, rule B (the one of the trade and of every pocket calculator).

    >>> str(rounded(134.5, 0)), str(rounded(-2.5, 0)), str(rounded(1.005, 2))
    ('135', '-3', '1.01')
    """
    found = Decimal(repr(float(value))).quantize(Decimal(1).scaleb(-decimals), ROUND_HALF_UP, _CONTEXT)
    return abs(found) if found.is_zero() else found


def stated(value: float, decimals: int) -> float:
    """A number as it is stated and compared; nan and infinite ones as they are.

    >>> stated(0.125, 2), stated(-2.5, 0)
    (0.13, -3.0)
    """
    return float(rounded(value, decimals)) if math.isfinite(value) else value


def shown(value: float, decimals: int, sign: str = "") -> str:
    """A number as it is printed, "134.5" or, with a sign of "+", "+134.5"; "nan", "inf" or "-inf" of those.

    >>> shown(84.96, 1)
    '85.0'
    """
    return f"{rounded(value, decimals):{sign}f}" if math.isfinite(value) else f"{value:{sign}f}"
