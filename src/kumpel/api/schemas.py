"""What the API sends and takes."""

from __future__ import annotations

import uuid
from datetime import date, datetime
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
Tags = Annotated[
    dict[Annotated[Line, Field(min_length=1, max_length=30)], Annotated[Line, Field(max_length=200)]],
    Field(max_length=40),
]
Birthday = Annotated[date, Field(ge=date(1880, 1, 1)), AfterValidator(_not_in_the_future)]
VerdictWord = Literal["within", "action level reached", "above limit", "not assessable", ""]


class Out(BaseModel):
    """Read from rows and dataclasses by attribute."""

    model_config = ConfigDict(from_attributes=True)


def _example(**values: Any) -> ConfigDict:
    return ConfigDict(json_schema_extra={"examples": [values]})


class Problem(BaseModel):
    """Problem details (RFC 9457)."""

    type: str = Field(examples=["urn:kumpel:problem:stale-review"])
    title: str
    status: int
    detail: str = Field(examples=["Somebody else has changed this review since you looked."])
    code: str = Field(examples=["stale-review"])


class Me(Out):
    id: int
    login: str
    name: str
    role: str


class State(BaseModel):
    """Who is signed in; `first_visit` until there is an administrator."""

    first_visit: bool
    me: Me | None
    version: str


class SignIn(BaseModel):
    login: str = Field(max_length=80, examples=["officer"])
    password: str = Field(max_length=200)


class FirstAdministrator(SignIn):
    name: Line = Field(max_length=120, examples=["Runa Halvorsen"])


class Waiting(Out):
    hand_out: int
    take_in: int
    review: int
    report: int
    arriving: int
    assessing: int


class Hit(Out):
    what: Literal["person", "recorder", "session"]
    id: int
    title: str
    about: str


class Person(Out):
    id: int
    number: str = Field(examples=["TF-0412"])
    name: str = Field(examples=["Ida Brandvik"])
    team: str = ""
    born: date | None = None
    sex: str | None = None
    height_cm: float | None = None
    weight_kg: float | None = None
    contact: str = ""
    notes: str = ""
    sessions: int = 0
    last_session_at: datetime | None = None
    has_recorder: bool = False


class PersonList(BaseModel):
    people: list[Person]
    total: int


class NewPerson(BaseModel):
    """A name is enough; a number is made when none is given. `again` says that a second one of the same name is meant."""

    model_config = ConfigDict(extra="forbid")
    name: Line = Field(min_length=1, max_length=200, examples=["Ida Brandvik"])
    number: Line | None = Field(default=None, max_length=40)
    team: Line | None = Field(default=None, max_length=120)
    born: Birthday | None = None
    contact: Line | None = Field(default=None, max_length=400)
    notes: Text | None = Field(default=None, max_length=4000)
    again: bool = False


class PersonChange(BaseModel):
    """Only the fields given are changed; null takes away what may be missing, and is refused where something is needed."""

    model_config = _example(team="Crusher hall", born="1984-02-11") | ConfigDict(extra="forbid")
    name: Line = Field(default_factory=str, min_length=1, max_length=200)
    number: Line = Field(default_factory=str, min_length=1, max_length=40)
    team: Line | None = Field(default=None, max_length=120)
    born: Birthday | None = None
    sex: Line | None = Field(default=None, max_length=20)
    height_cm: float | None = Field(default=None, strict=True, gt=20, lt=300, allow_inf_nan=False)
    weight_kg: float | None = Field(default=None, strict=True, gt=0.3, lt=500, allow_inf_nan=False)
    contact: Line = Field(default_factory=str, max_length=400)
    notes: Text = Field(default_factory=str, max_length=4000)


class Recorder(Out):
    id: int
    serial: str
    kind: str
    token: str = Field(examples=["N-07"])
    name: str
    model: str
    firmware: str
    keeps_one: bool
    in_reach: bool
    trouble: str
    seen_at: datetime | None
    clock_error_s: float | None
    battery: float | None
    memory_used: float | None
    mode: str
    place: str
    holder: str
    holder_id: int | None
    since: datetime | None
    expected_at: datetime | None
    new_sessions: int
    check_list: list[str]


