"""What the rest of Kumpel needs to know of a kind of recorder."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, fields
from typing import Any, Literal

from pydantic import BaseModel

from kumpel.core.assessment import Assessment, BothWays, LimitSet, Rule, Table
from kumpel.core.bounds import ANY, Bounds
from kumpel.core.close_up import CloseUp
from kumpel.core.comparison import Comparison, Side
from kumpel.core.front import Places
from kumpel.core.laps_wish import LapsWish
from kumpel.core.readers_units import AS_KEPT, ReadersUnits
from kumpel.core.recording import Channel, ChannelWord, Floats, Recording
from kumpel.core.review import Review
from kumpel.kinds import plain_report
from kumpel.kinds.bench import BenchCheck
from kumpel.kinds.live import LiveFigure
from kumpel.kinds.plain_report import ReportForm, ReportPart
from kumpel.kinds.plan import Plan, Situation
from kumpel.kinds.sensors import SensorWord, Watched
from kumpel.kinds.setup_fields import SetupField, described, stored_names, where_there
from kumpel.reports.document import Part, Size

Assess = Callable[[Recording, Review, LimitSet], BothWays]
ToldOf = Callable[[Any], Sequence[str]]
PlanOf = Callable[[Any, Situation], Plan]
WatchedOf = Callable[[Mapping[str, Any]], Sequence[Watched]]
FurtherSensorsOf = Callable[[Mapping[str, Any]], Sequence[SensorWord]]
FurtherRulesOf = Callable[[Mapping[str, Any]], Sequence[Rule]]
OffChannelsOf = Callable[[Mapping[str, Any]], Mapping[str, str]]
ComputedOf = Callable[[Recording], Mapping[str, Channel]]
LiveOf = Callable[[Mapping[str, Any]], tuple[LiveFigure, ...]]
FitsOf = Callable[[LimitSet, Mapping[str, Any]], bool]
SheetsOf = Callable[[Recording, Review], Sequence[Table]]
BriefOf = Callable[[Assessment], str]
CloseUpOf = Callable[[Recording, Review, float, float], CloseUp]
FrontOf = Callable[[Sequence[float], Sequence[float], Sequence[float]], Places]
CourseOf = Callable[[Recording, Review], str]
BinsOf = Callable[[Recording, Review, Mapping[str, Any]], Any]


LapsOf = Callable[[Recording, Review, LapsWish], Any]


@dataclass(frozen=True)
class DecisionWord:
    """Something a reviewer may set for one session: its name, what it is called, its type and bounds.

    `key` is a field of `core.review.Review`, else an option of the kind's assessment. A "length" is kept in seconds and typed
    as hours and minutes; `choices` are values with their words, the only ones; `offers` some that are likely. A "course" is chosen from the register and kept in its plain form
    (JSON), so that it stays what it was.
    """

    key: str
    label: str
    type: Literal["number", "length", "text", "choice", "course"]
    unit: str = ""
    low: float | None = None
    high: float | None = None
    choices: tuple[tuple[str, str], ...] = ()
    offers: tuple[tuple[str, str], ...] = ()
    hint: str = ""
    needs_reason: bool = False

    @property
    def meaning(self) -> str:
        """What it is, with its unit or its choices: "Axis: x, y or z"."""
        if self.choices:
            values = [value for value, _ in self.choices]
            return f"{self.label}: {', '.join(values[:-1])} or {values[-1]}"
        return f"{self.label}, {self.unit}" if self.unit else self.label


@dataclass(frozen=True)
class StretchWord:
    """A stretch that a reviewer may mark: what it is, the reasons (or names) offered; whether its computed edges move."""

    what: Literal["left out", "task", "asleep"]
    label: str
    reasons: tuple[str, ...] = ()
    moves_edges: bool = False


LEAVE_OUT = StretchWord("left out", "leave out", ("not worn", "recorder knocked", "not the person's work", "fault"))


@dataclass(frozen=True)
class EventWord:
    """Events of a code (or of all codes that begin with it and a dot): what they are called, whether one can be dropped or kept.

    `one` and `many` are their names in the list; `reasons` those offered when one is dropped; `around_s` how much of the
    signal is shown on each side of one.
    """

    code: str
    one: str
    many: str
    droppable: bool = False
    keepable: bool = False
    reasons: tuple[str, ...] = ("not real", "movement", "fault")
    around_s: float = 60.0
    types: tuple[str, ...] = ()
    """What stands behind the code ("left.tonic"): a reviewer may change it, and split and join such events."""

    def covers(self, code: str) -> bool:
        return code == self.code or code.startswith(f"{self.code}.") or code.endswith(f".{self.code}")


@dataclass(frozen=True)
class CheckInput:
    """What is noted of a check: a field of its event's data, what it is called, its unit (or its unit for each sensor)."""

    key: str
    label: str
    unit: str = ""
    units: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class CheckWord:
    """A check against a reference that a recording may carry: the code of its event, what it is called, what is noted of it.

    `every_days` is how often it is due where the setup says nothing else, 0: with every recording. `sensor_in` names the field
    that says which of several sensors was checked. `judged_by` is the code of the finding that the assessment makes of a check
    that failed, with a dot and the sensor behind it where there are several.
    """

    code: str
    label: str
    inputs: tuple[CheckInput, ...]
    every_days: int = 0
    judged_by: str = ""
    sensor_in: str = ""


