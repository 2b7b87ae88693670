"""Looking on the spot: what is shown, and the notes that were kept of it."""

from __future__ import annotations

from datetime import datetime

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Line, Out, Text, example


class NewSpotNote(BaseModel):
    """What somebody read while they looked: nothing was recorded, these numbers are as they were typed or seen."""

    model_config = example(
        what="PM2.5, as read", unit="mg/m3", lowest=0.008, mean=0.011, highest=0.019, length_s=420.0, place="mill"
    )
    what: Line = Field(min_length=1, max_length=60)
    unit: Line = Field("", max_length=20)
    lowest: float = Field(allow_inf_nan=False)
    mean: float = Field(allow_inf_nan=False)
    highest: float = Field(allow_inf_nan=False)
    length_s: float = Field(gt=0, le=86_400, allow_inf_nan=False)
    place: Line = Field("", max_length=120)
    text: Text = Field("", max_length=400)


class SpotNote(Out):
    id: int
    at: datetime
    place: str
    what: str
    unit: str
    lowest: float
    mean: float
    highest: float
    length_s: float
    text: str
    by: str


class SpotFigure(Out):
    channel: str
    label: str
    unit: str
    decimals: int


class SpotLook(BaseModel):
    """A recorder that is looked at: what it shows, whether it stores nothing while it does, notes kept before."""

    token: str
    name: str
    kind: str
    figures: list[SpotFigure]
    factor: float = Field(description="by what a reading is multiplied; 1 where nothing is")
    stores_nothing: bool
    notes: list[SpotNote]