class SetupChoice(Out):
    value: Any
    words: str


class SetupForm(Out):
    """How a field is filled in: its type, choices, bounds; `part_of` the list item it belongs to."""

    type: Literal["choice", "number", "whole", "text", "time"]
    choices: list[SetupChoice]
    low: float | None
    high: float | None
    empty: bool
    part_of: str


class SetupList(Out):
    """A list of the setup: what one item is called, how many there may be, what a new one begins with."""

    path: str
    label: str
    fewest: int
    most: int
    blank: dict[str, Any]


class SetupField(Out):
    path: str
    label: str
    unit: str
    draft: str
    on_recorder: str
    differs: bool
    value: Any = None
    form: SetupForm


class SetupDraft(Out):
    kind: str
    settings: dict[str, Any]
    based_on: str
    revision: int
    fields: list[SetupField]
    library: list[str]
    last_worn: str
    tags: dict[str, str]
    others: dict[str, str]
    lists: list[SetupList]


class DraftWish(BaseModel):
    """Start from the given settings, else the library, else the person's last, else the recorder's."""

    model_config = _example(person_id=12)
    person_id: int | None = None
    library: str = ""
    settings: dict[str, Any] | None = None


class NewHandOver(BaseModel):
    recorder_id: int
    person_id: int
    settings: dict[str, Any]
    revision: int
    set_clock: bool = True
    expected_at: datetime | None = None
    tags: Tags = Field(default_factory=dict, examples=[{"place": "crusher hall", "shift": "early, 8 h"}])
    passcode: str = ""


class WriteOnly(BaseModel):
    model_config = _example(settings={"name": "Full shift", "run_length_min": 480}, revision=4)

    settings: dict[str, Any]
    revision: int
    set_clock: bool = True
    passcode: str = ""


class HandOver(BaseModel):
    id: uuid.UUID
    recorder_id: int
    token: str
    kind: str
    recorder_name: str
    person_id: int
    person: str
    given_at: datetime
    expected_at: datetime | None
    returned_at: datetime | None
    clock_error_s: float | None
    in_reach: bool
    tags: dict[str, str]


class Found(Out):
    recorder_session: str
    start: datetime
    length_s: float
    size: int
    about: str
    standing: Literal["new", "arriving", "stored", "aside", "deleted", "recording"]
    too_short: bool
    session_id: int | None
    received: int
    trouble: str
    tags: dict[str, str]
    may_clear: bool


class Bay(BaseModel):
    recorder: Recorder
    utc_offset_min: int
    tags: dict[str, str]
    sessions: list[Found]


class TakeInWish(BaseModel):
    """A session to take in, and what is known about it."""

    model_config = _example(
        recorder_id=5, recorder_session="NM-000107-00012", tags={"place": "crusher hall"}, shift_clock=True
    )
    recorder_id: int
    recorder_session: Line = Field(max_length=64)
    tags: Tags = Field(default_factory=dict)
    note: Text = Field(default="", max_length=4000)
    person_id: Id | None = None
    unclaimed: bool = False
    shift_clock: bool = False


class TakeIn(BaseModel):
    model_config = _example(sessions=[{"recorder_id": 5, "recorder_session": "NM-000107-00012"}])

    sessions: list[TakeInWish] = Field(min_length=1)


class Begun(BaseModel):
    session_ids: list[int]


class Clear(BaseModel):
    """Sessions to remove on the recorder, named one by one."""

    model_config = _example(recorder_sessions=["NM-000107-00012"])
    recorder_sessions: list[str] = Field(min_length=1)
    passcode: str = ""


class Cleared(BaseModel):
    cleared: list[str]


class Passcode(BaseModel):
    model_config = _example(passcode="")

    passcode: str = ""


class FigureName(BaseModel):
    key: str
    name: str
    unit: str


class Number(Out):
    """A figure of a session as a number; null where it was not measured."""

    value: float | None
    unit: str
    verdict: VerdictWord


