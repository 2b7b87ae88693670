"""Pictures of a document as PNG, for what cannot show SVG."""

from __future__ import annotations

import threading
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

import typst

from kumpel.reports.pages import font_paths

DPI = 200.0
_lock = threading.Lock()


@lru_cache(maxsize=1)
def _compiler() -> typst.Compiler:
    here = Path(str(files("kumpel.reports")))
    return typst.Compiler(
        input=here / "picture.typ", root=here, font_paths=list(font_paths()), ignore_system_fonts=True
    )


def png(svg: str, dpi: float = DPI) -> bytes:
    """An SVG picture as PNG, as large as it says it is, in the fonts of the reports. Raises typst.TypstError when it is damaged."""
    with _lock:
        made = _compiler().compile(format="png", ppi=dpi, sys_inputs={"svg": svg})
    assert isinstance(made, bytes)
    return made