@dataclass(frozen=True)
class TagWord:
    """What may be said of a session in a few words: where, what, under which circumstances; with what is offered for it.

    `setting` is the setting that says it: stored on the recorder, it comes back with the recording.
    """

    key: str
    label: str
    hint: str = ""
    suggestions: tuple[str, ...] = ()
    setting: str = ""


SHIFT = TagWord("shift", "Shift", "early, 8 h", ("early", "late", "night"))
PLACE = TagWord("place", "Place", "where it was worn")
TASK = TagWord("task", "Task", "what was done")

Scope = Literal["site", "team", "kind"]


@dataclass(frozen=True)
class SettingWord:
    """Something a site may set, for all of it or for one team or kind: its type, what holds as long as nobody set it, its bounds.

    A "line" and a "text" (of several lines, `high` characters at most) are words, "lines" a list of short ones, "networks" and
    "addresses" and "paths" lists of them, a "picture" a PNG as a data URL, "limit set" the key of a set of the kind, a "pattern" the
    name of a file with words in braces, "choice" one of `choices`, "secret" a word that nobody is shown again.
    """

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
    default: str | float | tuple[str, ...]
    group: str
    hint: str = ""
    unit: str = ""
    low: float | None = None
    high: float | None = None
    scopes: tuple[Scope, ...] = ("site",)
    choices: tuple[str, ...] = ()


@dataclass(frozen=True)
class GroupRule:
    """A figure that is looked at over several people of a group; decibels are not taken as log-normal."""

    figure: str
    logarithmic: bool = True


@dataclass(frozen=True)
class Followed:
    """A figure that is looked at from session to session, with a short name for the head of its column or line."""

    figure: str
    label: str
    low: str = ""
    """The figure of its lower end, of what has two; empty otherwise."""


@dataclass(frozen=True)
class Weekly:
    """A figure of a week made of a daily one, where every working day was measured."""

    figure: str
    label: str
    of: Callable[[Floats], float]


CompareOf = Callable[[Side, Side, Sequence[Mapping[str, float]], Mapping[str, float]], Comparison]


@dataclass(frozen=True)
class Compares:
    """How two recordings of one person are laid side by side: the foremost figures, whose span from day to day a house may set, and what
    compares (`core.comparison`)."""

    figures: tuple[Followed, ...]
    compare: CompareOf
    of_all: bool = False
    """Whether every figure is held against earlier recordings, not those of `figures` alone."""