class Session(BaseModel):
    id: int
    kind: str
    person_id: int | None
    person: str
    person_number: str
    token: str
    serial: str
    recorder_session: str
    started_at: datetime
    utc_offset_min: int
    length_s: float
    size: int
    sha256: str
    aside: str
    trouble: str
    clock_error_s: float | None
    clock_shift_s: float
    note: str
    tags: dict[str, str]
    verdict: VerdictWord
    verdict_step: str
    key_figure: str
    figures: Literal["waiting", "assessed", "failed"]
    failure: str
    signed_at: datetime | None
    taken_in_at: datetime | None
    deleted_at: datetime | None
    report: str
    figure: Number | None = None


class SessionList(BaseModel):
    """`total` is how many match; with `more`, at least so many: counting ended there."""

    sessions: list[Session]
    total: int
    more: bool = False


class SessionChange(BaseModel):
    """Only the fields given are changed; a `person_id` of null gives the session to nobody."""

    model_config = _example(person_id=12, tags={"place": "crusher hall", "task": "feed control"}) | ConfigDict(
        extra="forbid"
    )
    person_id: Id | None = None
    note: Text = Field(default_factory=str, max_length=4000)
    clock_shift_s: float = Field(
        default_factory=float, strict=True, ge=-366 * 86_400, le=366 * 86_400, allow_inf_nan=False
    )
    tags: Tags = Field(default_factory=dict)
    aside: Line = Field(default_factory=str, max_length=120)


class Channel(Out):
    index: int
    key: str
    name: str
    unit: str
    interval_s: float
    samples: int


class View(BaseModel):
    """A channel in equal bins; null where nothing was measured."""

    key: str
    unit: str
    bin_s: float
    start_s: float
    low: list[float | None]
    high: list[float | None]
    mean: list[float | None]


class Put(Out):
    symbol: str
    meaning: str
    value: float | None
    unit: str


class Why(Out):
    formula: str
    numbers: list[Put]
    samples_used: int
    samples_left_out: int
    left_out_s: float
    source: str


class Figure(Out):
    key: str
    name: str
    value: float | None
    unit: str
    decimals: int
    coverage: float
    why: Why
    note: str
    at_s: float | None


class Step(Out):
    value: float
    verdict: VerdictWord
    name: str
    beyond: bool


class Judgement(Out):
    rule: str
    figure: str
    value: float | None
    unit: str
    verdict: VerdictWord
    words: str
    limit: float | None
    steps: list[Step]
    at_least: float | None = None


class Suggestion(Out):
    start_s: float
    end_s: float
    code: str
    reason: str


class TableColumn(Out):
    name: str
    unit: str
    decimals: int | None


class Table(Out):
    key: str
    title: str
    columns: list[TableColumn]
    rows: list[list[str | float | None]]


class Finding(Out):
    code: str
    text: str
    blocks: bool


class Quality(Out):
    coverage: float
    measured_s: float
    planned_s: float
    findings: list[Finding]


class Detected(Out):
    """An event that the assessment found or read; `key` is what a decision names it by."""

    at_s: float
    end_s: float
    code: str
    text: str
    kept: bool
    key: str
    numbers: dict[str, float | str | None]


class Span(Out):
    start_s: float
    end_s: float
    label: str


class Assessment(Out):
    kind: str
    basis: str
    verdict: VerdictWord
    words: str
    figures: list[Figure]
    judgements: list[Judgement]
    suggestions: list[Suggestion]
    tables: list[Table]
    quality: Quality
    key_figures: list[str]
    events: list[Detected] = Field(default_factory=list)
    stretches: list[Span] = Field(default_factory=list)


class Decision(Out):
    """Something a reviewer decided: a stretch, an event dropped or kept, a setting, an accepted finding."""

    id: int
    what: Literal["left out", "task", "asleep", "dropped", "kept", "setting", "accepted"]
    key: str
    start_s: float | None
    end_s: float | None
    value: float | str | None
    reason: str
    made_at: datetime
    lost: bool = False


class ChannelWord(Out):
    key: str
    name: str
    unit: str
    reduce: Literal["mean", "energy", "angle", "state", "any"]
    usual: bool


class Choice(BaseModel):
    value: str
    words: str


