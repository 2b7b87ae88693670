"""Derived channels by small formulas: parsed and evaluated here, over arrays; docs/formulas.md is the grammar.

A formula can do nothing but arithmetic on channels. Its length, depth and size are bounded, and every error names
the position (from 1) at which it was found.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from kumpel.core.recording import Channel, Floats
from kumpel.core.units import UnitError, channel_in
from kumpel.core.vehicle.channels import at_times

MOST_CHARACTERS = 1000
MOST_DEPTH = 40
MOST_PARTS = 400
MOST_SAMPLES = 20_000_000


class FormulaError(ValueError):
    """Something wrong in a formula, and where: `position` counts characters from 1."""

    def __init__(self, message: str, position: int) -> None:
        super().__init__(f"position {position}: {message}")
        self.position = position


@dataclass(frozen=True)
class Number:
    """A constant."""

    value: float


@dataclass(frozen=True)
class Name:
    """A channel, in a unit when one is asked for ("speed[km/h]")."""

    key: str
    unit: str
    at: int


@dataclass(frozen=True)
class Call:
    """An operator or function with its parts; `at` is where it stands."""

    name: str
    parts: tuple[Part, ...]
    at: int


Part = Number | Name | Call


@dataclass(frozen=True)
class _Token:
    kind: str
    text: str
    at: int


_TOKENS = re.compile(
    r"(?P<space>\s+)|(?P<number>(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?)|(?P<name>[A-Za-z_][A-Za-z0-9_.]*)"
    r"|(?P<quoted>\"[^\"]*\")|(?P<unit>\[[^\]]*\])|(?P<sign><=|>=|==|!=|[-+*/^%(),<>])"
)


def _tokens(text: str) -> list[_Token]:
    if len(text) > MOST_CHARACTERS:
        raise FormulaError(f"the formula is longer than {MOST_CHARACTERS} characters", MOST_CHARACTERS + 1)
    found, at = [], 0
    while at < len(text):
        match = _TOKENS.match(text, at)
        if match is None:
            hint = ' (a quoted name needs its closing ")' if text[at] == '"' else ""
            raise FormulaError(f"“{text[at]}” has no meaning here{hint}", at + 1)
        kind = str(match.lastgroup)
        if kind != "space":
            found.append(_Token(kind, match.group(), at + 1))
        at = match.end()
    return [*found, _Token("end", "", len(text) + 1)]


_LEVELS: tuple[tuple[str, ...], ...] = (
    ("or",),
    ("and",),
    ("<", "<=", ">", ">=", "==", "!="),
    ("+", "-"),
    ("*", "/", "%"),
)

_COMPARISONS = 2


class _Parser:
    """Recursive descent, one method a rule of the grammar."""

    def __init__(self, text: str) -> None:
        self._tokens = _tokens(text)
        self._at = 0
        self._parts = 0

    @property
    def _next(self) -> _Token:
        return self._tokens[self._at]

    def _take(self) -> _Token:
        token = self._next
        self._at += 1
        return token

    def _made(self, part: Part, at: int) -> Part:
        self._parts += 1
        if self._parts > MOST_PARTS:
            raise FormulaError(f"the formula has more than {MOST_PARTS} parts", at)
        return part

    def formula(self) -> Part:
        if self._next.kind == "end":
            raise FormulaError("the formula is empty", 1)
        part = self._level(0, 0)
        if self._next.kind != "end":
            raise FormulaError(f"“{self._next.text}” is left over", self._next.at)
        return part

    def _level(self, level: int, depth: int) -> Part:
        if depth > MOST_DEPTH:
            raise FormulaError(f"nested deeper than {MOST_DEPTH}", self._next.at)
        if level == len(_LEVELS):
            return self._signed(depth)
        if level == _COMPARISONS and self._next.text == "not":
            token = self._take()
            return self._made(Call("not", (self._level(level, depth + 1),), token.at), token.at)
        left = self._level(level + 1, depth)
        while self._next.text in _LEVELS[level] and self._next.kind in ("sign", "name"):
            token = self._take()
            left = self._made(Call(token.text, (left, self._level(level + 1, depth)), token.at), token.at)
            if level == _COMPARISONS and self._next.text in _LEVELS[_COMPARISONS]:
                raise FormulaError("comparisons cannot be chained: join them with “and”", self._next.at)
        return left

    def _signed(self, depth: int) -> Part:
        token = self._next
        if depth > MOST_DEPTH:
            raise FormulaError(f"nested deeper than {MOST_DEPTH}", token.at)
        if token.text in ("-", "+") and token.kind == "sign":
            self._take()
            name = {"-": "negative", "+": "positive"}[token.text]
            return self._made(Call(name, (self._signed(depth + 1),), token.at), token.at)
        base = self._primary(depth)
        if self._next.text == "^":
            token = self._take()
            return self._made(Call("^", (base, self._signed(depth + 1)), token.at), token.at)
        return base

    def _primary(self, depth: int) -> Part:
        token = self._take()
        if token.kind == "number":
            value = float(token.text)
            if not math.isfinite(value):
                raise FormulaError(f"the number {token.text} is too large", token.at)
            return self._made(Number(value), token.at)
        if token.text == "(":
            inside = self._level(0, depth + 1)
            self._expect(")", token)
            return inside
        if token.kind == "quoted" or (token.kind == "name" and token.text not in ("and", "or", "not")):
            if token.kind == "name" and self._next.text == "(":
                return self._function(token, depth)
            if token.text == "pi":
                return self._made(Number(math.pi), token.at)
            unit = self._take().text[1:-1].strip() if self._next.kind == "unit" else ""
            return self._made(Name(token.text.strip('"'), unit, token.at), token.at)
        what = "the formula ends" if token.kind == "end" else f"“{token.text}” stands"
        raise FormulaError(f"{what} where a number, a channel or a function is needed", token.at)

    def _expect(self, text: str, opened: _Token) -> None:
        token = self._take()
        if token.text != text:
            raise FormulaError(f"the bracket opened at position {opened.at} is not closed", token.at)

    def _function(self, token: _Token, depth: int) -> Part:
        least, most = _FUNCTIONS.get(token.text, (None, 0, 0))[1:]
        if token.text not in _FUNCTIONS:
            raise FormulaError(
                f"there is no function “{token.text}”; there are: {', '.join(sorted(_FUNCTIONS))}", token.at
            )
        opened = self._take()
        parts: list[Part] = []
        if self._next.text != ")":
            parts.append(self._level(0, depth + 1))
            while self._next.text == ",":
                self._take()
                parts.append(self._level(0, depth + 1))
        self._expect(")", opened)
        if not least <= len(parts) <= most:
            wanted = f"{least}" if least == most else f"{least} to {most}"
            raise FormulaError(f"{token.text} takes {wanted} values, not {len(parts)}", token.at)
        return self._made(Call(token.text, tuple(parts), token.at), token.at)


@dataclass(frozen=True)
class _Base:
    """The common times of an evaluation."""

    interval_s: float
    count: int


Work = Callable[[_Base, "list[Floats]"], Floats]


def _seconds(base: _Base, value: Floats, name: str) -> int:
    """Whole samples of a time in s that must be the same throughout."""
    seconds = float(value.flat[0]) if value.size else 0.0
    if not (0 <= seconds <= 3600):
        raise ValueError(f"{name} needs between 0 and 3600 s, not {seconds:g}")
    if value.size > 1 and not np.all(value == seconds):
        raise ValueError(f"{name} needs one number of seconds, not a channel")
    return round(seconds / base.interval_s)


def _smooth(base: _Base, v: list[Floats]) -> Floats:
    width = min(max(_seconds(base, v[1], "smooth"), 1) | 1, 2 * base.count + 1)
    known = ~np.isnan(v[0])
    sums = np.concatenate(([0.0], np.cumsum(np.where(known, v[0], 0.0))))
    counts = np.concatenate(([0], np.cumsum(known)))
    at, half = np.arange(base.count), width // 2
    first, end = np.maximum(at - half, 0), np.minimum(at + half + 1, base.count)
    used = counts[end] - counts[first]
    return np.where(known & (used > 0), (sums[end] - sums[first]) / np.maximum(used, 1), np.nan)


def _derivative(base: _Base, v: list[Floats]) -> Floats:
    if base.count < 2:
        return np.full(base.count, np.nan)
    found: Floats = np.gradient(v[0], base.interval_s)
    return found


def _integral(base: _Base, v: list[Floats]) -> Floats:
    return np.cumsum(np.nan_to_num(v[0])) * base.interval_s


def _delay(base: _Base, v: list[Floats]) -> Floats:
    steps = min(_seconds(base, v[1], "delay"), base.count)
    return np.concatenate((np.full(steps, np.nan), v[0][: base.count - steps]))


def _flags(condition: np.ndarray[tuple[int, ...], np.dtype[np.bool_]], *of: Floats) -> Floats:
    """1 where a condition holds, 0 where not, nan where a value is missing."""
    missing = np.zeros(np.shape(condition), dtype=bool)
    for values in of:
        missing |= np.isnan(values)
    return np.where(missing, np.nan, condition.astype(np.float64))


def _if(_: _Base, v: list[Floats]) -> Floats:
    return np.where(np.isnan(v[0]), np.nan, np.where(v[0] != 0, v[1], v[2]))


def _each(function: Callable[..., Floats]) -> Work:
    return lambda _, v: function(*v)


_DEGREE = math.pi / 180
# Function: what it does, least and most values.
_FUNCTIONS: dict[str, tuple[Work, int, int]] = {
    "abs": (_each(np.abs), 1, 1),
    "sqrt": (_each(np.sqrt), 1, 1),
    "exp": (_each(np.exp), 1, 1),
    "ln": (_each(np.log), 1, 1),
    "log10": (_each(np.log10), 1, 1),
    "sin": (_each(lambda a: np.sin(a * _DEGREE)), 1, 1),
    "cos": (_each(lambda a: np.cos(a * _DEGREE)), 1, 1),
    "tan": (_each(lambda a: np.tan(a * _DEGREE)), 1, 1),
    "atan2": (_each(lambda a, b: np.arctan2(a, b) / _DEGREE), 2, 2),
    "floor": (_each(np.floor), 1, 1),
    "ceil": (_each(np.ceil), 1, 1),
    "round": (_each(np.rint), 1, 1),
    "sign": (_each(np.sign), 1, 1),
    "min": (lambda _, v: np.minimum.reduce(np.broadcast_arrays(*v)), 2, 16),
    "max": (lambda _, v: np.maximum.reduce(np.broadcast_arrays(*v)), 2, 16),
    "clamp": (_each(lambda a, low, high: np.minimum(np.maximum(a, low), high)), 3, 3),
    "if": (_if, 3, 3),
    "missing": (_each(lambda a: np.isnan(a).astype(np.float64)), 1, 1),
    "smooth": (_smooth, 2, 2),
    "derivative": (_derivative, 1, 1),
    "integral": (_integral, 1, 1),
    "delay": (_delay, 2, 2),
}
_OPERATORS: dict[str, Work] = {
    "+": _each(np.add),
    "-": _each(np.subtract),
    "*": _each(np.multiply),
    "/": _each(lambda a, b: np.where(b == 0, np.nan, a / np.where(b == 0, 1, b))),
    "%": _each(lambda a, b: np.where(b == 0, np.nan, np.mod(a, np.where(b == 0, 1, b)))),
    "^": _each(np.power),
    "negative": _each(np.negative),
    "positive": _each(lambda a: a),
    "not": _each(lambda a: _flags(a == 0, a)),
    "and": _each(lambda a, b: _flags((a != 0) & (b != 0), a, b)),
    "or": _each(lambda a, b: _flags((a != 0) | (b != 0), a, b)),
    "<": _each(lambda a, b: _flags(a < b, a, b)),
    "<=": _each(lambda a, b: _flags(a <= b, a, b)),
    ">": _each(lambda a, b: _flags(a > b, a, b)),
    ">=": _each(lambda a, b: _flags(a >= b, a, b)),
    "==": _each(lambda a, b: _flags(a == b, a, b)),
    "!=": _each(lambda a, b: _flags(a != b, a, b)),
}
_WHOLE = ("smooth", "derivative", "integral", "delay")


@dataclass(frozen=True)
class Formula:
    """A parsed formula; see `parse`."""

    text: str
    root: Part

    @property
    def channels(self) -> tuple[str, ...]:
        """Keys of the channels it reads, in order of first use."""
        found: dict[str, None] = {}

        def walk(part: Part) -> None:
            if isinstance(part, Name):
                found[part.key] = None
            elif isinstance(part, Call):
                for each in part.parts:
                    walk(each)

        walk(self.root)
        return tuple(found)

    def evaluate(self, channels: Mapping[str, Channel], key: str, name: str, unit: str) -> Channel:
        """The derived channel. Its times are those of the fastest channel it reads; slower ones are interpolated.

        A missing value makes the result missing; so do a division by 0 and the root or logarithm of what has none.
        Raises FormulaError for an unknown channel or a unit that does not fit, with its position.
        """
        used = self.channels
        unknown = [c for c in used if c not in channels]
        if unknown:
            raise FormulaError(
                f"there is no channel “{unknown[0]}”; there are: {', '.join(sorted(channels)) or 'none'}",
                _place(self.root, unknown[0]),
            )
        if not used:
            raise FormulaError("the formula reads no channel", 1)
        fastest = min((channels[c] for c in used), key=lambda c: c.interval_s)
        base = _Base(fastest.interval_s, min(len(fastest.values), MOST_SAMPLES))
        times = np.arange(base.count, dtype=np.float64) * base.interval_s
        with np.errstate(all="ignore"):
            found = np.broadcast_to(self._value(self.root, base, times, channels, {}), (base.count,))
        return Channel(key, name, unit, base.interval_s, np.where(np.isfinite(found), found, np.nan))

    def _value(
        self, part: Part, base: _Base, times: Floats, channels: Mapping[str, Channel], known: dict[Name, Floats]
    ) -> Floats:
        if isinstance(part, Number):
            return np.array([part.value])
        if isinstance(part, Name):
            plain = Name(part.key, part.unit, 0)
            if plain not in known:
                try:
                    channel = channel_in(channels[part.key], part.unit) if part.unit else channels[part.key]
                except UnitError as error:
                    raise FormulaError(str(error), part.at) from None
                same = channel.interval_s == base.interval_s and channel.count == base.count
                known[plain] = channel.values if same else at_times(channel, times)
            return known[plain]
        values = [self._value(p, base, times, channels, known) for p in part.parts]
        if part.name in _WHOLE:
            values[0] = np.broadcast_to(values[0], (base.count,))
        work = _OPERATORS.get(part.name) or _FUNCTIONS[part.name][0]
        try:
            return work(base, values)
        except ValueError as error:
            raise FormulaError(str(error), part.at) from None


def _place(part: Part, key: str) -> int:
    if isinstance(part, Name):
        return part.at if part.key == key else 0
    if isinstance(part, Call):
        return next((at for p in part.parts if (at := _place(p, key))), 0)
    return 0


def parse(text: str) -> Formula:
    """A formula from its text, such as `"if(brake > 5, speed[km/h], 0)"`.

    Raises FormulaError with the position of the first thing that is wrong.
    """
    return Formula(text, _Parser(text).formula())
