"""`kumpel assess`, `convert` and `make`: the figures of files, other formats, made-up recordings; no server, no database."""

from __future__ import annotations

import dataclasses
import json
import math
from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta, timezone
from pathlib import Path
from typing import Any

import numpy as np

from kumpel.core.assessment import CLOCK, Assessment, Figure, LimitSet, Table, Verdict
from kumpel.core.groups import Group, group
from kumpel.core.recording import Event, Recording
from kumpel.core.review import Review
from kumpel.core.rounding import shown
from kumpel.core.timebase import wall_clock
from kumpel.formats import files
from kumpel.formats.errors import FileFormatError
from kumpel.kinds.kind import Kind
from kumpel.kinds.limit_sets import limit_set_from
from kumpel.kinds.plain_report import lanes_of
from kumpel.kinds.registry import KINDS, kind_of
from kumpel.reports import lanes
from kumpel.reports.moments import wall_moment

EXIT = {"within": 0, "action level reached": 3, "above limit": 4, "not assessable": 5}
WORDS = files.words_of(KINDS.values())


class WrongFileError(ValueError):
    """A file that cannot be read: what, where, what to do."""


@dataclasses.dataclass(frozen=True)
class Assessed:
    """A file with its recording, the limits it was held against, and what was found."""

    path: Path
    recording: Recording
    limits: LimitSet
    found: Assessment


def read(path: Path, wish: files.Wish) -> Recording:
    try:
        return files.read(path, WORDS, wish)
    except FileFormatError as error:
        raise WrongFileError(str(error)) from error


def limits_for(kind: Kind, wish: str | None) -> LimitSet:
    """A shipped limit set by key, or one from a JSON file."""
    if wish is None:
        return kind.limit_sets[0]
    for limits in kind.limit_sets:
        if limits.key == wish:
            return limits
    path = Path(wish)
    if path.exists():
        try:
            return limit_set_from(json.loads(path.read_text()))
        except (ValueError, KeyError) as error:
            raise WrongFileError(f"{path}: no limit set ({error})") from error
    raise WrongFileError(
        f"no limit set “{wish}”; there are: {', '.join(s.key for s in kind.limit_sets)}, or a JSON file"
    )


def assess(
    path: Path,
    recording: Recording,
    limits_wish: str | None,
    setup: Mapping[str, Any] | None,
    options: Mapping[str, str],
) -> Assessed:
    try:
        kind = kind_of(recording.kind)
        limits = limits_for(kind, limits_wish)
        unknown = sorted(set(options) - set(kind.options))
        if unknown:
            known = "; ".join(f"{k} ({v})" for k, v in kind.options.items()) or "none"
            raise WrongFileError(f"{kind.name} has no option “{unknown[0]}”; there are: {known}")
        if setup is not None:
            recording = dataclasses.replace(recording, setup=setup)
        return Assessed(path, recording, limits, kind.assess(recording, Review(options=options), limits).recorded)
    except WrongFileError:
        raise
    except ValueError as error:
        raise WrongFileError(f"{path}: {error}") from error


def as_json(each: Assessed) -> dict[str, Any]:
    found = each.found
    judged = {j.figure: j for j in found.judgements}
    return {
        "file": str(each.path),
        "kind": each.recording.kind,
        "start": datetime.fromtimestamp(each.recording.start, _zone(each.recording)).isoformat(),
        "length_s": each.recording.length_s,
        "limits": {"key": each.limits.key, "version": each.limits.version},
        "verdict": found.verdict.value,
        "words": found.words,
        "figures": [
            {
                "key": f.key,
                "name": f.name,
                "value": f.value if math.isfinite(f.value) else None,
                "unit": f.unit,
                **({"state": f.state} if f.state else {}),
                "coverage": f.coverage,
                "limit": judged[f.key].limit if f.key in judged else None,
                "verdict": judged[f.key].verdict.value if f.key in judged else None,
            }
            for f in found.figures
        ],
        "findings": [{"code": f.code, "text": f.text, "blocks": f.blocks} for f in found.quality.findings],
        "suggestions": [dataclasses.asdict(s) for s in found.suggestions],
        "tables": [
            {
                "key": t.key,
                "title": t.title,
                "columns": [dataclasses.asdict(c) for c in t.columns],
                "rows": [[None if isinstance(v, float) and not math.isfinite(v) else v for v in row] for row in t.rows],
            }
            for t in found.tables
        ],
        "events": [{"at_s": e.at_s, "end_s": e.end_s, "code": e.code, "text": e.text} for e in found.events],
    }


def _zone(recording: Recording) -> timezone:
    return timezone(timedelta(minutes=recording.utc_offset_min))


