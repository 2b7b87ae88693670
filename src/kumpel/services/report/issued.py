"""An issued report as a file: as it was frozen, or its document in another form."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass
from typing import Literal

from kumpel.reports import web_page, word
from kumpel.reports.document import Document
from kumpel.services.ground import apart
from kumpel.store.tables import Report

Form = Literal["pdf", "docx", "html"]
WITHOUT_NAME = "Without name"
"""The title of a report that names nobody."""
FORMS: tuple[Form, ...] = ("pdf", "docx", "html")
MEDIA_TYPES: dict[Form, str] = {"pdf": "application/pdf", "docx": word.MEDIA_TYPE, "html": web_page.MEDIA_TYPE}


@dataclass(frozen=True)
class File:
    """A report as bytes; `name` has its number only, `title` what people call it."""

    name: str
    title: str
    media_type: str
    data: bytes

    @property
    def sha256(self) -> str:
        return hashlib.sha256(self.data).hexdigest()


def is_named(report: Report) -> bool:
    """Whether the person's name is in it."""
    return not report.title.startswith(f"{WITHOUT_NAME},")


def file_of(report: Report, form: Form) -> File:
    """An issued report in a form. The PDF is the one that was frozen; Word and web page are made of the same frozen document."""
    title = str(report.document.get("title", ""))
    if form == "pdf":
        data = report.pdf
    else:
        document = Document.model_validate(report.document)
        data = apart.call("The file", word.word if form == "docx" else web_page.web_page, document)
    return File(f"{report.number}.{form}", title, MEDIA_TYPES[form], data)
