"""The body of a CSV as columns: quickly where it is plain, row by row where it is not.

PyArrow reads plain files. What it refuses (separators at the ends of rows, blank cells, words for "not measured" in any
spelling) is read again row by row, which also finds line and column of a cell that is wrong.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import pyarrow as pa
import pyarrow.csv as pc

from kumpel.core.recording import Floats
from kumpel.formats.csv_layout import MISSING, SAMPLE_BYTES, Layout, names_of, number, split, table_in
from kumpel.formats.errors import CsvError

_SPELLINGS = sorted({s for m in MISSING for s in (m, m.upper(), m.title())} | {"NaN"})


@dataclass(frozen=True)
class Body:
    """Columns of texts and of numbers (nan: not measured) by name, and the line, from 1, of the first row."""

    names: list[str]
    texts: dict[str, list[str]]
    numbers: dict[str, Floats]
    first_line: int


def head_lines(data: bytes, layout: Layout) -> list[str]:
    """The lines at the beginning of the file."""
    return data[:SAMPLE_BYTES].decode(layout.encoding, errors="replace").splitlines()


def body(data: bytes, layout: Layout, texts: Sequence[str]) -> Body:
    """The columns that the layout names as numbers, and those of `texts` as texts. Raises CsvError with line and column."""
    lines = head_lines(data, layout)
    skip = (
        max(layout.header_line, layout.units_line) + 1
        if layout.header_line >= 0
        else table_in(lines, layout.delimiter, 1 if layout.interval_s is not None else 2)[0]
    )
    width = len(split(lines[skip], layout.delimiter)) if skip < len(lines) else 0
    if layout.header_line >= 0:
        width = max(len(split(lines[layout.header_line], layout.delimiter)), 1)
    names = names_of(lines, layout.delimiter, layout.header_line, width)
    wanted = [t for t in dict.fromkeys(texts) if t in names]
    numbers = [c for c in dict.fromkeys(layout.columns.values()) if c in names and c not in wanted]
    quick = _quickly(data, layout, names, wanted, numbers, skip)
    return quick or _by_row(data, layout, names, wanted, numbers, skip)


def _quickly(
    data: bytes, layout: Layout, names: list[str], texts: list[str], numbers: list[str], skip: int
) -> Body | None:
    """The body of a plain file; None when a row or a cell is not plain."""
    types = {n: pa.string() for n in names} | {n: pa.float64() for n in numbers}
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
            parse_options=pc.ParseOptions(delimiter=layout.delimiter),
            convert_options=pc.ConvertOptions(
                column_types=types,
                include_columns=[*texts, *numbers],
                null_values=_SPELLINGS,
                strings_can_be_null=True,
                quoted_strings_can_be_null=True,
                decimal_point=layout.decimal,
            ),
        )
    except (pa.ArrowInvalid, pa.ArrowKeyError, UnicodeDecodeError):
        return None
    return Body(
        names,
        {t: table.column(t).fill_null("").to_pylist() for t in texts},
        {n: np.asarray(table.column(n).to_numpy(zero_copy_only=False), dtype=np.float64) for n in numbers},
        skip + 1,
    )


def _by_row(data: bytes, layout: Layout, names: list[str], texts: list[str], numbers: list[str], skip: int) -> Body:
    """The body read cell by cell; what stands behind the last column must be empty."""
    found_texts: dict[str, list[str]] = {t: [] for t in texts}
    found: dict[str, list[float]] = {n: [] for n in numbers}
    at = {n: i for i, n in enumerate(names)}
    lines = io.StringIO(data.decode(layout.encoding, errors="replace"), newline="")
    for _ in range(skip):
        lines.readline()
    rows = csv.reader(lines, delimiter=layout.delimiter)
    try:
        for row in rows:
            cells = [c.strip() for c in row]
            if not any(cells):
                continue
            line = skip + rows.line_num
            while len(cells) > len(names) and not cells[-1]:
                cells.pop()
            if len(cells) != len(names):
                raise CsvError(
                    f"{len(cells)} columns instead of {len(names)}; was the file cut off? "
                    "Nothing of it was taken. Complete or remove the line, then try again",
                    line=line,
                )
            for name, column in found_texts.items():
                column.append(cells[at[name]])
            for name, values in found.items():
                value = number(cells[at[name]], layout.decimal)
                if value is None:
                    raise CsvError(f"“{cells[at[name]][:30]}” is no number", line=line, column=name)
                values.append(value)
    except csv.Error:
        raise CsvError("not readable as a row of a table; is the file text?", line=skip + rows.line_num) from None
    return Body(names, found_texts, {n: np.array(v, dtype=np.float64) for n, v in found.items()}, skip + 1)


def without_endless(columns: dict[str, Floats]) -> tuple[dict[str, Floats], int]:
    """Columns with endless cells (inf) as nan, and how many there were."""
    endless = {k: np.isinf(v) for k, v in columns.items()}
    count = sum(int(e.sum()) for e in endless.values())
    return {k: np.where(endless[k], np.nan, v) if endless[k].any() else v for k, v in columns.items()}, count
