"""CSV of any program: how it is laid out is found out, can be corrected, and can be saved as a mapping.

Reading goes through PyArrow's CSV reader; only what it refuses is looked at row by row, to say where it is wrong.
"""

from __future__ import annotations

import csv
import io
import json
import math
import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.csv as pc

from kumpel.core.recording import Channel, ChannelWord, Event, Floats, Recording
from kumpel.core.units import standard
from kumpel.formats.rows import evened
from kumpel.formats.tables import frame
from kumpel.formats.times import ORDERS, TimeError, either_way, order_of, stamps

SAMPLE_BYTES = 65_536
MISSING = ("", "nan", "NaN", "NAN", "-", "--", "---", "n/a", "NA", "null")
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


class CsvError(ValueError):
    """Something wrong in a CSV file, with line and column."""


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
    try:
        # A character may be cut in two at the end of the piece looked at.
        data[:SAMPLE_BYTES].decode("utf-8-sig")
    except UnicodeDecodeError as error:
        if error.start < min(len(data), SAMPLE_BYTES) - 4:
            return "cp1252"
    return "utf-8-sig"


def _split(line: str, delimiter: str) -> list[str]:
    return [cell.strip() for cell in next(csv.reader([line], delimiter=delimiter), [])]


def _number(text: str, decimal: str) -> float | None:
    if text in MISSING:
        return math.nan
    try:
        return float(text.replace(",", ".") if decimal == "," else text)
    except ValueError:
        return None


def _layout(lines: list[str], delimiter: str) -> tuple[int, int]:
    """First line of the longest run of lines with the same number of columns (two or more), and that number."""
    counts = [len(_split(line, delimiter)) if line.strip() else 0 for line in lines]
    best, begun = (0, 0, 0), 0
    for i in range(len(counts) + 1):
        if i == len(counts) or counts[i] != counts[begun]:
            if counts[begun] >= 2 and i - begun > best[0]:
                best = (i - begun, begun, counts[begun])
            begun = i
    return best[1], best[2] if best[0] >= 2 or (best[0] == 1 and len(lines) == 1) else 0


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
    first, width = _layout(lines, delimiter)
    if not width:
        raise CsvError("no table was found: fewer than two columns. Is the separator one of ; , | or tab?")
    table = [_split(line, delimiter) for line in lines[first : first + 60]]
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
    names = _names(lines, delimiter, header, width)
    body = max(header, units) + 1 if header >= 0 else first
    rows = [_split(line, delimiter) for line in lines[body : body + 2000] if line.strip()]
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
        first, width = _layout(lines, delimiter)
        if not width:
            return 0, 0, 0
        run = sum(len(_split(line, delimiter)) == width for line in lines[first:] if line.strip())
        return run, width, -DELIMITERS.index(delimiter)

    # A decimal comma makes "1,5;2,5" look like columns of a comma too: the semicolon must win there.
    scores = {d: score(d) for d in DELIMITERS}
    best = max(s[0] for s in scores.values())
    near = [d for d in DELIMITERS if scores[d][0] >= 0.9 * best and scores[d][1] >= 2]
    return near[0] if near else ","


def _looks_numeric(row: list[str], decimal: str) -> bool:
    cells = [c for c in row if c]
    plain = [c for c in cells if _number(c, decimal) is not None or _is_time(c)]
    return bool(cells) and len(plain) >= max(len(cells) / 2, 1)


def _decimal(table: list[list[str]], delimiter: str) -> str:
    if delimiter == ",":
        return "."
    cells = [c for row in table for c in row if not _is_time(c)]
    commas = sum(bool(re.fullmatch(r"-?\d*,\d+", c)) for c in cells)
    points = sum(bool(re.fullmatch(r"-?\d*\.\d+", c)) for c in cells)
    return "," if commas > points else "."


def _names(lines: list[str], delimiter: str, header: int, width: int) -> list[str]:
    names = [*_split(lines[header], delimiter), *([""] * width)][:width] if header >= 0 else [""] * width
    made: list[str] = []
    for i, name in enumerate(names):
        plain = name or f"column {i + 1}"
        made.append(plain if plain not in made else f"{plain} ({i + 1})")
    return made


def _plain(name: str) -> tuple[str, str]:
    """A column's name in lower case without its unit, and the unit in brackets behind it."""
    match = _UNIT.match(name) if name.rstrip().endswith(("]", ")")) else None
    if match and match["name"]:
        return match["name"].strip().lower().replace("_", " "), match["unit"].strip()
    return name.strip().lower().replace("_", " "), ""


def _time_columns(names: list[str], rows: list[list[str]]) -> tuple[str, ...]:
    plain = [_plain(n)[0] for n in names]
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
    plain = [_plain(n)[0] for n in names]
    for exact in (True, False):
        for word in words:
            if word.key in found:
                continue
            also = {word.key.lower(), word.key.lower().replace(".", " "), word.name.lower(), *word.also}
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


