"""Whether the demo's data was loaded to its end, and what a start that was cut has left behind."""

from __future__ import annotations

import shutil
from pathlib import Path

LEFT = ("standins", "sticks", "ports", "mail", "air")


def loaded_mark(folder: Path) -> Path:
    """The file that says that everything was loaded."""
    return folder / "postgres" / "loaded"


def take_away_halves(folder: Path) -> None:
    """After a start that was cut the database begins anew, and so do recorders, sticks and mail: else each session would be on its
    recorder once more."""
    if not loaded_mark(folder).exists():
        for name in LEFT:
            shutil.rmtree(folder / name, ignore_errors=True)
