"""XLSX: plain sheets of rows, days as days and numbers as numbers."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime

import xlsxwriter

NAME_SIGNS = 31
"""A sheet's name may not be longer."""


@dataclass(frozen=True)
class Sheet:
    """A sheet: its name, the heads of its columns, its rows. None and nan are empty cells; text is never taken for a formula."""

    name: str
    heads: Sequence[str]
    rows: Sequence[Sequence[object]]


def write(sheets: Sequence[Sheet]) -> bytes:
    """The bytes of a workbook."""
    out = io.BytesIO()
    with xlsxwriter.Workbook(out, {"in_memory": True}) as book:
        bold, day = book.add_format({"bold": True}), book.add_format({"num_format": "yyyy-mm-dd"})
        for sheet in sheets:
            page = book.add_worksheet(sheet.name[:NAME_SIGNS])
            for column, head in enumerate(sheet.heads):
                page.write_string(0, column, head, bold)
            for row, cells in enumerate(sheet.rows, 1):
                for column, value in enumerate(cells):
                    if isinstance(value, datetime | date):
                        page.write_datetime(row, column, value, day)
                    elif isinstance(value, int | float):
                        if math.isfinite(value):
                            page.write_number(row, column, value)
                    elif value is not None:
                        page.write_string(row, column, str(value))
            page.freeze_panes(1, 0)
            page.autofit()
    return out.getvalue()
