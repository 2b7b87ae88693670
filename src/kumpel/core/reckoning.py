"""From figures to an assessment: what every kind does alike, once its figures are known."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

from kumpel.core.assessment import (
    Assessment,
    BothWays,
    Detected,
    Figure,
    Finding,
    Judgement,
    Level,
    LimitSet,
    Over,
    Put,
    Quality,
    Rule,
    Suggestion,
    Table,
    TableColumn,
    Verdict,
    Why,
    judge,
    proven,
    worst,
)
from kumpel.core.recording import Recording
from kumpel.core.review import Review, Stretch, is_named
from kumpel.core.rounding import rounded, shown, stated

One = Callable[[Recording, Review, LimitSet, str], Assessment]


def both_ways(recording: Recording, review: Review, limits: LimitSet, one: One) -> BothWays:
    """Assess as recorded and as reviewed; once, when the review changes nothing."""
    plain = review.as_recorded()
    recorded = one(recording, plain, limits, "as recorded")
    if plain == review:
        return BothWays(recorded, replace(recorded, basis="as reviewed"))
    return BothWays(recorded, one(recording, review, limits, "as reviewed"))


@dataclass
class Reckoning:
    """Figures as they are found, with what they share: coverage (0..1), samples used and left out.

    `parts` says of figures that are made of others which those are, by the beginnings of their keys: what blocks a
    part blocks them.
    """

    coverage: float
    used: int = 0
    left_out: int = 0
    left_out_s: float = 0.0
    figures: dict[str, Figure] = field(default_factory=dict)
    parts: dict[str, tuple[str, ...]] = field(default_factory=dict)

    def put(
        self,
        key: str,
        name: str,
        value: float,
        unit: str,
        decimals: int,
        formula: str,
        source: str,
        *numbers: Put,
        note: str = "",
        at_s: float | None = None,
        coverage: float | None = None,
        used: int | None = None,
        state: str = "",
        over: Over | None = None,
        made_of: tuple[str, ...] = (),
    ) -> float:
        """Add a figure and give its value back, for the figures that build on it."""
        if made_of:
            self.parts[key] = made_of
        why = Why(formula, numbers, self.used if used is None else used, self.left_out, self.left_out_s, source)
        share = self.coverage if coverage is None else coverage
        if math.isnan(value) and not note:
            note = "not measured"
        self.figures[key] = Figure(key, name, float(value), unit, decimals, share, why, note, at_s, state, over)
        return float(value)

    def concerned(self, finding: Finding, figure: str) -> bool:
        """Whether a finding concerns a figure, or anything that the figure is made of."""
        seen: set[str] = set()
        open_ones = [figure]
        while open_ones:
            key = open_ones.pop()
            if finding.concerns(key):
                return True
            seen.add(key)
            below = (k for part in self.parts.get(key, ()) for k in (part, *self._beginning(part)))
            open_ones += [k for k in below if k not in seen]
        return False

    def _beginning(self, part: str) -> list[str]:
        return [k for k in self.figures if k.startswith(part)]

    def value(self, key: str) -> float:
        """The value of a figure; nan when there is none."""
        found = self.figures.get(key)
        return math.nan if found is None else found.value


def table(
    key: str, title: str, columns: Sequence[tuple[str, str, int | None]], rows: Sequence[Sequence[str | float]]
) -> Table:
    """A table from (name, unit, decimals) triples and rows."""
    return Table(key, title, tuple(TableColumn(*c) for c in columns), tuple(tuple(r) for r in rows))


def overall(judgements: Sequence[Judgement]) -> tuple[Verdict, str]:
    """The verdict of all judgements, and the words of the one that leads: of several, the one with most steps reached."""
    if not judgements:
        return Verdict.NOT_ASSESSABLE, "the limit set has no rule"
    verdict = worst([j.verdict for j in judgements])
    if verdict is Verdict.WITHIN:
        return verdict, "within all limits"
    leading = max((j for j in judgements if j.verdict is verdict), key=lambda j: j.severity)
    return verdict, f"{leading.rule}: {leading.words}"


def weighed(
    judgement: Judgement,
    rule: Rule,
    findings: Sequence[Finding],
    alone: Mapping[str, float],
    decimals: int,
    extent: str,
) -> Judgement:
    """A judgement that missing or bad data could overturn becomes "not assessable", or what is proven in spite of it.

    `findings` are the open ones that concern its figure.

    `alone` gives, by figure, its value if all that was not measured had been harmless (only figures that missing time
    cannot lower are in it): where every open finding says that the truth can only be worse (`at_least`), the steps that this
    value reaches are reached (see `assessment.proven`). Other findings ask for a person.
    """
    if not findings or judgement.verdict is Verdict.NOT_ASSESSABLE:
        return judgement
    if all(f.at_least for f in findings):
        found = proven(rule, judgement, alone.get(judgement.figure, math.nan), decimals, extent)
        if found is not None:
            return found
    words = "; ".join(f.text for f in findings)
    return replace(judgement, verdict=Verdict.NOT_ASSESSABLE, words=words)


def conclude(
    recording: Recording,
    review: Review,
    limits: LimitSet,
    basis: str,
    reckoning: Reckoning,
    quality: Quality,
    *,
    key_figures: Sequence[str],
    alone: Mapping[str, float] | None = None,
    suggestions: Sequence[Suggestion] = (),
    tables: Sequence[Table] = (),
    events: Sequence[Detected] = (),
    stretches: Sequence[Stretch] = (),
    levels: Sequence[Level] = (),
) -> Assessment:
    """Hold the figures against the limit set and put everything together.

    `levels` are the lines of the kind's own; those of rules about a channel's own values come by themselves.

    What the review doubts of the recorder stands among the findings. A rule whose figure was not computed is "not assessable" and says so. A suggestion inside a stretch that is
    already left out is not made again.
    """
    if review.doubts:
        told = (Finding(each.code, each.text, blocks=True, figures=each.figures) for each in review.doubts)
        quality = replace(quality, findings=(*quality.findings, *told))
    blocking = [f for f in quality.findings if f.blocks and f.code not in review.accepted]
    judgements = []
    short = quality.measured_s < quality.planned_s
    extent = f"from {hours_minutes(quality.measured_s)} of {hours_minutes(quality.planned_s)} h" if short else ""
    for rule in limits.rules:
        figure = reckoning.figures.get(rule.figure)
        if figure is None:
            reckoning.put(
                rule.figure,
                rule.name,
                math.nan,
                rule.unit,
                1,
                rule.figure,
                limits.version,
                note="not recorded",
                coverage=0.0,
                used=0,
            )
            figure = reckoning.figures[rule.figure]
        judged = judge(rule, figure)
        against = [f for f in blocking if reckoning.concerned(f, rule.figure)]
        judgements.append(weighed(judged, rule, against, alone or {}, figure.decimals, extent))
    verdict, words = overall(judgements)
    unmarked = (
        s for s in suggestions if not any(c.start_s <= s.start_s and s.end_s <= c.end_s for c in review.left_out)
    )
    # Five sensors tested at once are one stretch.
    fresh = dict.fromkeys(unmarked)
    return Assessment(
        kind=recording.kind,
        basis=basis,
        verdict=verdict,
        words=words,
        figures=tuple(reckoning.figures.values()),
        judgements=tuple(judgements),
        suggestions=tuple(sorted(fresh, key=lambda s: s.start_s)),
        tables=tuple(tables),
        quality=quality,
        key_figures=tuple(k for k in key_figures if k in reckoning.figures),
        events=tuple(sorted(events, key=lambda e: e.at_s)),
        stretches=tuple(stretches),
        levels=(
            *rule_levels({c.key: c.unit for c in recording.channels.values()}, limits, recording.length_s),
            *levels,
        ),
    )


def rule_levels(units: Mapping[str, str], limits: LimitSet, length_s: float) -> tuple[Level, ...]:
    """Steps of rules that can be held against a channel's own values: of its unit, about a figure of its family.

    `units` gives the unit of each channel by its key. "co.stel" is of the family of the channel "co.avg", "max.rpm" of "rpm".
    """
    return tuple(
        Level(key, step.value, step.name, 0.0, length_s, step.verdict.value, rule.figure, i)
        for key, unit in units.items()
        for rule in limits.rules
        if rule.unit == unit and {rule.figure.split(".")[0], rule.figure} & _family(key)
        for i, step in enumerate(rule.steps)
    )


def _family(channel: str) -> set[str]:
    name = channel.split(".")[0]
    return {name, f"max.{name}", f"min.{name}"}


def span_levels(lane: str, rule: Rule, spans: Sequence[tuple[float, float]], name: str = "") -> list[Level]:
    """The steps of a rule as lines over spans (s after the start), named by `name`, else each by its step."""
    several = len(rule.steps) > 1
    return [
        Level(
            lane,
            step.value,
            f"{name}: {step.name}" if name and several else name or step.name,
            start,
            end,
            step.verdict.value,
            rule.figure,
            i,
        )
        for i, step in enumerate(rule.steps)
        for start, end in spans
    ]


def own_events(recording: Recording, review: Review, without: tuple[str, ...] = ()) -> list[Detected]:
    """The recorder's own events, but those of the codes `without`; dropped ones are there and marked."""
    return [
        Detected(e.at_s, e.at_s, e.code, e.text or e.code, not is_named(review.dropped, e.code, e.at_s))
        for e in recording.events
        if e.code not in without
    ]