def as_table(each: Assessed) -> str:
    """A plain table: figure, value, unit, verdict; then what is to be said about the data."""
    found, recording, limits = each.found, each.recording, each.limits
    judged = {j.figure: j for j in found.judgements}
    lines = [
        f"{each.path}: {recording.kind.replace('_', ' ')}, {wall_moment(recording, 0):%Y-%m-%d %H:%M}, {recording.length_s / 3600:.2f} h, coverage {100 * found.quality.coverage:.0f} %",
        f"{limits.name} ({limits.version}): {found.verdict.value.upper()}, {found.words}",
        "",
    ]
    for figure in found.figures:
        value = shown(figure.value, figure.decimals) if math.isfinite(figure.value) else "none"
        note = f"({figure.note})" if figure.note else ""
        judgement = judged.get(figure.key)
        verdict = f"{judgement.verdict.value}: {judgement.words}" if judgement else note
        lines.append(f"  {figure.name[:66]:<66} {value:>12} {figure.unit:<6} {verdict or figure.state}".rstrip())
    for finding in found.quality.findings:
        lines.append(f"  note: {finding.text}")
    for note in _notes(recording):
        lines.append(f"  file: {note}")
    for each_one in found.suggestions:
        lines.append(f"  look at {each_one.start_s:.0f} to {each_one.end_s:.0f} s: {each_one.reason}")
    return "\n".join(lines) + "\n"


def tables(each: Assessed) -> str:
    """Every table of an assessment as plain columns; cells that were not measured are empty."""
    return "\n".join(_plain_table(table) for table in each.found.tables if table.rows)


def _plain_table(table: Table) -> str:
    shown = [i for i, c in enumerate(table.columns) if c.name != "Key"]
    units = ["s" if table.columns[i].unit == CLOCK else table.columns[i].unit for i in shown]
    head = [f"{table.columns[i].name} {unit}".strip() for i, unit in zip(shown, units, strict=True)]
    rows = [[_cell(row[i], table.columns[i].decimals) for i in shown] for row in table.rows]
    widths = [max(len(r[k]) for r in [head, *rows]) for k in range(len(shown))]
    left = [table.columns[i].decimals is None for i in shown]

    def line(cells: list[str]) -> str:
        parts = [c.ljust(w) if to_left else c.rjust(w) for c, w, to_left in zip(cells, widths, left, strict=True)]
        return "  " + "  ".join(parts).rstrip()

    return "\n".join([table.title, line(head), *(line(r) for r in rows)]) + "\n"


def _cell(value: str | float, decimals: int | None) -> str:
    if isinstance(value, str):
        return value
    return shown(value, decimals or 0) if math.isfinite(value) else ""


def _notes(recording: Recording) -> list[str]:
    notes = recording.recorder.get("notes")
    return [str(n) for n in notes] if isinstance(notes, list | tuple) else []


def why(each: Assessed, wish: str) -> str:
    """The answer to "why this number?": formula, numbers, samples, source. Raises WrongFileError for an unknown figure."""
    figure = _figure(each.found, wish)
    if figure is None:
        keys = ", ".join(f.key for f in each.found.figures)
        raise WrongFileError(f"{each.path}: no figure “{wish}”; there are: {keys}")
    reason = figure.why
    value = (
        f"{shown(figure.value, figure.decimals)} {figure.unit}".strip()
        if math.isfinite(figure.value)
        else f"none ({figure.note})"
    )
    lines = [f"{figure.name} = {value}", f"  formula   {reason.formula}"]
    for put in reason.numbers:
        amount = f"{put.value:g} {put.unit}".strip()
        lines.append(f"  {put.symbol:<9} {amount}, {put.meaning}")
    lines.append(
        f"  samples   {reason.samples_used} used, {reason.samples_left_out} left out ({reason.left_out_s:g} s)"
    )
    lines.append(f"  coverage  {100 * figure.coverage:.1f} %")
    if figure.at_s is not None:
        lines.append(f"  at        {figure.at_s:.1f} s, {wall_moment(each.recording, figure.at_s):%Y-%m-%d %H:%M:%S}")
    if figure.note:
        lines.append(f"  note      {figure.note}")
    return "\n".join([*lines, f"  source    {reason.source}"]) + "\n"


def _figure(found: Assessment, wish: str) -> Figure | None:
    plain = wish.strip().lower()
    exact = [f for f in found.figures if plain in (f.key.lower(), f.name.lower())]
    return exact[0] if exact else None


# ---------------------------------------------------------------- groups


@dataclasses.dataclass(frozen=True)
class GroupResult:
    """A figure looked at over several files of a kind."""

    kind: str
    figure: str
    name: str
    unit: str
    group: Group