def _body(data: bytes, layout: Layout) -> tuple[list[str], pa.Table, int]:
    """Column names, the table as PyArrow reads it, and the line (from 1) of its first row."""
    lines = data[:SAMPLE_BYTES].decode(layout.encoding, errors="replace").splitlines()
    skip = (
        max(layout.header_line, layout.units_line) + 1
        if layout.header_line >= 0
        else _layout(lines, layout.delimiter)[0]
    )
    width = len(_split(lines[skip], layout.delimiter)) if skip < len(lines) else 0
    names = _names(lines, layout.delimiter, layout.header_line, width)
    numbers = [c for c in layout.columns.values() if c in names]
    wanted = [*dict.fromkeys([*(t for t in layout.time if t in names), *numbers])]
    types = {n: pa.string() for n in names} | {n: pa.float64() for n in numbers}
    bad: list[tuple[int, int, int]] = []

    def wrong(row: Any) -> str:
        bad.append((row.number or 0, row.expected_columns, row.actual_columns))
        return "skip"

    try:
        table = pc.read_csv(
            pa.BufferReader(data),
            read_options=pc.ReadOptions(
                use_threads=False,
                encoding="utf-8" if layout.encoding == "utf-8-sig" else layout.encoding,
                skip_rows=skip,
                column_names=names,
                block_size=8 << 20,
            ),
            parse_options=pc.ParseOptions(delimiter=layout.delimiter, invalid_row_handler=wrong),
            convert_options=pc.ConvertOptions(
                column_types=types,
                include_columns=wanted,
                null_values=list(MISSING),
                strings_can_be_null=True,
                quoted_strings_can_be_null=True,
                decimal_point=layout.decimal,
            ),
        )
    except (pa.ArrowInvalid, pa.ArrowKeyError, UnicodeDecodeError) as error:
        raise _where(data, layout, names, skip, str(error)) from None
    if bad:
        number, expected, actual = bad[0]
        raise CsvError(f"line {number or '?'}: {actual} columns instead of {expected}; was the file cut off?")
    return names, table, skip + 1


def _where(data: bytes, layout: Layout, names: list[str], skip: int, message: str) -> CsvError:
    """The line and column of the first cell that is no number."""
    lines = data.decode(layout.encoding, errors="replace").splitlines()
    for number, line in enumerate(lines[skip:], skip + 1):
        cells = _split(line, layout.delimiter) if line.strip() else []
        for name in layout.columns.values():
            column = names.index(name)
            if column < len(cells) and _number(cells[column], layout.decimal) is None:
                return CsvError(f"line {number}, column “{name}”: “{cells[column][:30]}” is no number")
    return CsvError(message.splitlines()[0])


def read(
    data: bytes,
    kind: str,
    words: Sequence[ChannelWord],
    layout: Layout | None = None,
    readings: Sequence[str] = (),
    reading_code: str = "reading",
) -> Recording:
    """A CSV as a recording of the given kind.

    Columns are brought onto an even time base (see `rows.evened`); where there is no time column, the layout's
    `interval_s` tells it. When a column of `readings` is there, each row becomes an event `reading_code` at its own time instead.
    Raises CsvError with line and column. Notes on what was done stand in `recorder["notes"]`.
    """
    found = detect(data, words, layout)
    names, table, first_line = _body(data, found)
    units = _units(data, found, names, words)
    columns = {
        key: np.asarray(table.column(name).to_numpy(zero_copy_only=False), dtype=np.float64)
        for key, name in found.columns.items()
    }
    endless = sum(int(np.isinf(v).sum()) for v in columns.values())
    columns = {k: np.where(np.isinf(v), np.nan, v) if endless else v for k, v in columns.items()}
    times, start, offset, dated = _times(table, found, first_line)
    single = [k for k in readings if k in columns]
    if single and times is not None:
        return _readings(kind, reading_code, single, columns, units, times, start, offset)
    notes: tuple[str, ...] = ()
    events: tuple[Event, ...] = ()
    if times is None:
        if found.interval_s is None:
            raise CsvError("the interval between rows is not known: give it with --interval SECONDS")
        step = found.interval_s
    else:
        try:
            even = evened(times, columns, found.interval_s, dated)
        except ValueError as error:
            raise CsvError(
                f"{error}: give it with --interval SECONDS" if "interval" in str(error) else str(error)
            ) from None
        columns, step, notes, events = even.columns, even.interval_s, even.notes, _with_offset(even.events, offset)
    titles = {w.key: w.name for w in words}
    channels = {k: Channel(k, titles.get(k, found.columns[k]), units[k], step, v) for k, v in columns.items()}
    length = max((len(v) for v in columns.values()), default=0) * step
    said = [*_date_note(table, found, layout), *notes]
    if endless:
        said.append(f"{endless} cells are endless (inf) and count as not measured")
    recorder = {"name": "file", "notes": said}
    return Recording(kind, start, offset, channels, events, {"run_length_min": length / 60}, recorder)