@dataclass(frozen=True)
class Kind:
    """A kind: its name, settings, assessment and what its views show first.

    `channels` are those that a file may bring, with how each becomes a picture, `groups` the figures of group statistics, `readings` the columns of single readings (a file with
    these has rows at uneven times that become events `reading_code`), `reading_bars` those that are the lower and upper end of
    one bar, `bounds` how much a recording may hold
    (docs/recording-file.md), `leaflet` what the wearer is told on paper, as long as nobody wrote it better, after what `told` makes of the setup. `decisions`, `stretches` and `events` are what a reviewer may set, mark, drop and keep; anything
    else is refused; `tags` what may be said of a session; `registers` the columns that a list of
    its sessions has, `trends` the figures that are followed over the sessions of one person; `plan` tells what a
    setup will do; `laps` lays two laps of a session side by side (`core.vehicle.lap_view`), `bins` one quantity over two
    others (`core.vehicle.bins`); `brief` says the result in a row, else the first figure does; `sheets` are tables beside those of the assessment, for a workbook; `computed` channels that no sensor measured, for lanes and tables, never for figures; `course` names the course of the register that it was driven on (its place, where nobody said another), empty where it is none;
    `sensors` are calibrated on the recorder, and so are `further_sensors`, which a setup declares in its list `further`, with `further_rules` that a limit set may have of them; `off_channels` are those that a setup says are not logged, with why; `watched` tells which checks a recorder with a setup
    should have had lately; `compares` how two recordings of one person are compared; `patient`: worn by a patient, whose medicines, doctor and complaint are shown and printed; `parts` what a report may have, made by `own_parts` or plainly; `drawn` are tables that pictures are made of and nobody reads; `reaches`: the scale of a lane reaches to its nearest limit, because how far off it was is what is read. `method` is the version of the computation: a new one when figures of the same data would differ; `was` are keys that the kind had: files, rows and recorders that still say them are read.
    """

    key: str
    name: str
    recorder_name: str
    setup_model: type[BaseModel]
    setup_library: dict[str, BaseModel]
    assess: Assess
    main_channel: str
    limit_sets: tuple[LimitSet, ...]
    leaflet: str = ""
    told: ToldOf | None = None
    shortest_s: float = 60.0
    check_list: tuple[str, ...] = ()
    channels: tuple[ChannelWord, ...] = ()
    groups: tuple[GroupRule, ...] = ()
    readings: tuple[str, ...] = ()
    reading_code: str = "reading"
    reading_bars: tuple[tuple[str, str], ...] = ()
    bounds: Bounds = ANY
    method: str = "1"
    was: tuple[str, ...] = ()
    decisions: tuple[DecisionWord, ...] = ()
    stretches: tuple[StretchWord, ...] = (LEAVE_OUT,)
    events: tuple[EventWord, ...] = ()
    checks: tuple[CheckWord, ...] = ()
    tags: tuple[TagWord, ...] = (SHIFT, PLACE, TASK)
    registers: tuple[Followed, ...] = ()
    trends: tuple[Followed, ...] = ()
    load: str = ""
    """The figure that is a load of the body, to be summed by days (`core.load`); empty where none is."""
    weekly: Weekly | None = None
    by_course: tuple[str, ...] = ()
    """Figures that are told by course and day: of what is driven."""
    efforts: tuple[Followed, ...] = ()
    """Figures whose lowest over all sessions is somebody's best: times over distances."""
    exports: tuple[str, ...] = ()
    """Open formats that a session of it is good for beside a workbook and CSV: "gpx", "edf"."""
    one_table: tuple[str, ...] = ()
    """Tables whose rows stand in one with those of other recordings, by time."""
    stands: bool = False
    """Whether a recorder may stand in a room that nobody wears it in: then its sessions belong to the place."""
    plan: PlanOf | None = None
    laps: LapsOf | None = None
    bins: BinsOf | None = None
    brief: BriefOf | None = None
    course: CourseOf | None = None
    close_up: CloseUpOf | None = None
    """What is worked out of the signals of a few seconds (from, to, s after the start), for a close look."""
    front: FrontOf | None = None
    """How something that came to several people passed over their places (times in s, latitudes, longitudes)."""
    sheets: SheetsOf | None = None
    computed: ComputedOf | None = None
    bench: tuple[BenchCheck, ...] = ()
    """Checks that a recorder of the kind makes at the bench, one sensor after the other."""
    live: LiveOf | None = None
    """What is looked at while it is worn, by its setup; a kind without is not on the wall."""
    fits: FitsOf | None = None
    """Whether a limit set has rules for what a setup measures; of a kind whose sets all have, None."""
    free_parameters: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    """Parameters of rules that a house sets itself, from lowest to highest; all others are those of a set on record."""
    sensors: tuple[SensorWord, ...] = ()
    further: str = ""
    further_sensors: FurtherSensorsOf | None = None
    further_rules: FurtherRulesOf | None = None
    off_channels: OffChannelsOf | None = None
    watched: WatchedOf | None = None
    figures_of: Callable[[str], tuple[str, ...]] | None = None
    """How the keys of the figures begin that rest on a sensor; where nothing is said, all of them do."""
    compares: Compares | None = None
    patient: bool = False
    own_parts: Mapping[str, plain_report.PartOf] = field(default_factory=dict)
    """Parts of a report that it makes itself; all others are plain."""
    parts: tuple[ReportPart, ...] = plain_report.PARTS
    forms: tuple[ReportForm, ...] = ()
    """Choices of parts beside one page and all of them."""
    drawn: tuple[str, ...] = ()
    reaches: bool = False

    def report(
        self,
        recording: Recording,
        review: Review,
        both: BothWays,
        limits: LimitSet,
        chosen: Sequence[str],
        units: ReadersUnits = AS_KEPT,
    ) -> list[Part]:
        """The chosen parts of a report, each in its declared size: the kind's own, else the plain ones; in the units of who reads it."""
        made = []
        of = plain_report.Reported(
            recording, review, units.both(both, {k: c.unit for k, c in recording.channels.items()}), limits, units
        )
        for word in self.parts:
            if word.key not in chosen:
                continue
            own = self.own_parts.get(word.key)
            found = own(of) if own else plain_report.parts(self, of, word.key)
            # Of several parts that stand on a page of their own, the first begins it.
            rest: Size = "wide" if word.size == "page" else word.size
            made += [part.model_copy(update={"size": rest if i else word.size}) for i, part in enumerate(found)]
        return made

    @property
    def report_parts(self) -> dict[str, str]:
        """The parts of a report in their order, with their names."""
        return {part.key: part.label for part in self.parts}

    @property
    def one_page(self) -> tuple[str, ...]:
        """The parts of the one-page report."""
        return tuple(part.key for part in self.parts if part.one_page)

    @property
    def names(self) -> dict[str, str]:
        """Settings about a person that a recorder keeps apart: what stands there as long as nobody chose a name."""
        return stored_names(self.setup_model)

    @property
    def where_there(self) -> frozenset[str]:
        """Settings that only some of its recorders have; no other is asked for them."""
        return where_there(self.setup_model)

    def fields(self, setup: BaseModel, on_recorder: Mapping[str, Any] | None = None) -> list[SetupField]:
        """The settings of a setup as people read them; `on_recorder` is all that the recorder holds."""
        return described(setup, on_recorder)

    def is_energy(self, channel: str) -> bool:
        """Whether the mean of a channel is an energy mean of decibels; that of its family ("leq.2") when it is not declared."""
        word = self.channel(channel)
        return word is not None and word.reduce == "energy"

    def channel(self, key: str) -> ChannelWord | None:
        """The declared channel of this key, else the first of its family (the same name before the dot)."""
        family = key.split(".")[0]
        exact = next((w for w in self.channels if w.key == key), None)
        return exact or next((w for w in self.channels if "." in w.key and w.key.split(".")[0] == family), None)

    @property
    def options(self) -> dict[str, str]:
        """The options of the assessment (decisions that are no field of a review), with their meaning."""
        own = {f.name for f in fields(Review)}
        return {d.key: d.meaning for d in self.decisions if d.key not in own}

    def decision(self, key: str) -> DecisionWord | None:
        return next((d for d in self.decisions if d.key == key), None)

    def said(self, settings: Mapping[str, Any]) -> dict[str, str]:
        """What the settings of a recording say of it, as tags."""
        found = {tag.key: settings.get(tag.setting) for tag in self.tags if tag.setting}
        return {key: value.strip() for key, value in found.items() if isinstance(value, str) and value.strip()}

    def tag_for(self, setting: str) -> str:
        """The tag that a setting says; empty when none does."""
        return next((tag.key for tag in self.tags if tag.setting == setting), "")

    def sensors_with(self, setup: Mapping[str, Any]) -> tuple[SensorWord, ...]:
        """Every sensor that is calibrated on a recorder with this setup."""
        return (*self.sensors, *(self.further_sensors(setup) if self.further_sensors else ()))

    def event(self, code: str) -> EventWord | None:
        return next((e for e in self.events if e.covers(code)), None)
