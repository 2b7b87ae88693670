"""The bench: bays, runs, references, certificates."""

from __future__ import annotations

from datetime import date, datetime
from typing import Literal

from pydantic import BaseModel, Field

from kumpel.api.schemas.common import Day, Id, Line, Out, example
from kumpel.api.schemas.sensors import CheckStanding


class BenchCheck(Out):
    key: str
    label: str
    connect: str
    needs: str
    allowed: str
    source: str
    share: float
    amount: float
    by_hand: bool = Field(
        description="somebody goes through it step by step, and reads each live value once it is steady"
    )
    steady_s: float
    band: float


class BenchRow(BaseModel):
    """A sensor of a run: what was applied, read before and after it was adjusted, and what came of it."""

    sensor: str
    label: str
    unit: str
    decimals: int
    applied: float | None
    before: float | None
    after: float | None
    factor: float | None
    serial: str
    check: int | None = None
    channel: str = Field("", description="of the live value that shows it")
    do: str = ""
    by_hand: bool = False
    state: Literal["waits", "runs", "passed", "failed", "no result"]
    words: str
    seconds: float | None
    due: datetime | None = None


class BenchRun(Out):
    id: int
    recorder_id: int
    what: str
    state: Literal["running", "done", "stopped", "broken"]
    rows: list[BenchRow]
    trouble: str
    began_at: datetime
    ended_at: datetime | None
    certificate_id: int | None = None


class BenchReading(BaseModel):
    """A step read by hand: what is given to the sensor, as the reference shows it; `read` only where the recorder tells no live value."""

    model_config = example(step=0, applied=50)
    step: int = Field(ge=0, le=100)
    applied: float
    read: float | None = None


class BenchBay(BaseModel):
    """A recorder in reach that can be checked: what is due on it, and the newest run of the last hours."""

    recorder_id: int
    token: str
    name: str
    kind: str
    place: str
    holder: str
    checks: list[BenchCheck]
    due: list[CheckStanding]
    run: BenchRun | None


class BenchDue(BaseModel):
    recorder_id: int
    token: str
    kind: str
    holder: str
    in_reach: bool
    standing: CheckStanding


class Reference(Out):
    """What sensors are held against; `wrong` says why nothing is checked with it now."""

    id: int
    what: str
    name: str
    lot: str
    holds: dict[str, float]
    left: int | None
    expires: date | None
    certificate: str
    certificate_due: date | None
    wrong: str = ""


class NewReference(BaseModel):
    model_config = example(what="bottle", name="Mix A", lot="2210-7", holds={"co": 100, "h2s": 25, "o2": 18}, left=60)
    what: Line = Field(min_length=1, max_length=20)
    name: Line = Field(min_length=1, max_length=80)
    lot: Line = Field("", max_length=40)
    holds: dict[Line, float] = Field(default_factory=dict, max_length=12)
    left: int | None = Field(None, ge=0, le=100_000)
    expires: Day | None = None
    certificate: Line = Field("", max_length=120)
    certificate_due: Day | None = None


class Certificate(Out):
    """A certificate as it was printed; the hash is that of its PDF."""

    id: int
    number: str
    recorder_id: int
    title: str
    passed: bool
    made_at: datetime
    sha256: str
    revoked_at: datetime | None
    revoked_why: str


class Certificates(BaseModel):
    certificates: list[Certificate]


class Concerned(Out):
    """A session that a check puts in doubt."""

    id: int
    person: str
    started_at: datetime
    utc_offset_min: int
    signed: bool


class BenchAsk(BaseModel):
    """Checks of a recorder that were not passed, with the sessions since they were passed last: what follows for these?

    `holds`: their figures are held as long as nobody says otherwise.
    """

    recorder_id: int
    token: str
    what: str
    checks: list[int]
    words: list[str]
    sessions: list[Concerned]
    follows: Literal["", "held", "accepted"]
    why: str
    holds: bool


class DoubtDecision(BaseModel):
    """What follows from checks that were not passed; empty takes it back."""

    model_config = example(checks=[17], follows="accepted", why="the cap was not tight")
    checks: list[Id] = Field(min_length=1, max_length=200)
    follows: Literal["", "held", "accepted"]
    why: Line = Field("", max_length=200)


class Bench(BaseModel):
    bays: list[BenchBay]
    due: list[BenchDue]
    asks: list[BenchAsk]
    references: list[Reference]
    today: list[Certificate]


class BenchWish(BaseModel):
    """A check of recorders, side by side; with no reference named, the one that covers most of each one's sensors."""

    model_config = example(recorders=[6, 7], what="bump")
    recorders: list[Id] = Field(min_length=1, max_length=16)
    what: Line = Field(min_length=1, max_length=40)
    reference_id: Id | None = None


class BenchRefused(BaseModel):
    recorder_id: int
    why: str


class BenchBegun(BaseModel):
    runs: list[BenchRun]
    refused: list[BenchRefused]


class Revoking(BaseModel):
    model_config = example(why="wrong bottle")
    why: Line = Field(min_length=1, max_length=200)


class SensorDrift(BaseModel):
    """The span factor of a sensor over its life: days since the first of these, and in how many it is to be replaced."""

    sensor: str
    serial: str
    days: list[float]
    factors: list[float]
    per_year: float | None
    days_left: float | None


class SensorDrifts(BaseModel):
    drifts: list[SensorDrift]
