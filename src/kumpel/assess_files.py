"""`kumpel assess`: the figures of files, without server or database."""

from __future__ import annotations

import dataclasses
import json
import math
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from kumpel.core.assessment import Assessment, LimitSet
from kumpel.core.recording import Recording
from kumpel.core.review import Review
from kumpel.formats import csv_file, krec
from kumpel.kinds.kind import Kind
from kumpel.kinds.limit_sets import limit_set_from
from kumpel.kinds.registry import kind_of

EXIT = {"within": 0, "action level reached": 3, "above limit": 4, "not assessable": 5}


class WrongFileError(ValueError):
    """A file that cannot be read: what, where, what to do."""


def read(path: Path, kind: str, mapping: Mapping[str, str], interval_s: float | None) -> Recording:
    try:
        data = path.read_bytes()
    except OSError as error:
        raise WrongFileError(f"{path}: cannot be read ({error.strerror})") from error
    try:
        if data[:3] == b"\xd9\xd9\xf7" or path.suffix == ".krec":
            return krec.read(data)
        return csv_file.read(data, kind, mapping, interval_s)
    except (krec.FileError, csv_file.CsvError) as error:
        raise WrongFileError(f"{path}: {error}") from error


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
    recording: Recording, limits_wish: str | None, setup: Mapping[str, Any] | None
) -> tuple[LimitSet, Assessment]:
    kind = kind_of(recording.kind)
    limits = limits_for(kind, limits_wish)
    if setup is not None:
        recording = dataclasses.replace(recording, setup=setup)
    try:
        return limits, kind.assess(recording, Review(), limits).recorded
    except ValueError as error:
        raise WrongFileError(str(error)) from error


def as_json(path: Path, recording: Recording, limits: LimitSet, found: Assessment) -> dict[str, Any]:
    judged = {j.figure: j for j in found.judgements}
    return {
        "file": str(path),
        "kind": recording.kind,
        "start": _start(recording).isoformat(),
        "length_s": recording.length_s,
        "limits": {"key": limits.key, "version": limits.version},
        "verdict": found.verdict.value,
        "words": found.words,
        "figures": [
            {
                "key": f.key,
                "name": f.name,
                "value": f.value if math.isfinite(f.value) else None,
                "unit": f.unit,
                "coverage": f.coverage,
                "limit": judged[f.key].limit if f.key in judged else None,
                "verdict": judged[f.key].verdict.value if f.key in judged else None,
            }
            for f in found.figures
        ],
        "suggestions": [dataclasses.asdict(s) for s in found.suggestions],
    }


def _start(recording: Recording) -> datetime:
    return datetime.fromtimestamp(recording.start, UTC) + timedelta(minutes=recording.utc_offset_min)


def as_table(path: Path, recording: Recording, limits: LimitSet, found: Assessment) -> str:
    """A plain table: figure, value, unit, limit, verdict."""
    judged = {j.figure: j for j in found.judgements}
    hours = recording.length_s / 3600
    lines = [
        f"{path}: {recording.kind}, {_start(recording):%Y-%m-%d %H:%M}, {hours:.2f} h, coverage {100 * found.quality.coverage:.0f} %",
        f"{limits.name} ({limits.version}): {found.verdict.value.upper()}, {found.words}",
        "",
    ]
    for figure in found.figures:
        value = f"{figure.value:.{figure.decimals}f}" if math.isfinite(figure.value) else "none"
        note = f"({figure.note})" if figure.note else ""
        judgement = judged.get(figure.key)
        verdict = f"{judgement.verdict.value}: {judgement.words}" if judgement else note
        lines.append(f"  {figure.name[:66]:<66} {value:>12} {figure.unit:<6} {verdict}".rstrip())
    for finding in found.quality.findings:
        lines.append(f"  note: {finding.text}")
    for each in found.suggestions:
        lines.append(f"  look at {each.start_s:.0f} to {each.end_s:.0f} s: {each.reason}")
    return "\n".join(lines) + "\n"
