"""A document as pages: PDF/A through Typst, and the same pages as pictures for the preview."""

from __future__ import annotations

import threading
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

import typst

from kumpel.reports.document import Document

_lock = threading.Lock()
PREVIEW_PPI = 150


@lru_cache(maxsize=1)
def _compiler() -> typst.Compiler:
    """One compiler for the process: it keeps fonts and parsed template."""
    here = Path(str(files("kumpel.reports")))
    return typst.Compiler(input=here / "report.typ", root=here, font_paths=[here / "fonts"], ignore_system_fonts=True)


def pdf(document: Document) -> bytes:
    """The document as a tagged PDF/A-2a."""
    with _lock:
        made = _compiler().compile(format="pdf", pdf_standards=["a-2a"], sys_inputs=_inputs(document))
    assert isinstance(made, bytes)
    return made


def preview(document: Document) -> list[bytes]:
    """The same pages as PNG. (As SVG a browser would set the text of the pictures in it in a font of its own.)"""
    with _lock:
        made = _compiler().compile(format="png", ppi=PREVIEW_PPI, sys_inputs=_inputs(document))
    return [made] if isinstance(made, bytes) else list(made or [])


def _inputs(document: Document) -> dict[str, str]:
    return {"document": document.model_dump_json()}
