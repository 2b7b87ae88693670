"""A document as one web page that stands alone: no script, nothing fetched, readable without us."""

from __future__ import annotations

import base64
from functools import lru_cache
from importlib.resources import files

import jinja2

from kumpel.reports import marks
from kumpel.reports.document import Document

MEDIA_TYPE = "text/html; charset=utf-8"


def web_page(document: Document) -> bytes:
    """The document as HTML bytes."""
    return _template().render(doc=document, halves=_rows(document)).encode()


@lru_cache(maxsize=1)
def _template() -> jinja2.Template:
    source = files("kumpel.reports").joinpath("web_page.html").read_text(encoding="utf-8")
    environment = jinja2.Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    environment.filters["picture"] = _picture
    environment.globals.update(words=marks.words, colour=_colour)
    return environment.from_string(source)


def _picture(svg: str) -> str:
    """A picture inside the page; as an image, so that nothing in it is ever run."""
    return f"data:image/svg+xml;base64,{base64.b64encode(svg.encode()).decode()}"


def _colour(verdict: str) -> str:
    return f"#{marks.COLOURS.get(verdict, marks.SOFT)}"


def _rows(document: Document) -> list[list[object]]:
    """Parts as they follow each other; halves that do so stand in one row."""
    rows: list[list[object]] = []
    halves = 0
    for part in document.parts:
        if part.size == "half" and halves % 2 == 1:
            rows[-1].append(part)
        else:
            rows.append([part])
        halves = halves + 1 if part.size == "half" else 0
    return rows
