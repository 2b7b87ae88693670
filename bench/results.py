"""Results: previews and decisions of every kind, and the register of a figure: `./kumpel bench results [SESSIONS]`.

Limits: a preview below 50 ms (95th percentile) for kinds at 1 Hz or with readings; the first page of a register below 60 ms.
"""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable
from typing import Any

from sqlalchemy import text
from sqlmodel import Session as Db
from tests.support import DatabaseTest, tear_down

from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures, recordings
from kumpel.services.ground.decisions import Wish
from kumpel.services.register import session_list
from kumpel.services.review import deciding
from kumpel.services.take_in import take_in
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Session

PREVIEW_S, PAGE_S = 0.050, 0.060
TIMES = 40


def spent(work: Callable[[int], Any], times: int) -> list[float]:
    found = []
    for turn in range(times):
        began = time.perf_counter()
        work(turn)
        found.append(time.perf_counter() - began)
    return sorted(found)


def p95(times: list[float]) -> float:
    return times[min(int(0.95 * len(times)), len(times) - 1)]


def line(what: str, words: str) -> None:
    print(f"{what:<46} {words}", flush=True)


def stored(db: Db, kind: str) -> Session:
    recording = (
        make_night(Night(2, 1800.0, groups=usual_groups(2, 1800.0, 40))).recording
        if kind == "jaw_muscle"
        else SIGNALS[kind](2).recording
    )
    row = take_in.from_file(db, krec.write_recording(recording), None)
    figures.assess(db, row)
    db.commit()
    db.refresh(row)
    return row


def of_kind(db: Db, kind: str) -> None:
    row = stored(db, kind)
    assert row.id is not None
    span = row.length_s / 50

    def cold(turn: int) -> None:
        recordings._kept = recordings.Recent(recordings.KEPT_BYTES)
        deciding.supposed(db, row, [Wish("left out", start_s=turn, end_s=turn + span, reason="x")], ())

    def preview(turn: int) -> None:
        deciding.supposed(db, row, [Wish("left out", start_s=turn, end_s=turn + span, reason="x")], ())

    def decide(turn: int) -> None:
        wish = Wish("left out", start_s=turn * span / 10, end_s=turn * span / 10 + span, reason=f"x {turn}")
        deciding.decide(db, row.id or 0, row.review_version, [wish])

    first = statistics.median(spent(cold, 3))
    warm, decided = spent(preview, TIMES), spent(decide, 9)
    size = recordings.size_of(recordings.recording_of(db, row)) / 1e6
    line(
        f"{kind}, {row.length_s / 3600:.1f} h, {size:.1f} MB of samples",
        f"preview {1000 * statistics.median(warm):6.1f} ms, p95 {1000 * p95(warm):6.1f} ms ({p95(warm) / PREVIEW_S:5.2f} of the limit); "
        f"decision kept {1000 * statistics.median(decided):6.1f} ms; cold {1000 * first:6.1f} ms",
    )


def register(db: Db, count: int) -> None:
    """So many sessions over nine kinds, each with the figures of its kind, listed by one of them."""
    keys = {}
    for kind in KINDS:
        keys[kind] = [key for key, _, _ in session_list.figures_of(db, kind)][:12]
    began = time.perf_counter()
    for kind in KINDS:
        db.connection().execute(
            text(
                "insert into session (serial, recorder_session, sha256, kind, state, started_at, utc_offset_min, length_s, size, "
                "received, trouble, wish, aside, clock_shift_s, note, head, review_version, figures, failure, verdict, "
                "verdict_step, key_figure) select 'B-' || :kind, g::text, sha256(g::text::bytea), :kind, 'stored', "
                "now() - make_interval(mins => g), 60, 3600, 1000, 1000, '', '{}', '', 0, '', '{}', 0, 'assessed', '', "
                "'within', '', '' from generate_series(1, :count) g"
            ),
            {"kind": kind, "count": count // len(KINDS)},
        )
        for key in keys[kind]:
            db.connection().execute(
                text(
                    "insert into figure_value (session_id, key, value, unit, coverage, verdict, method, kind) "
                    "select id, cast(:key as varchar), (hashtext(id::text || cast(:key as text)) & 65535) / 7.0, 'x', 1, '', :method, cast(:kind as varchar) "
                    "from session where serial = 'B-' || cast(:kind as text)"
                ),
                {"key": key, "kind": kind, "method": f"{kind} 1"},
            )
    db.commit()
    for table in ("session", "figure_value"):
        db.connection().execute(text(f"analyze {table}"))
    rows = (
        db.connection()
        .execute(text("select (select count(*) from session), (select count(*) from figure_value)"))
        .one()
    )
    line(f"register: {rows[0]:,} sessions, {rows[1]:,} figures", f"made in {time.perf_counter() - began:.0f} s")
    wishes: dict[str, Callable[[str, str], session_list.Filter]] = {
        "by a figure, falling": lambda kind, key: session_list.Filter(figure=key, sort="figure"),
        "by a figure of one kind, rising": lambda kind, key: session_list.Filter(
            kind=kind, figure=key, sort="figure", falling=False
        ),
        "one kind, a figure above a number": lambda kind, key: session_list.Filter(
            kind=kind, figure=key, at_least=9000.0
        ),
    }
    for words, make in wishes.items():
        times = []
        for kind, found in keys.items():
            for key in found[:4]:
                times += spent(lambda _, f=make(kind, key): session_list.list_sessions(db, f, 50), 3)
        times.sort()
        line(
            f"  {words}, first 50",
            f"{1000 * statistics.median(times):6.1f} ms, p95 {1000 * p95(times):6.1f} ms ({p95(times) / PAGE_S:.2f} of the limit)",
        )


def main() -> None:
    test = DatabaseTest()
    test.setUp()
    try:
        for kind in KINDS:
            of_kind(test.db, kind)
        register(test.db, int(sys.argv[1]) if len(sys.argv) > 1 else 300_000)
    finally:
        test.doCleanups()
        tear_down()


if __name__ == "__main__":
    main()