class DecisionWord(BaseModel):
    key: str
    label: str
    type: Literal["number", "length", "text", "choice"]
    unit: str
    low: float | None
    high: float | None
    choices: list[Choice]
    hint: str
    needs_reason: bool


class StretchWord(Out):
    what: Literal["left out", "task", "asleep"]
    label: str
    reasons: list[str]
    moves_edges: bool


class EventWord(Out):
    code: str
    one: str
    many: str
    droppable: bool
    keepable: bool
    reasons: list[str]
    around_s: float


class CheckWord(Out):
    code: str
    label: str
    unit: str


class TagWord(Out):
    key: str
    label: str
    hint: str
    suggestions: list[str]


class Kind(Out):
    """A kind of recorder as screens need it: its words, and what a reviewer may decide."""

    key: str
    name: str
    recorder_name: str
    main_channel: str
    method: str
    channels: list[ChannelWord]
    readings: list[str]
    reading_code: str
    decisions: list[DecisionWord]
    stretches: list[StretchWord]
    events: list[EventWord]
    checks: list[CheckWord]
    tags: list[TagWord]
    report_parts: dict[str, str]
    one_page: list[str]


class LimitSet(Out):
    id: int
    key: str
    kind: str
    name: str
    issuer: str
    version: str
    valid_from: date
    shipped: bool
    data: dict[str, Any]


class Event(Out):
    at_s: float
    code: str
    text: str
    data: dict[str, Any]


class Signature(BaseModel):
    """Who signed what and when; `differs` says what would stand there otherwise today, `opened_*` who opened it again and why."""

    by: str
    at: datetime
    conclusion: str
    differs: list[str] = Field(default_factory=list)
    opened_by: str = ""
    opened_at: datetime | None = None
    opened_why: str = ""


class Review(BaseModel):
    """Everything a review shows of a session. `limit_set_id` is the set it was computed with.

    While the figures are being computed, or when nothing could be computed (`failure` says why), there are none.
    """

    session: Session
    version: int
    figures: Literal["waiting", "assessed", "failed"]
    failure: str
    limit_set_id: int
    recorded: Assessment | None
    reviewed: Assessment | None
    decisions: list[Decision]
    events: list[Event]
    channels: list[Channel]
    main_channel: str
    undo: str
    redo: str
    conclusion: str
    conclusion_version: int
    conclusion_by: str
    signature: Signature | None
    earlier: list[Signature]


class DecisionWish(BaseModel):
    """A decision to take. A setting of null is taken back; `value` of a dropped or kept event is its length in seconds."""

    model_config = _example(what="left out", start_s=1200.0, end_s=1260.0, reason="meter knocked") | ConfigDict(
        extra="forbid"
    )
    what: Literal["left out", "task", "asleep", "dropped", "kept", "setting", "accepted"]
    key: Line = Field(default="", max_length=120)
    start_s: float | None = Field(default=None, strict=True, allow_inf_nan=False)
    end_s: float | None = Field(default=None, strict=True, allow_inf_nan=False)
    value: Annotated[float, Field(strict=True, allow_inf_nan=False)] | Annotated[str, Field(max_length=200)] | None = (
        None
    )
    reason: Line = Field(default="", max_length=400)


class Decisions(BaseModel):
    """Decisions to take and to take away (by id), in one step that one undo takes back; `version` is the review looked at."""

    model_config = _example(
        version=3, add=[{"what": "setting", "key": "working_day_s", "value": 28800.0}], remove=[]
    ) | ConfigDict(extra="forbid")
    version: int
    add: list[DecisionWish] = Field(default_factory=list, max_length=2000)
    remove: list[Id] = Field(default_factory=list, max_length=2000)


class LimitStep(BaseModel):
    """A step of a rule: reached from `value` on, or only `beyond` it; `below`: reached from above."""

    model_config = _example(value=85.0, verdict="action level reached", name="upper action level") | ConfigDict(
        extra="forbid"
    )
    value: Annotated[float, Field(allow_inf_nan=False)]
    verdict: Literal["action level reached", "above limit"]
    name: Line = Field(min_length=1, max_length=80)
    beyond: bool = False
    below: bool = False


