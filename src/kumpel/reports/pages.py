"""A document as pages: PDF/A through Typst, and the same pages as SVG for the preview."""

from __future__ import annotations

import threading
from functools import lru_cache
from importlib.resources import files
from pathlib import Path

import typst

from kumpel.reports.document import Document

_lock = threading.Lock()


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


def preview(document: Document) -> list[str]:
    """The same pages as SVG, one string a page."""
    with _lock:
        made = _compiler().compile(format="svg", sys_inputs=_inputs(document))
    pages = [made] if isinstance(made, bytes) else list(made or [])
    return [page.decode() if isinstance(page, bytes) else str(page) for page in pages]


def _inputs(document: Document) -> dict[str, str]:
    return {"document": document.model_dump_json()}
