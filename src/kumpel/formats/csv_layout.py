"""How a CSV of any program is laid out: found out, corrected, saved as a mapping."""

from __future__ import annotations

import csv
import json
import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from kumpel.core.recording import ChannelWord
from kumpel.formats.csv_own import column_of
from kumpel.formats.errors import CsvError
from kumpel.formats.heads import called
from kumpel.formats.times import ORDERS, order_of

SAMPLE_BYTES = 65_536
MISSING = ("", "nan", "-", "--", "---", "n/a", "#n/a", "na", "null", "none")
"""Cells that say "not measured", in lower case."""
ERROR_NAMES = ("error", "err", "error code", "fault code")
TIME_NAMES = (
    "time",
    "timestamp",
    "date",
    "datetime",
    "date time",
    "zeit",
    "datum",
    "uhrzeit",
    "t",
    "elapsed",
    "seconds",
    "clock",
)
DELIMITERS = (";", "\t", "|", ",")
_UNIT = re.compile(r"^(?P<name>.*?)\s*[\[(](?P<unit>[^\[\]]*?)[\])]?\s*$")


@dataclass(frozen=True)
class Layout:
    """How a CSV is laid out. `header_line` counts lines from 0, -1: there is none. `units_line` likewise.

    `columns` names the column of each channel, `units` the unit of a channel where the file's own is wrong or absent.
    `time` names one or two columns (date and clock). Everything empty is found out by `detect`.
    """

    encoding: str = ""
    delimiter: str = ""
    decimal: str = ""
    header_line: int = -2
    units_line: int = -2
    date_order: str = ""
    time: tuple[str, ...] = ()
    interval_s: float | None = None
    utc_offset_min: int = 0
    columns: Mapping[str, str] = field(default_factory=dict)
    units: Mapping[str, str] = field(default_factory=dict)

    def to_json(self) -> str:
        """The mapping as JSON text, to be saved and used again."""
        data = {k: getattr(self, k) for k in self.__dataclass_fields__}
        return json.dumps(
            {k: dict(v) if isinstance(v, Mapping) else list(v) if isinstance(v, tuple) else v for k, v in data.items()},
            indent=1,
            ensure_ascii=False,
        )

    @classmethod
    def from_json(cls, text: str) -> Layout:
        """A mapping from its JSON text. Raises CsvError naming the field that is wrong."""
        try:
            data = json.loads(text)
        except json.JSONDecodeError as error:
            raise CsvError(f"the mapping is no JSON: line {error.lineno}, column {error.colno}") from None
        if not isinstance(data, dict):
            raise CsvError("the mapping must be an object with fields such as “columns”")
        unknown = sorted(set(data) - set(cls.__dataclass_fields__))
        if unknown:
            raise CsvError(
                f"the mapping has an unknown field “{unknown[0]}”; there are: {', '.join(cls.__dataclass_fields__)}"
            )
        checks: dict[str, type | tuple[type, ...]] = {
            "columns": dict,
            "units": dict,
            "time": list,
            "header_line": int,
            "units_line": int,
            "utc_offset_min": int,
            "interval_s": (int, float, type(None)),
        }
        for key, value in data.items():
            if not isinstance(value, checks.get(key, str)):
                raise CsvError(f"the mapping's field “{key}” has the wrong type")
        if data.get("date_order", "") not in ("", *ORDERS):
            raise CsvError(f"the mapping's date_order must be one of {', '.join(ORDERS)}")
        if "time" in data:
            data["time"] = tuple(str(t) for t in data["time"])
        return cls(**data)


def _encoding(data: bytes) -> str:
    if data.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    # Without a mark: every other byte of mostly Latin text is zero.
    even, odd = data[:4000:2], data[1:4000:2]
    if len(odd) > 1 and odd.count(0) > 0.4 * len(odd) and not even.count(0):
        return "utf-16-le"
    if len(odd) > 1 and even.count(0) > 0.4 * len(even) and not odd.count(0):
        return "utf-16-be"
    try:
        # A character may be cut in two at the end of the piece looked at.
        data[:SAMPLE_BYTES].decode("utf-8-sig")
    except UnicodeDecodeError as error:
        if error.start < min(len(data), SAMPLE_BYTES) - 4:
            return "cp1252"
    return "utf-8-sig"


MOST_COLUMNS = 2_000


