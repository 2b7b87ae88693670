"""Radio networks that recorders open, and the house's."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Id, Line, Out, example


class HeardNetwork(BaseModel):
    """A network in the air; `serial` where a recorder opens it, `token` where that recorder is known."""

    name: str
    signal: float
    locked: bool
    joined: bool
    serial: str
    token: str
    recorder_id: int | None


class RadioVisit(Out):
    """The machine in the network of a recorder. `left_network` is what it comes back to."""

    id: int
    network: str
    left_network: str
    recorder_id: int | None
    token: str = ""
    state: Literal["joins", "there", "back", "done", "failed"]
    sessions: int
    stays: bool
    trouble: str
    began_at: datetime
    stay_until: datetime
    ended_at: datetime | None


class RadioRecorder(Out):
    """A recorder in reach that joins networks."""

    id: int
    token: str
    name: str
    kind: str


class Radio(BaseModel):
    """This machine's radio: where it is, what it hears, who is away while it is elsewhere; `why` it has none."""

    why: str
    network: str
    networks: list[HeardNetwork]
    away: list[str]
    visit: RadioVisit | None
    recorders: list[RadioRecorder]


class VisitWish(BaseModel):
    """The network of a recorder and its key, which stands on the recorder and is kept nowhere."""

    model_config = example(network="KR VL-000201", key="")
    network: Line = Field(min_length=1, max_length=32)
    key: str = Field("", max_length=63)


class HouseNetwork(BaseModel):
    """The house's network for recorders: its key goes onto them, and nowhere else."""

    model_config = example(recorders=[6], name="site", key="", passcode="")
    recorders: list[Id] = Field(min_length=1, max_length=50)
    name: str = Field(min_length=1, max_length=32)
    key: str = Field("", max_length=63)
    passcode: str = Field("", max_length=64)


class NetworkGiven(BaseModel):
    """What came of it: empty `why` where the recorder has it."""

    recorder_id: int
    token: str
    joined: bool
    why: str
    locked: bool


class NetworksGiven(BaseModel):
    given: list[NetworkGiven]