def groups(all_of_them: Sequence[Assessed]) -> list[GroupResult]:
    """Group statistics of every figure that a kind looks at so, where at least one file has it."""
    results = []
    for key in dict.fromkeys(a.recording.kind for a in all_of_them):
        mine = [a for a in all_of_them if a.recording.kind == key]
        for rule in kind_of(key).groups:
            figures = [f for a in mine for f in a.found.figures if f.key == rule.figure and math.isfinite(f.value)]
            if not figures:
                continue
            # The limit value; where there are action values only, the highest of them.
            # Only the rules that were held against these recordings: a set has one of each dust fraction.
            steps = [s for a in mine for j in a.found.judgements if j.figure == rule.figure for s in j.steps]
            limit = next((s.value for s in reversed(steps) if s.verdict is Verdict.ABOVE), math.nan)
            limit = steps[-1].value if steps and math.isnan(limit) else limit
            try:
                found = group(np.array([f.value for f in figures]), limit, logarithmic=rule.logarithmic)
            except ValueError as error:
                raise WrongFileError(f"group of {figures[0].name}: {error}") from error
            results.append(GroupResult(key, rule.figure, figures[0].name, figures[0].unit, found))
    return results


def group_table(result: GroupResult) -> str:
    found, unit = result.group, result.unit
    centre, spread = (
        ("geometric mean", "geometric standard deviation")
        if found.logarithmic
        else ("arithmetic mean", "standard deviation")
    )
    rows = [
        ("results", f"{found.count}"),
        (centre, f"{found.centre:.3g} {unit}"),
        (spread, f"{found.spread:.3g}{'' if found.logarithmic else ' dB'}"),
        ("lowest, highest", f"{found.lowest:.3g}, {found.highest:.3g} {unit}"),
        ("95th percentile", f"{found.p95:.3g} {unit}"),
        ("limit", f"{found.limit:g} {unit}"),
        ("share above the limit", f"{100 * found.share_above:.2g} %"),
        ("EN 689 verdict", f"{found.verdict}: {found.words}"),
    ]
    return "\n".join([f"Group of {result.name}", *(f"  {name:<30} {value}" for name, value in rows)]) + "\n"


def group_json(result: GroupResult) -> dict[str, Any]:
    values = dataclasses.asdict(result.group)
    plain = {k: None if isinstance(v, float) and not math.isfinite(v) else v for k, v in values.items()}
    return {"kind": result.kind, "figure": result.figure, "name": result.name, "unit": result.unit, **plain}


# ---------------------------------------------------------------- picture


def plot(each: Assessed) -> str:
    """The recording's channels as lanes in SVG, the main one first, with limit lines and event ticks."""
    recording = each.recording
    kind = kind_of(recording.kind)
    drawn = lanes_of(kind, recording, each.found)
    if not drawn:
        raise WrongFileError(f"{each.path}: no channel to draw; the recording holds events only")
    clock = float(wall_clock(recording, np.array([0.0]))[0]) % 86_400
    title = f"{kind.name}, {wall_moment(recording, 0):%Y-%m-%d %H:%M}: {each.found.verdict.value}, {each.found.words}"
    return lanes.draw(title, drawn, recording.length_s, clock)


# ---------------------------------------------------------------- other formats


def _with_events(recording: Recording, found: Assessment) -> Recording:
    """The recording with the events that were found in it beside its own."""
    own = {(e.code, e.at_s) for e in recording.events}
    new = [
        Event(e.at_s, e.code, e.text, {"length_s": e.end_s - e.at_s, **e.numbers})
        for e in found.events
        if (e.code, e.at_s) not in own and not e.code.startswith("log.")
    ]
    return dataclasses.replace(recording, events=tuple(sorted([*recording.events, *new], key=lambda e: e.at_s)))


def convert(
    source: Path,
    target: Path,
    wish: files.Wish,
    span: tuple[float | None, float | None],
    name: str = "",
    events: str = "",
    with_found: bool = False,
) -> Recording:
    """Write a file in the format of the target's ending, or a span of it; a workbook gets the figures, too.

    `with_found` adds the events that the assessment found (episodes, desaturations, alarms) to those of the recording.
    """
    recording = read(source, wish)
    try:
        if span != (None, None):
            recording = files.cut(recording, span[0] or 0.0, math.inf if span[1] is None else span[1])
        found = None
        if (with_found or target.suffix.lower() == ".xlsx") and recording.kind in KINDS:
            found = assess(source, recording, None, None, {}).found
        if with_found and found is not None:
            recording = _with_events(recording, found)
        files.write(recording, target, found, name, events)
    except FileFormatError as error:
        raise WrongFileError(str(error)) from error
    return recording