def split(line: str, delimiter: str) -> list[str]:
    """The cells of a line, without blanks around them. Raises CsvError for more than a table has."""
    if line.count(delimiter) >= MOST_COLUMNS:
        raise CsvError(f"a line has more than {MOST_COLUMNS:,} columns: this is no table of a recorder")
    return [cell.strip() for cell in next(csv.reader([line], delimiter=delimiter), [])]


def number(text: str, decimal: str) -> float | None:
    """The number in a cell; nan where it says "not measured", None where it is neither."""
    if text.strip().lower() in MISSING:
        return math.nan
    try:
        return float(text.replace(",", ".") if decimal == "," else text)
    except ValueError:
        return None


def table_in(lines: list[str], delimiter: str, least: int = 2) -> tuple[int, int]:
    """First line of the longest run of lines with the same number of columns (`least` or more), and that number.

    Separators at the end of a line with nothing between them add no column.
    """
    rows = [split(line, delimiter) if line.strip() else [] for line in lines]
    best, begun = (0, 0, 0), 0
    for i in range(len(rows) + 1):
        if i == len(rows) or not fits(rows[i], len(rows[begun])):
            width = len(rows[begun]) if rows else 0
            if width >= least and i - begun > best[0]:
                best = (i - begun, begun, width)
            begun = i
    return best[1], best[2] if best[0] >= 2 or (best[0] == 1 and len(lines) == 1) else 0


def fits(row: list[str], width: int) -> bool:
    """Whether a row has just so many columns; what stands behind them must be empty."""
    return len(row) == width or (0 < width < len(row) and not any(row[width:]))


def _is_time(text: str) -> bool:
    return bool(re.match(r"^\s*(\d{1,4}[-./]\d{1,2}[-./]\d{1,4}|\d{1,2}:\d{2})", text))


def detect(data: bytes, words: Sequence[ChannelWord], known: Layout | None = None) -> Layout:
    """Find out how a CSV is laid out; what `known` says is taken as it is.

    Looks at the first 64 kB. Raises CsvError when no table is found in it, or no column fits one of `words`.
    """
    found = known or Layout()
    encoding = found.encoding or _encoding(data)
    head = data[:SAMPLE_BYTES]
    if len(data) > SAMPLE_BYTES:
        head = head[: max(head.rfind(b"\n"), 1)]
    try:
        lines = head.decode(encoding, errors="replace").splitlines()
    except LookupError:
        raise CsvError(f"there is no encoding “{encoding}”") from None
    if sum(bool(line.strip()) for line in lines) < 2:
        raise CsvError("the file has fewer than two lines; a header and samples are needed")
    delimiter = found.delimiter or _delimiter(lines)
    first, width = table_in(lines, delimiter)
    if not width and found.interval_s is not None:
        # One column is enough where the interval between rows is known.
        delimiter = found.delimiter or ";"
        first, width = table_in(lines, delimiter, 1)
    if not width:
        raise CsvError("no table was found: fewer than two columns. Is the separator one of ; , | or tab?")
    table = [split(line, delimiter) for line in lines[first : first + 60]]
    decimal = found.decimal or _decimal(table, delimiter)
    numeric = [_looks_numeric(row, decimal) for row in table]
    header, units = found.header_line, found.units_line
    if header == -2:
        header = -1 if numeric[0] else first
    if units == -2:
        follows = header - first + 1 if header >= 0 else 0
        has_units = (
            header >= 0
            and follows + 1 < len(table)
            and not numeric[follows]
            and numeric[follows + 1]
            and not any(_is_time(c) for c in table[follows])
        )
        units = header + 1 if has_units else -1
    names = names_of(lines, delimiter, header, width)
    body = max(header, units) + 1 if header >= 0 else first
    rows = [split(line, delimiter) for line in lines[body : body + 2000] if line.strip()]
    time = found.time or _time_columns(names, rows)
    columns = _columns(names, words, found.columns, time)
    order = found.date_order or order_of(
        [r[names.index(time[0])] for r in rows if time and time[0] in names and len(r) > names.index(time[0])]
    )
    return replace(
        found,
        encoding=encoding,
        delimiter=delimiter,
        decimal=decimal,
        header_line=header,
        units_line=units,
        date_order=order,
        time=time,
        columns=columns,
    )


