"""What can be wrong with a file.

FileFormatError          a file that cannot be read or written: what, and where in it
├── CsvError             by line and column
├── GpxError             by line or track point
├── EdfError             by byte
└── FileError            a recording file, by byte
    └── IncompleteError  its bytes end inside an item: more may come

Who reads a file tells its user `str(error)`; who wants to point at the place asks the error for it.
"""

from __future__ import annotations

from pathlib import Path
from typing import Self


class FileFormatError(ValueError):
    """`what` is wrong, at a `line` (from 1) and `column`, a track `point` (from 1) or a byte `offset`, of the file at `path`."""

    def __init__(
        self,
        what: str,
        *,
        path: Path | None = None,
        line: int | None = None,
        column: str | int | None = None,
        point: int | None = None,
        offset: int | None = None,
    ) -> None:
        self.what = what
        self.path = path
        self.line, self.column, self.point, self.offset = line, column, point, offset
        super().__init__(": ".join(filter(None, (str(path or ""), self.place, what))))

    @property
    def place(self) -> str:
        """Where it is: "line 3, column “co”", "byte 512"; empty when it is the file as a whole."""
        column = f"“{self.column}”" if isinstance(self.column, str) else self.column
        named = {"line": self.line, "column": column, "track point": self.point, "byte": self.offset}
        return ", ".join(f"{name} {value}" for name, value in named.items() if value is not None)

    def of(self, path: Path) -> Self:
        """The same of a named file."""
        self.path = path
        self.args = (f"{path}: {self}",)
        return self


class CsvError(FileFormatError):
    """Something wrong in a CSV file."""


class GpxError(FileFormatError):
    """Something wrong in a GPX file."""


class EdfError(FileFormatError):
    """Something wrong in an EDF file, with the byte it was found at."""

    def __init__(self, what: str, offset: int) -> None:
        super().__init__(what, offset=offset)


class FileError(FileFormatError):
    """Something wrong in a recording file, with the byte offset of the item it was found in."""

    def __init__(self, what: str, offset: int) -> None:
        super().__init__(what, offset=offset)


class IncompleteError(FileError):
    """The bytes end inside an item: more may come."""
