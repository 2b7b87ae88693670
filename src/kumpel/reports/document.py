"""The document model of a report: what stands on the page, in order, without saying how it looks."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field, model_validator

Size = Literal["strip", "half", "wide", "page"]
"""How a part stands on paper: in one piece, beside the next half, over the whole width, from the top of a new page."""


class Fact(BaseModel):
    label: str
    value: str


class Sized(BaseModel):
    size: Size = "wide"


class Facts(Sized):
    part: Literal["facts"] = "facts"
    title: str = ""
    facts: list[Fact]


class FigureLine(BaseModel):
    name: str
    value: str
    unit: str
    limit: str = ""
    verdict: str = ""
    words: str = ""


class Figures(Sized):
    part: Literal["figures"] = "figures"
    title: str
    lines: list[FigureLine]


class Picture(Sized):
    """A picture as SVG; `text` says in words what it shows, for those who cannot see it. One that is `to_scale` is never made larger or
    smaller on paper."""

    part: Literal["picture"] = "picture"
    title: str
    svg: str
    text: str
    to_scale: bool = False

    @model_validator(mode="before")
    @classmethod
    def _halves_of_old(cls, data: Any) -> Any:
        """Papers frozen before parts had sizes say "half" by a sign before the title."""
        if isinstance(data, dict) and str(data.get("title", "")).startswith("~"):
            return {**data, "title": data["title"][1:], "size": "half"}
        return data


class TablePart(Sized):
    """A table; with `even` all columns are of one width, else the first takes what the others leave."""

    part: Literal["table"] = "table"
    title: str
    columns: list[str]
    rows: list[list[str]]
    empty: str = ""
    even: bool = False


class TextPart(Sized):
    part: Literal["text"] = "text"
    title: str
    text: str


class ListPart(Sized):
    """Lines that are read one by one."""

    part: Literal["list"] = "list"
    title: str
    lines: list[str]


class WriteIn(Sized):
    """Empty rows to write into by hand; `widths` are the shares of the columns."""

    part: Literal["write-in"] = "write-in"
    title: str
    columns: list[str]
    widths: list[float]
    rows: int


class Signature(Sized):
    part: Literal["signature"] = "signature"
    name: str = ""
    date: str = ""


Part = Facts | Figures | Picture | TablePart | TextPart | ListPart | WriteIn | Signature


class Document(BaseModel):
    """A report before it becomes pages; `house` and `address` are whose paper it is, `logo` its picture as SVG. `tight` is the share of
    their size that pictures, and the space between lines, have (see `pages.on_one`)."""

    paper: Literal["a4", "a5"] = "a4"
    title: str
    subtitle: str
    token: str
    verdict: str
    words: str
    footer: str
    draft: bool = True
    tight: float = 1.0
    house: str = ""
    address: str = ""
    logo: str = ""
    parts: list[Part] = Field(default_factory=list)
