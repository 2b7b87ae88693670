"""What all schemas share: cleaned texts, bounded ids, the problem that every refusal is."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any, Literal

from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field

from kumpel.core.names import clean_line, clean_text


def _not_in_the_future(day: date) -> date:
    if day > date.today():
        raise ValueError("a birthday lies in the past")
    return day


Line = Annotated[str, BeforeValidator(lambda value: clean_line(value) if isinstance(value, str) else value)]
"""A text of one line, cleaned of control signs."""
Text = Annotated[str, BeforeValidator(lambda value: clean_text(value) if isinstance(value, str) else value)]
Id = Annotated[int, Field(ge=1, le=2**31 - 1, strict=True)]
AskedId = Annotated[int, Field(ge=1, le=2**31 - 1)]
"""The same in an address, where a number is text."""
Tags = Annotated[
    dict[Annotated[Line, Field(min_length=1, max_length=30)], Annotated[Line, Field(max_length=200)]],
    Field(max_length=40),
]
Birthday = Annotated[date, Field(ge=date(1880, 1, 1)), AfterValidator(_not_in_the_future)]
Day = Annotated[date, Field(ge=date(1880, 1, 1), le=date(2200, 1, 1))]
VerdictWord = Literal["within", "action level reached", "above limit", "not assessable", ""]


class Out(BaseModel):
    """Read from rows and dataclasses by attribute."""

    model_config = ConfigDict(from_attributes=True)


def example(**values: Any) -> ConfigDict:
    return ConfigDict(json_schema_extra={"examples": [values]})


class Problem(BaseModel):
    """Problem details (RFC 9457)."""

    type: str = Field(examples=["urn:kumpel:problem:stale-review"])
    title: str
    status: int
    detail: str = Field(examples=["Somebody else has changed this review since you looked."])
    code: str = Field(examples=["stale-review"])
    field: str = Field("", description="What of the request is wrong, where it is one thing")
