"""The shape that every kind's result has: figures with their why, verdicts, suggestions, tables, quality."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum

from kumpel.core.review import KEPT_WHEN_SET, Stretch
from kumpel.core.rounding import shown, stated


class Verdict(StrEnum):
    """The four verdicts, in rising order of attention (see `worst`)."""

    WITHIN = "within"
    NOT_ASSESSABLE = "not assessable"
    ACTION = "action level reached"
    ABOVE = "above limit"


_ATTENTION = list(Verdict)


def worst(verdicts: list[Verdict]) -> Verdict:
    """The verdict that speaks for all: above, then action, then not assessable, then within.

    A known excess is never hidden by another figure that could not be assessed.

    >>> worst([Verdict.WITHIN, Verdict.ACTION]).value
    'action level reached'
    """
    return max(verdicts, key=_ATTENTION.index, default=Verdict.NOT_ASSESSABLE)


@dataclass(frozen=True)
class Put:
    """One number put into a formula."""

    symbol: str
    meaning: str
    value: float
    unit: str


@dataclass(frozen=True)
class Why:
    """The answer to "why this number?": formula in symbols, the numbers put in, samples used, source."""

    formula: str
    numbers: tuple[Put, ...]
    samples_used: int
    samples_left_out: int
    left_out_s: float
    source: str


@dataclass(frozen=True)
class Over:
    """What a figure is computed anew for: each `member` ("Awake") of what it repeats over, `by` ("period").

    `measure` is what is found of each ("systolic mean"), the same words for all: figures of one measure stand side by side.
    """

    by: str
    member: str
    measure: str


PROJECTED = "projected"
"""How the note of a figure begins that stands for more than was measured."""


@dataclass(frozen=True)
class Figure:
    """One figure of the trade. `value` is nan when it could not be computed, -inf for the level of no energy at all
    (every sample below the threshold); then `note` says why.

    `coverage` is the share (0..1) of the planned time that the figure rests on; `decimals` the number of
    decimals it is stated with, on screen, on paper and when compared with a limit. `state` is the class that the trade gives the
    value ("reduced"), apart from the name, which is always the same. `over` says of what it is one of several.
    """

    key: str
    name: str
    value: float
    unit: str
    decimals: int
    coverage: float
    why: Why
    note: str = ""
    at_s: float | None = None
    state: str = field(default="", metadata=KEPT_WHEN_SET)
    over: Over | None = field(default=None, metadata=KEPT_WHEN_SET)

    @property
    def stated(self) -> float:
        """The value as stated on paper; what rounds to nothing has no sign."""
        return stated(self.value, self.decimals)

    @property
    def is_projected(self) -> bool:
        """Whether it stands for more than was measured: said wherever it stands."""
        return math.isfinite(self.value) and self.note.startswith(PROJECTED)


@dataclass(frozen=True)
class Step:
    """One level of a rule: from `value` on (or past it, when `beyond`) the verdict is `verdict`.

    A lower limit (`below`, such as oxygen) is reached from above: at `value` and under it, or only under it.
    """

    value: float
    verdict: Verdict
    name: str
    beyond: bool = False
    below: bool = False

    def reached_by(self, stated: float) -> bool:
        if self.below:
            return stated < self.value if self.beyond else stated <= self.value
        return stated > self.value if self.beyond else stated >= self.value


@dataclass(frozen=True)
class Rule:
    """A figure (computed with `parameters`) against rising steps."""

    figure: str
    name: str
    unit: str
    steps: tuple[Step, ...]
    parameters: Mapping[str, float | str] = field(default_factory=dict)


@dataclass(frozen=True)
class LimitSet:
    """Limits as data: name, issuer, version, the day it became valid, its rules."""

    key: str
    kind: str
    name: str
    issuer: str
    version: str
    valid_from: str
    rules: tuple[Rule, ...]
    minimum_coverage: float = 0.75


@dataclass(frozen=True)
class Judgement:
    """A figure held against a rule.

    `at_least` is what is proven of a figure that missing time cannot lower, where time is missing: then the verdict is
    that of the proven value, and the steps above it are not assessable.
    """

    rule: str
    figure: str
    value: float
    unit: str
    verdict: Verdict
    words: str
    limit: float | None
    steps: tuple[Step, ...] = ()
    at_least: float | None = None

    @property
    def severity(self) -> tuple[int, int]:
        """For finding the judgement that leads: attention of the verdict, then how many steps are reached."""
        # By the step that leads, which the stated value reached: the value itself may lie a hair off it.
        lead = next((s for s in self.steps if s.value == self.limit and s.verdict is self.verdict), None)
        if lead is None:
            return _ATTENTION.index(self.verdict), 0
        passed = [s for s in self.steps if s.below == lead.below and (s is lead or s.reached_by(lead.value))]
        return _ATTENTION.index(self.verdict), len(passed)


@dataclass(frozen=True)
class Level:
    """A line on the picture of a channel or a reading (`lane`: its key): a limit, or a value that figures count from.

    It holds from `start_s` to `end_s`. `verdict` is that of reaching it, empty for one that is only counted from; `figure` and `step`
    say which step of which rule it is, where it is one.
    """

    lane: str
    value: float
    name: str
    start_s: float
    end_s: float
    verdict: str = ""
    figure: str = ""
    step: int = 0


@dataclass(frozen=True)
class Suggestion:
    """A stretch that might be left out, and why. Nothing is left out unless a person does it."""

    start_s: float
    end_s: float
    code: str
    reason: str


@dataclass(frozen=True)
class Detected:
    """An event that the assessment found or read. `kept` is False when the reviewer dropped it."""

    at_s: float
    end_s: float
    code: str
    text: str
    kept: bool = True
    numbers: Mapping[str, float | str] = field(default_factory=dict)

    @property
    def key(self) -> str:
        """What a review names this event by: code and start in milliseconds."""
        return event_key(self.code, self.at_s)


def event_key(code: str, at_s: float) -> str:
    """The name of an event in a review, such as "tonic@5421.25": its start to the millisecond, at least one decimal.

    >>> event_key('tonic', 5421.25)
    'tonic@5421.25'
    """
    whole, _, part = f"{at_s:.3f}".partition(".")
    return f"{code}@{whole}.{part.rstrip('0') or '0'}"


CLOCK = "clock"
"""The unit of a column of moments: seconds after the start of the recording, shown as the time of day."""


@dataclass(frozen=True)
class TableColumn:
    name: str
    unit: str
    decimals: int | None


@dataclass(frozen=True)
class Table:
    """Rows of one kind of thing: tasks, hours, bins. nan stands for "not measured"."""

    key: str
    title: str
    columns: tuple[TableColumn, ...]
    rows: tuple[tuple[str | float, ...], ...]


@dataclass(frozen=True)
class Finding:
    """Something about the data's quality. `blocks` means: no verdict until a person accepts it.

    `figures` narrows it to figures whose keys begin so; empty means all of them. `at_least` says that the truth
    can only be worse than what was measured (time missing, sensor over range), so that an excess stands.
    """

    code: str
    text: str
    blocks: bool = False
    figures: tuple[str, ...] = ()
    at_least: bool = False

    def concerns(self, figure: str) -> bool:
        return not self.figures or figure.startswith(self.figures)


@dataclass(frozen=True)
class Quality:
    coverage: float
    measured_s: float
    planned_s: float
    findings: tuple[Finding, ...] = ()


@dataclass(frozen=True)
class Assessment:
    """Figures and verdicts of a session, on one basis (as recorded or as reviewed)."""

    kind: str
    basis: str
    verdict: Verdict
    words: str
    figures: tuple[Figure, ...]
    judgements: tuple[Judgement, ...]
    suggestions: tuple[Suggestion, ...]
    tables: tuple[Table, ...]
    quality: Quality
    key_figures: tuple[str, ...]
    events: tuple[Detected, ...] = ()
    stretches: tuple[Stretch, ...] = ()
    levels: tuple[Level, ...] = field(default=(), metadata=KEPT_WHEN_SET)

    @property
    def step(self) -> str:
        """Name of the step that leads the verdict ("upper action value"); empty when none is reached."""
        leading = [j for j in self.judgements if j.verdict is self.verdict]
        lead = max(leading, key=lambda j: j.severity, default=None)
        if lead is None or self.verdict in (Verdict.WITHIN, Verdict.NOT_ASSESSABLE):
            return ""
        return next((s.name for s in lead.steps if s.value == lead.limit), "")

    def table(self, key: str) -> Table:
        """The table of this key; KeyError when the assessment has none."""
        for table in self.tables:
            if table.key == key:
                return table
        raise KeyError(key)

    def figure(self, key: str) -> Figure:
        """The figure of this key; KeyError when the assessment has none."""
        for figure in self.figures:
            if figure.key == key:
                return figure
        raise KeyError(key)


@dataclass(frozen=True)
class BothWays:
    """The two assessments of a session; the reviewed one leads."""

    recorded: Assessment
    reviewed: Assessment


def judge(rule: Rule, figure: Figure) -> Judgement:
    """Hold a figure, as stated, against a rule's steps.

    The stated (rounded) value is compared, so that what the paper shows never contradicts its verdict.
    """
    limit = rule.steps[-1].value if rule.steps else None
    if figure.value != figure.value:
        words = figure.note or "not measured"
        return Judgement(
            rule.name, figure.key, figure.value, rule.unit, Verdict.NOT_ASSESSABLE, words, limit, rule.steps
        )
    top = top_step(rule, figure.stated)
    if top is None:
        first = rule.steps[0]
        words = f"{'above' if first.below else 'below'} {first.name} {first.value:g}"
        if figure.value == -math.inf:
            words = figure.note
        elif any(step.below != first.below for step in rule.steps):
            words = f"between {min(s.value for s in rule.steps):g} and {max(s.value for s in rule.steps):g}"
        return Judgement(rule.name, figure.key, figure.value, rule.unit, Verdict.WITHIN, words, first.value, rule.steps)
    words = passed_words(top, figure.stated, figure.decimals)
    return Judgement(rule.name, figure.key, figure.value, rule.unit, top.verdict, words, top.value, rule.steps)


def top_step(rule: Rule, value: float) -> Step | None:
    """The step of most attention that a value reaches; None when it reaches none."""
    passed = [step for step in rule.steps if step.reached_by(value)]
    key = [(_ATTENTION.index(s.verdict), -s.value if s.below else s.value) for s in passed]
    return passed[key.index(max(key))] if passed else None


def passed_words(step: Step, value: float, decimals: int) -> str:
    """How a value passes a step: "lower action value 80 reached by 1.7"."""
    over = step.value - value if step.below else value - step.value
    by = f" by {shown(over, decimals)}" if over > 0 else ""
    passing = "fallen below" if step.below else "exceeded"
    return f"{step.name} {step.value:g} {passing if step.beyond else 'reached'}{by}"


def proven(rule: Rule, judgement: Judgement, value: float, decimals: int, extent: str) -> Judgement | None:
    """The judgement of what is proven of a figure that missing time cannot lower; None when that reaches no step.

    `value` is the figure if all that was not measured had been harmless, `extent` says what it rests on ("from 3:00 of
    8:00 h"). The steps above the one reached are named as not assessable.
    """
    proof = stated(value, decimals)
    top = top_step(rule, proof)
    if value != value or top is None:
        return None
    open_steps = [s for s in rule.steps if not s.reached_by(proof) and s.below == top.below]
    bound = "at most" if top.below else "at least"
    words = f"{bound} {shown(proof, decimals)} {rule.unit}".rstrip()
    words += (
        f", {extent}: {passed_words(top, proof, decimals)}" if extent else f": {passed_words(top, proof, decimals)}"
    )
    if open_steps:
        words += f"; {', '.join(f'{s.name} {s.value:g}' for s in open_steps)} not assessable"
    return replace(judgement, verdict=top.verdict, words=words, limit=top.value, at_least=proof)