class LimitRule(BaseModel):
    """A rule of a set on record, with its own steps."""

    model_config = ConfigDict(extra="forbid")
    figure: str = Field(max_length=80)
    name: Line = Field(max_length=120)
    parameters: dict[str, float | str] = Field(default_factory=dict, max_length=20)
    steps: list[LimitStep] = Field(min_length=1, max_length=6)


class LimitWish(BaseModel):
    """A limit set of the house, made from another one."""

    model_config = ConfigDict(extra="forbid")
    based_on: Id
    name: Line = Field(min_length=1, max_length=120)
    issuer: Line = Field(default="", max_length=120)
    valid_from: date
    minimum_coverage: float = Field(gt=0, le=1)
    rules: list[LimitRule] = Field(min_length=1, max_length=60)


class Supposed(BaseModel):
    """Decisions that are not taken yet, another limit set or one that is only wished, to see what would come out."""

    model_config = _example(add=[{"what": "left out", "start_s": 0.0, "end_s": 60.0, "reason": "moving"}]) | ConfigDict(
        extra="forbid"
    )
    add: list[DecisionWish] = Field(default_factory=list, max_length=2000)
    remove: list[Id] = Field(default_factory=list, max_length=2000)
    limit_set_id: Id | None = None
    limits: LimitWish | None = None


class SupposedOfMany(BaseModel):
    """The same for several sessions of a kind."""

    model_config = _example(sessions=[4, 7]) | ConfigDict(extra="forbid")
    sessions: list[Id] = Field(min_length=1, max_length=50)
    limit_set_id: Id | None = None
    limits: LimitWish | None = None


class Effect(BaseModel):
    """What would become of a session: its verdict now and then; `why` when nothing could be computed."""

    session_id: int
    verdict: str
    words: str
    now: str
    why: str = ""


class SettingWord(Out):
    """Something that may be set, for the site, for a team or for a kind (`of`: its key; empty for those of every scope)."""

    key: str
    label: str
    type: Literal["line", "text", "lines", "number", "picture", "limit set"]
    default: float | str | list[str]
    group: str
    hint: str
    unit: str
    low: float | None
    high: float | None
    scopes: list[Literal["site", "team", "kind"]]
    kind: str = ""


class KeptSetting(BaseModel):
    """A setting that somebody set; null holds as shipped. `version` goes back with the next change."""

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
    model_config = _example(key="paper.name", scope="site", of="", value="Tarnfels mine", version=0) | ConfigDict(
        extra="forbid"
    )
    key: str = Field(max_length=80)
    scope: Literal["site", "team", "kind"]
    of: Line = Field(default="", max_length=120)
    value: float | str | list[str] | None
    version: int = Field(ge=0)


class Version(BaseModel):
    """The version of the review that was looked at."""

    model_config = _example(version=3)
    version: int


class Opening(BaseModel):
    model_config = _example(why="A task was missing.")
    why: Line = Field(min_length=1, max_length=400)


class ConclusionText(BaseModel):
    """The text, and the version of the conclusion that the writer saw before."""

    model_config = _example(text="Liner change alone brings half of the day's dose.", version=0)

    text: Text = Field(max_length=20_000)
    version: int = Field(ge=0)


class ConclusionKept(BaseModel):
    version: int


class Signing(BaseModel):
    """What the signer saw: the versions of the review and of the conclusion."""

    model_config = _example(version=3, conclusion_version=1)
    version: int
    conclusion_version: int


class ReportOptions(BaseModel):
    """Parts that go in; `named` false leaves every name out."""

    model_config = _example(parts=["checks", "figures", "curve"], named=True)
    parts: list[str]
    named: bool = True


class ReportChoices(BaseModel):
    parts: dict[str, str]
    one_page: list[str]


class Pages(BaseModel):
    """The true pages as PNG, each as a data URL, and what is to be said of them."""

    pages: list[str]
    notes: list[str]


class Report(BaseModel):
    id: int
    number: str = Field(examples=["R-2026-00017"])
    title: str
    session_id: int
    session_started_at: datetime
    pages: int
    sha256: str
    issued_at: datetime
    issued_by: str


class ReportList(BaseModel):
    reports: list[Report]
    total: int
