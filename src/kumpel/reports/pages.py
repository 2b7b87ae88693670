"""A document as pages: PDF/A through Typst, and the same pages as pictures for the preview."""

from __future__ import annotations

import json
import re
import threading
from collections.abc import Iterator
from functools import lru_cache
from importlib.resources import files
from pathlib import Path
from typing import Literal

import typst

from kumpel.reports.document import Document

_lock = threading.Lock()
PREVIEW_PPI = 132


NOTO = (Path("/usr/share/fonts/truetype/noto"), Path("/usr/share/fonts/opentype/noto"))
"""Where Debian's fonts-noto-core, -cjk and -color-emoji put their files: names of people in any script."""
PLAIN = re.compile(
    r"[\t\n\r -~\xa0-\u024f\u2010-\u2027\u2030\u2032\u2033\u20ac\u2122\u2190-\u2193\u2212\u2248\u2260\u2264\u2265]*"
)
"""Signs that Barlow has, or that are known to come out: a document of these alone needs no trial."""
MOST_TRIALS = 60
_UNSHOWN = re.compile(r'(?:the text|contains the codepoint) `?(".*?")`?(?: could not|$|\n| )', re.DOTALL)


def font_paths() -> list[Path]:
    """Where the fonts of reports lie: our own, and those of Debian for names in any script."""
    return [Path(str(files("kumpel.reports"))) / "fonts", *(p for p in NOTO if p.is_dir())]


def _compiler() -> typst.Compiler:
    """One compiler for the process: it keeps fonts and parsed template. Another when fonts were installed since."""
    return _compiler_with(tuple((str(path), path.stat().st_mtime_ns) for path in NOTO if path.is_dir()))


@lru_cache(maxsize=1)
def _compiler_with(installed: tuple[tuple[str, int], ...]) -> typst.Compiler:
    here = Path(str(files("kumpel.reports")))
    return typst.Compiler(
        input=here / "report.typ",
        root=here,
        font_paths=font_paths(),
        ignore_system_fonts=True,
    )


def printable(document: Document) -> tuple[Document, tuple[str, ...]]:
    """The document with every sign that no font has as its code point in brackets, and what was put so ("U+0378")."""
    text = document.model_dump_json()
    if PLAIN.fullmatch(_texts(document)):
        return document, ()
    unknown: dict[str, None] = {}
    for _ in range(MOST_TRIALS):
        try:
            _compile(document, "pdf")
        except typst.TypstError as error:
            signs = _unshown(str(error))
            if not signs:
                raise
            for sign in signs:
                unknown[f"U+{ord(sign):04X}"] = None
                text = text.replace(json.dumps(sign, ensure_ascii=False)[1:-1], f"[U+{ord(sign):04X}]")
            document = Document.model_validate_json(text)
        else:
            return document, tuple(unknown)
    raise ValueError(f"more than {MOST_TRIALS} signs that no font has")


def _texts(document: Document) -> str:
    """All texts of a document but its pictures, which hold numbers and words of our own."""

    def walk(value: object) -> Iterator[str]:
        if isinstance(value, str):
            yield value
        elif isinstance(value, dict):
            for key, each in value.items():
                if key not in ("svg", "logo"):
                    yield from walk(each)
        elif isinstance(value, list):
            for each in value:
                yield from walk(each)

    return "".join(walk(document.model_dump()))


def _unshown(message: str) -> list[str]:
    """The signs that the compiler says no font has; of a text of several, all that are not plain."""
    found = _UNSHOWN.search(message)
    if found is None:
        return []
    text = re.sub(r"\\u\{([0-9a-fA-F]+)\}", lambda m: chr(int(m[1], 16)), found[1][1:-1])
    return [sign for sign in dict.fromkeys(text) if not PLAIN.fullmatch(sign)]


def pdf(document: Document) -> bytes:
    """The document as a tagged PDF/A-2a."""
    made = _compile(document, "pdf")
    assert isinstance(made, bytes)
    return made


TIGHTER = (0.88, 0.76, 0.64, 0.54)
"""Shares of their size to which pictures shrink, one after the other, for what is meant to be one page."""


def on_one(document: Document) -> Document:
    """The document on one page, its pictures as large as that allows; as it was when nothing helps."""
    return one_page(document)[0]


def one_page(document: Document) -> tuple[Document, bytes]:
    """The same with its PDF, which was made to see how long it is."""
    first: bytes | None = None
    for share in (document.tight, *TIGHTER):
        tried = document.model_copy(update={"tight": share})
        data = pdf(tried)
        if page_count(data) == 1:
            return tried, data
        first = first or data
    assert first is not None
    return document, first


def page_count(data: bytes) -> int:
    """How many pages a PDF of ours has: what the root of its page tree says."""
    found = re.findall(rb"/Type\s*/Pages\b[^>]*?/Count\s+(\d+)|/Count\s+(\d+)[^>]*?/Type\s*/Pages\b", data)
    if not found:
        raise ValueError("this PDF does not say how many pages it has")
    return max(int(a or b) for a, b in found)


def prints(logo_svg: str) -> bool:
    """Whether a picture comes out on paper; a damaged one would stop every report."""
    trial = Document(title="", subtitle="", token="", verdict="within", words="", footer="", logo=logo_svg)
    try:
        return re.search(rb"/Subtype\s*/Image", pdf(trial)) is not None
    except typst.TypstError:
        return False


def preview(document: Document) -> list[bytes]:
    """The same pages as PNG. (As SVG a browser would set the text of the pictures in it in a font of its own.)"""
    made = _compile(document, "png")
    return [made] if isinstance(made, bytes) else list(made or [])


def _compile(document: Document, form: Literal["pdf", "png"]) -> bytes | list[bytes] | None:
    inputs = _inputs(document)
    with _lock:
        if form == "pdf":
            return _compiler().compile(format="pdf", pdf_standards=["a-2a"], sys_inputs=inputs)
        return _compiler().compile(format="png", ppi=PREVIEW_PPI, sys_inputs=inputs)


def _inputs(document: Document) -> dict[str, str]:
    return {"document": document.model_dump_json()}