def _date_note(table: pa.Table, found: Layout, told: Layout | None) -> list[str]:
    """What was taken for the day and what for the month, where nothing in the file says so."""
    if (told is not None and told.date_order) or not found.time or found.time[0] not in table.column_names:
        return []
    column = table.column(found.time[0])
    texts = column.take(pa.array(range(0, len(column), max(len(column) // 2000, 1)))).to_pylist()
    if not either_way([str(t) for t in texts if t]):
        return []
    words = {"dmy": "day before month", "mdy": "month before day"}[found.date_order]
    return [f"dates were read with the {words}; if that is wrong, give a layout with “date_order”"]


def _with_offset(events: Iterable[Event], offset_min: int) -> tuple[Event, ...]:
    return tuple(replace(e, data={"utc_offset_min": offset_min - 60}) if e.code == "utc-offset" else e for e in events)


def _units(data: bytes, layout: Layout, names: list[str], words: Sequence[ChannelWord]) -> dict[str, str]:
    """Unit of each channel: the mapping's, the one in the header's brackets, the units row's, else the usual one."""
    row: list[str] = []
    if layout.units_line >= 0:
        lines = data[:SAMPLE_BYTES].decode(layout.encoding, errors="replace").splitlines()
        row = [c.strip("[]() ") for c in _split(lines[layout.units_line], layout.delimiter)]
    usual = {w.key: w.unit for w in words}
    found = {}
    for key, name in layout.columns.items():
        column = names.index(name)
        given = layout.units.get(key) or _plain(name)[1] or (row[column] if column < len(row) else "")
        found[key] = (
            standard(given)
            if given and standard(given) == standard(usual.get(key, ""))
            else given or usual.get(key, "")
        )
        if given and usual.get(key) and standard(given) == standard(usual[key]):
            found[key] = usual[key]
    return found


def _times(table: pa.Table, layout: Layout, first_line: int) -> tuple[Floats | None, float, int, bool]:
    """Seconds of each row from the first, the start as Unix time, the offset, and whether they are of a wall clock."""
    there = [t for t in layout.time if t in table.column_names]
    if not there:
        return None, 0.0, layout.utc_offset_min, False
    texts: list[str] = table.column(there[0]).fill_null("").to_pylist()
    if len(there) == 2:
        texts = [f"{a} {b or ''}".strip() for a, b in zip(texts, table.column(there[1]).to_pylist(), strict=True)]
    try:
        found = stamps(texts, layout.date_order or "ymd")
    except TimeError as error:
        raise CsvError(f"line {error.row + first_line}, column “{there[0]}”: {error}") from None
    seconds = found.seconds
    if not found.dated and ":" in str(next((t for t in texts if t), "")):
        # A clock without a date: past midnight the next day begins.
        steps = np.diff(seconds)
        seconds = seconds + np.concatenate(([0.0], np.cumsum(np.where(steps < -43_200, 86_400.0, 0.0))))
    known = seconds[~np.isnan(seconds)]
    if not len(known):
        raise CsvError(f"column “{there[0]}” has no time in it")
    offset = found.offset_min if found.offset_min is not None else layout.utc_offset_min
    start = float(known.min()) if found.dated else 0.0
    local = found.dated and found.offset_min is None
    return seconds - (start if found.dated else 0.0), (start - offset * 60) if local else start, offset, local


def _readings(
    kind: str,
    code: str,
    keys: list[str],
    columns: dict[str, Floats],
    units: dict[str, str],
    times: Floats,
    start: float,
    offset: int,
) -> Recording:
    events = []
    for i, at in enumerate(times.tolist()):
        values = {k: float(columns[k][i]) for k in keys if not math.isnan(columns[k][i])}
        if math.isnan(at):
            continue
        unit = units.get(keys[0], "")
        data: dict[str, object] = dict(values) if values else {"error": "empty row"}
        if unit and unit.lower() != "mmhg" and code == "reading":
            data["unit"] = unit
        events.append(Event(at, code, "", data))
    length = max((e.at_s for e in events), default=0.0)
    return Recording(
        kind, start, offset, {}, tuple(events), {"run_length_min": length / 60}, {"name": "file", "notes": []}
    )


def write(recording: Recording, events: str = "") -> bytes:
    """All channels at their recorded rate: time on the wall clock, seconds, one column a channel with its unit.

    Slower channels have a value on the rows of their own samples only. With `events`, the events of that code ("reading")
    take the place of the samples, one a row. Semicolons separate, points are decimal.
    """
    if events:
        chosen = tuple(e for e in recording.events if e.code == events)
        if not chosen:
            codes = ", ".join(sorted({e.code for e in recording.events})) or "none"
            raise CsvError(f"the recording has no event “{events}”; there are: {codes}")
        recording = replace(recording, channels={}, events=chosen)
    table = frame(recording)
    names = [n.replace(";", ",") for n in table.column_names]
    out = io.BytesIO()
    pc.write_csv(table.rename_columns(names), out, pc.WriteOptions(delimiter=";", quoting_style="needed"))
    return b"\xef\xbb\xbf" + out.getvalue()