def _delimiter(lines: list[str]) -> str:
    def score(delimiter: str) -> tuple[int, int, int]:
        first, width = table_in(lines, delimiter)
        if not width:
            return 0, 0, 0
        run = sum(fits(split(line, delimiter), width) for line in lines[first:] if line.strip())
        return run, width, -DELIMITERS.index(delimiter)

    # A decimal comma makes "1,5;2,5" look like columns of a comma too: the semicolon must win there.
    scores = {d: score(d) for d in DELIMITERS}
    best = max(s[0] for s in scores.values())
    near = [d for d in DELIMITERS if scores[d][0] >= 0.9 * best and scores[d][1] >= 2]
    return near[0] if near else ","


def _looks_numeric(row: list[str], decimal: str) -> bool:
    cells = [c for c in row if c]
    plain = [c for c in cells if number(c, decimal) is not None or _is_time(c)]
    return bool(cells) and len(plain) >= max(len(cells) / 2, 1)


def _decimal(table: list[list[str]], delimiter: str) -> str:
    cells = [c for row in table for c in row if not _is_time(c)]
    commas = sum(bool(re.fullmatch(r"-?\d*,\d+", c)) for c in cells)
    points = sum(bool(re.fullmatch(r"-?\d*\.\d+", c)) for c in cells)
    return "," if commas > points else "."


def names_of(lines: list[str], delimiter: str, header: int, width: int) -> list[str]:
    names = [*split(lines[header], delimiter), *([""] * width)][:width] if header >= 0 else [""] * width
    made: list[str] = []
    for i, name in enumerate(names):
        plain = name or f"column {i + 1}"
        made.append(plain if plain not in made else f"{plain} ({i + 1})")
    return made


def plain_name(name: str) -> tuple[str, str]:
    """A column's name in lower case without its unit, and the unit in brackets behind it; of a file written here its key."""
    own = column_of(name)
    if own is not None:
        return own.key.lower(), own.unit
    match = _UNIT.match(name) if name.rstrip().endswith(("]", ")")) else None
    if match and match["name"]:
        return match["name"].strip().lower().replace("_", " "), match["unit"].strip()
    return name.strip().lower().replace("_", " "), ""


def _time_columns(names: list[str], rows: list[list[str]]) -> tuple[str, ...]:
    plain = [plain_name(n)[0] for n in names]
    hits = [i for i, n in enumerate(plain) if n in TIME_NAMES or n.split(" ")[0] in ("time", "date", "timestamp")]
    hits = hits or [i for i in range(len(names)) if rows and len(rows[0]) > i and _is_time(rows[0][i])]
    if len(hits) >= 2 and rows and all(len(r) > hits[1] for r in rows[:1]):
        first, second = rows[0][hits[0]], rows[0][hits[1]]
        if re.match(r"^\d{1,4}[-./]\d{1,2}[-./]\d{1,4}$", first) and re.match(r"^\d{1,2}:\d{2}", second):
            return names[hits[0]], names[hits[1]]
        if re.match(r"^\d{1,4}[-./]\d{1,2}[-./]\d{1,4}$", second) and re.match(r"^\d{1,2}:\d{2}", first):
            return names[hits[1]], names[hits[0]]
    return (names[hits[0]],) if hits else ()


def _columns(
    names: list[str], words: Sequence[ChannelWord], wished: Mapping[str, str], time: tuple[str, ...]
) -> dict[str, str]:
    lowered = [n.lower() for n in names]
    found: dict[str, str] = {}
    for key, name in wished.items():
        if name.lower() not in lowered:
            raise CsvError(f"no column “{name}”; there are: {', '.join(names)}")
        found[key] = names[lowered.index(name.lower())]
    taken = {*found.values(), *time}
    plain = [plain_name(n)[0] for n in names]
    for exact in (True, False):
        for word in words:
            if word.key in found:
                continue
            key = word.key.lower()
            # Names are compared with blanks for underscores; a key may be written with blanks for its points.
            also = {
                key,
                *(a.replace("_", " ") for a in (key, key.replace(".", " "), word.name.lower(), *called(word.key))),
            }
            hit = next(
                (
                    i
                    for i, n in enumerate(plain)
                    if names[i] not in taken and (n in also if exact else n.split(" ")[0] in also)
                ),
                None,
            )
            if hit is not None:
                found[word.key] = names[hit]
                taken.add(names[hit])
    if not found:
        wanted = ", ".join(w.name for w in words[:8])
        raise CsvError(
            f"no known column found in: {', '.join(names)}. Known are: {wanted}. Name one with --map {words[0].key if words else 'CHANNEL'}=COLUMN"
        )
    return found