def coverage_finding(measured_s: float, planned_s: float, minimum: float) -> list[Finding]:
    """The blocking finding that too little of the planned time was measured, or nothing."""
    share = measured_s / planned_s if planned_s > 0 else 0.0
    if round(share, 9) >= minimum:
        return []
    text = (
        f"{hours_minutes(measured_s)} of {hours_minutes(planned_s)} h measured ({short_of(share, minimum)} %), "
        f"{100 * minimum:g} % needed"
    )
    return [Finding("coverage", text, blocks=True, at_least=True)]


def short_of(share: float, minimum: float) -> str:
    """A share in % that lies below a minimum, with as many decimals as show that it does: "74.97" of 75."""
    of = 100 * share
    return next((shown(of, d) for d in range(6) if stated(of, d) < 100 * minimum), shown(of, 6))


def hours_minutes(seconds: float) -> str:
    """ "7:41" of 27,660 s.

    >>> hours_minutes(5400.0)
    '1:30'
    """
    minutes = int(rounded(seconds / 60, 0))
    return f"{minutes // 60}:{minutes % 60:02d}"


def setup_number(setup: Mapping[str, object], key: str, default: float) -> float:
    """A number of the recorder's settings. Raises ValueError naming the field when it is none."""
    value = setup.get(key)
    if value is None:
        return default
    if isinstance(value, bool) or not isinstance(value, int | float) or not math.isfinite(value):
        raise ValueError(f"setup field {key}: a number is needed, not {value!r}")
    return float(value)


def planned_s(recording: Recording, review: Review) -> float:
    """The time the session should have covered: the reviewer's, else the setup's, else as long as it is, in s.

    A setup of several `runs` says how long each is; those that began (events "run") should have run to their end.
    """
    minutes = setup_number(recording.setup, "run_length_min", 0.0)
    runs = min(setup_number(recording.setup, "runs", 1.0), max(sum(e.code == "run" for e in recording.events), 1))
    return review.working_day_s or minutes * 60 * max(runs, 1) or recording.length_s
