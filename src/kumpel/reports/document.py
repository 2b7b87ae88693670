"""The document model of a report: what stands on the page, in order, without saying how it looks."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field


class Fact(BaseModel):
    label: str
    value: str


class Facts(BaseModel):
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


class Figures(BaseModel):
    part: Literal["figures"] = "figures"
    title: str
    lines: list[FigureLine]


class Picture(BaseModel):
    """A picture as SVG; `text` says in words what it shows, for those who cannot see it."""

    part: Literal["picture"] = "picture"
    title: str
    svg: str
    text: str


class TablePart(BaseModel):
    part: Literal["table"] = "table"
    title: str
    columns: list[str]
    rows: list[list[str]]
    empty: str = ""


class TextPart(BaseModel):
    part: Literal["text"] = "text"
    title: str
    text: str


class Signature(BaseModel):
    part: Literal["signature"] = "signature"
    name: str = ""
    date: str = ""


Part = Facts | Figures | Picture | TablePart | TextPart | Signature


class Document(BaseModel):
    """A report before it becomes pages; `house` and `address` are whose paper it is, `logo` its picture as SVG."""

    title: str
    subtitle: str
    token: str
    verdict: str
    words: str
    footer: str
    draft: bool = True
    house: str = ""
    address: str = ""
    logo: str = ""
    parts: list[Part] = Field(default_factory=list)
