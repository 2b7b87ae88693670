"""What a reviewer decided: stretches, dropped and kept events, settings, accepted findings; read from the store."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from typing import Any

import numpy as np
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.core.assessment import Assessment
from kumpel.core.review import Edge, EventName, Review, Typed, named
from kumpel.core.review import Stretch as CoreStretch
from kumpel.store.tables import Decision

LEFT_OUT, TASK, ASLEEP = "left out", "task", "asleep"
DROPPED, KEPT = "dropped", "kept"
EDGE, TYPE = "edge", "type"
"""Where an event begins, or goes on although it seemed to end; of which type it is."""
BEGINS, GOES_ON = "begins", "goes on"
ABOUT_EVENTS = (DROPPED, KEPT, EDGE, TYPE)
SETTING, ACCEPTED = "setting", "accepted"
STRETCHES = (LEFT_OUT, TASK, ASLEEP)
LIMIT_SET = "limit_set_id"
"""The one setting that every kind has."""
COMPARED = "compared_with"
"""Another recording of the person (its session) that the report compares with; no computation knows it."""
LOST = "lost "
"""A finding "lost <event>": a dropped or kept event that the assessment no longer finds, and that a person has seen."""
OPPOSITE = {DROPPED: KEPT, KEPT: DROPPED}
_OWN = {f.name for f in fields(Review)}


@dataclass(frozen=True)
class Wish:
    """A decision as somebody asks for it; a setting whose value is None is taken back."""

    what: str
    key: str = ""
    start_s: float | None = None
    end_s: float | None = None
    value: Any = None
    reason: str = ""


def of_session(db: Db, session_id: int) -> list[Decision]:
    """The decisions in force, stretches first and in order of time."""
    return list(
        db.exec(
            select(Decision)
            .where(Decision.session_id == session_id, col(Decision.removed_at).is_(None))
            .order_by(col(Decision.start_s), col(Decision.id))
        ).all()
    )


def review_of(rows: Iterable[Decision | Wish]) -> Review:
    """Decisions in the core's form."""
    spans: dict[str, list[CoreStretch]] = {what: [] for what in STRETCHES}
    events: dict[str, list[str]] = {DROPPED: [], KEPT: []}
    edges: list[Edge] = []
    typed: list[Typed] = []
    accepted: list[str] = []
    own: dict[str, Any] = {}
    options: dict[str, float | str] = {}
    for row in rows:
        if row.what in spans and row.start_s is not None and row.end_s is not None:
            spans[row.what].append(CoreStretch(row.start_s, row.end_s, row.reason or row.what))
        elif row.what in events:
            length = row.value if isinstance(row.value, int | float) and row.value > 0 else 0.0
            events[row.what].append(f"{row.key}+{length:.3f}" if length else row.key)
        elif row.what == EDGE and (name := EventName.of(row.key)) is not None:
            edges.append(Edge(name.code, name.at_s, row.value == BEGINS))
        elif row.what == TYPE:
            typed.append(Typed(row.key, str(row.value)))
        elif row.what == ACCEPTED:
            accepted.append(row.key)
        elif row.what == SETTING and row.key not in (LIMIT_SET, COMPARED):
            (own if row.key in _OWN else options)[row.key] = row.value
    for each in spans.values():
        each.sort(key=lambda s: (s.start_s, s.end_s))
    return Review(
        left_out=tuple(spans[LEFT_OUT]),
        tasks=tuple(spans[TASK]),
        asleep=tuple(spans[ASLEEP]) or None,
        accepted=tuple(accepted),
        dropped=tuple(events[DROPPED]),
        kept=tuple(events[KEPT]),
        options=options,
        edges=tuple(edges),
        typed=tuple(typed),
        **own,
    )


def setting(rows: Iterable[Decision | Wish], key: str) -> Any:
    """The value of a setting; None when it is not set."""
    return next((row.value for row in rows if row.what == SETTING and row.key == key), None)


def is_finite(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)


def lost(rows: Sequence[Decision], recorded: Assessment) -> list[Decision]:
    """Decisions about events that an assessment (as recorded) no longer finds. They stay; a person has to see them."""
    spans: dict[str, list[tuple[float, float]]] = {}
    for event in recorded.events:
        spans.setdefault(event.code.split(".")[0], []).append((event.at_s, event.end_s))
    for table in recorded.tables:
        keyed = [i for i, column in enumerate(table.columns) if column.name == "Key"]
        for name in (EventName.of(str(row[i])) for row in table.rows for i in keyed):
            if name is not None:
                spans.setdefault(name.code.split(".")[0], []).append((name.at_s, name.at_s + name.length_s))
    found = []
    for row in rows:
        name = EventName.of(row.key) if row.what in ABOUT_EVENTS else None
        if name is None:
            continue
        group = name.code.split(".")[0]
        edges = np.array(spans.get(group, []), dtype=np.float64).reshape(-1, 2)
        length = row.value if is_finite(row.value) else 0.0
        key = f"{group}@{name.at_s}+{length}"
        if not named((key,), group, edges[:, 0], edges[:, 1]).any():
            found.append(row)
    return found
