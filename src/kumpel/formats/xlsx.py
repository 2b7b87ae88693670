"""XLSX: figures, tables and samples of a recording as a workbook, written row by row."""

from __future__ import annotations

import math
from datetime import UTC, datetime

import numpy as np
import xlsxwriter
from xlsxwriter.format import Format
from xlsxwriter.worksheet import Worksheet

from kumpel.core.assessment import CLOCK, Assessment, Table
from kumpel.core.recording import Recording, sample_times
from kumpel.core.rounding import stated
from kumpel.core.timebase import wall_clock
from kumpel.formats.tables import base_interval, frame

MOST_ROWS = 1_000_000
"""Rows on one sheet; the format ends at 1,048,576."""


def write(recording: Recording, path: str, found: Assessment | None = None) -> None:
    """A workbook: figures and tables (when an assessment is given), events, samples at the recorded rate.

    Cells of samples that were not measured are empty. More than 1,000,000 rows go on over further sheets.
    """
    book = xlsxwriter.Workbook(
        path,
        {"constant_memory": True, "strings_to_formulas": False, "strings_to_urls": False, "nan_inf_to_errors": False},
    )
    bold = book.add_format({"bold": True, "bottom": 1})
    stamp = book.add_format({"num_format": "yyyy-mm-dd hh:mm:ss.000"})
    if found is not None:
        _figures(book.add_worksheet("Figures"), found, bold)
        for table in found.tables:
            sheet = book.add_worksheet(_title(book, table.title))
            _table(sheet, recording, table, bold, stamp)
    _events(book.add_worksheet("Events"), recording, bold, stamp)
    _samples(book, recording, bold, stamp)
    book.close()


def _title(book: xlsxwriter.Workbook, wish: str) -> str:
    plain = "".join(c for c in wish if c not in "[]:*?/\\'")[:28]
    taken = {s.get_name().lower() for s in book.worksheets()}
    return next(t for n in range(1, 1000) if (t := plain if n == 1 else f"{plain} {n}").lower() not in taken)


def _head(sheet: Worksheet, names: list[str], bold: Format) -> None:
    sheet.freeze_panes(1, 0)
    sheet.set_column(0, max(len(names) - 1, 0), 18)
    for column, name in enumerate(names):
        sheet.write_string(0, column, name, bold)


def _table(sheet: Worksheet, recording: Recording, table: Table, bold: Format, stamp: Format) -> None:
    """A table; moments ("clock") are days and times on the wall, as anywhere else in the workbook."""
    clocks = {i for i, c in enumerate(table.columns) if c.unit == CLOCK}
    heads = [f"{c.name} [{c.unit}]" if c.unit and i not in clocks else c.name for i, c in enumerate(table.columns)]
    _head(sheet, heads, bold)
    for row, cells in enumerate(table.rows, 1):
        _row(sheet, row, tuple(math.nan if i in clocks else cell for i, cell in enumerate(cells)))
        for i in clocks:
            at = cells[i]
            if isinstance(at, float | int) and math.isfinite(at):
                wall = wall_clock(recording, np.array([float(at)]))
                sheet.write_datetime(row, i, _when(float(wall[0])), stamp)


def _row(sheet: Worksheet, row: int, cells: tuple[str | float, ...]) -> None:
    for column, cell in enumerate(cells):
        if isinstance(cell, str):
            sheet.write_string(row, column, cell)
        elif math.isfinite(cell):
            sheet.write_number(row, column, cell)


def _figures(sheet: Worksheet, found: Assessment, bold: Format) -> None:
    _head(sheet, ["Figure", "Value", "Unit", "Verdict", "Words", "Coverage [%]", "Note", "Formula", "Source"], bold)
    judged = {j.figure: j for j in found.judgements}
    for row, figure in enumerate(found.figures, 1):
        judgement = judged.get(figure.key)
        verdict, words = (judgement.verdict.value, judgement.words) if judgement else ("", "")
        value = stated(figure.value, figure.decimals + 3) if math.isfinite(figure.value) else math.nan
        _row(
            sheet,
            row,
            (
                figure.name,
                value,
                figure.unit,
                verdict,
                words,
                round(100 * figure.coverage, 1),
                figure.note,
                figure.why.formula,
                figure.why.source,
            ),
        )


def _when(seconds: float) -> datetime:
    return datetime.fromtimestamp(round(seconds, 3), UTC).replace(tzinfo=None)


def _events(sheet: Worksheet, recording: Recording, bold: Format, stamp: Format) -> None:
    _head(sheet, ["Time", "Seconds", "Event", "Text", "Numbers"], bold)
    clock = wall_clock(recording, np.array([e.at_s for e in recording.events], dtype=np.float64))
    for row, (event, wall) in enumerate(zip(recording.events[: MOST_ROWS - 1], clock, strict=False), 1):
        sheet.write_datetime(row, 0, _when(float(wall)), stamp)
        numbers = ", ".join(f"{k} = {v}" for k, v in event.data.items())
        _row_from(sheet, row, (event.at_s, event.code, event.text, numbers))


def _row_from(sheet: Worksheet, row: int, cells: tuple[str | float, ...]) -> None:
    for column, cell in enumerate(cells, 1):
        if isinstance(cell, str):
            sheet.write_string(row, column, cell[:32_000])
        else:
            sheet.write_number(row, column, cell)


def _samples(book: xlsxwriter.Workbook, recording: Recording, bold: Format, stamp: Format) -> None:
    step, count = base_interval(recording)
    if not count:
        return
    table = frame(recording)
    names = table.column_names[2:]
    columns = [np.asarray(table.column(n).to_numpy(zero_copy_only=False), dtype=np.float64) for n in names]
    for number, first in enumerate(range(0, count, MOST_ROWS), 1):
        sheet = book.add_worksheet(_title(book, "Samples" if number == 1 else f"Samples {number}"))
        _head(sheet, ["Time", "Seconds", *names], bold)
        end = min(first + MOST_ROWS, count)
        seconds = sample_times(count, step)[first:end]
        # 25,569 days lie between the spreadsheet's day 0 and 1970-01-01.
        days = (wall_clock(recording, seconds) / 86_400 + 25_569).tolist()
        parts = [c[first:end].tolist() for c in columns]
        for row, (day, second) in enumerate(zip(days, seconds.tolist(), strict=True), 1):
            sheet.write_number(row, 0, day, stamp)
            sheet.write_number(row, 1, second)
            for column, part in enumerate(parts, 2):
                value = part[row - 1]
                if value == value:
                    sheet.write_number(row, column, value)
