"""Settings of the site, its teams and kinds."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field

from kumpel.api.schemas.common import Line, Out, example


class SettingWord(Out):
    """Something that may be set, for the site, for a team or for a kind (`of`: its key; empty for those of every scope)."""

    key: str
    label: str
    type: Literal[
        "line",
        "text",
        "lines",
        "number",
        "networks",
        "days",
        "addresses",
        "paths",
        "picture",
        "limit set",
        "pattern",
        "choice",
        "secret",
    ]
    default: float | str | list[str]
    group: str
    hint: str
    unit: str
    low: float | None
    high: float | None
    scopes: list[Literal["site", "team", "kind"]]
    choices: list[str] = Field(default_factory=list)
    kind: str = ""


class KeptSetting(BaseModel):
    """A setting that somebody set; null holds as shipped, a secret is "set". `version` goes back with the next change."""

    key: str
    scope: Literal["site", "team", "kind"]
    of: str
    value: float | str | list[str] | None
    version: int
    by: str
    at: datetime | None


class Settings(BaseModel):
    words: list[SettingWord]
    kept: list[KeptSetting]


class SettingWish(BaseModel):
    model_config = example(key="paper.name", scope="site", of="", value="Tarnfels mine", version=0) | ConfigDict(
        extra="forbid"
    )
    key: str = Field(max_length=80)
    scope: Literal["site", "team", "kind"]
    of: Line = Field(default="", max_length=120)
    value: float | str | list[str] | None
    version: int = Field(ge=0)
