"""Measures the budgets: `./kumpel bench measure`. Prints ratios against a peer or a limit of the same run."""

from __future__ import annotations

import gzip
import hashlib
import json
import statistics
import time
from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

import numpy as np
import psycopg
from sqlmodel import Session as Db
from sqlmodel import col, select
from tests import support

from kumpel.config import ROOT
from kumpel.core.review import Review, Stretch
from kumpel.formats import krec
from kumpel.kinds.registry import kind_of
from kumpel.link.messages import Piece
from kumpel.reports import pages
from kumpel.reports.document import Document
from kumpel.services.ground import figures, recordings
from kumpel.services.report import paper, reports
from kumpel.services.take_in import take_in
from kumpel.services.take_in.arrival import Arrival
from kumpel.standins.devices import noise
from kumpel.store import database
from kumpel.store.tables import Session


def best(work: Callable[[], Any], times: int = 7) -> tuple[float, float]:
    """Fastest and median seconds."""
    spent = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        spent.append(time.perf_counter() - began)
    return min(spent), statistics.median(spent)


def line(what: str, text: str) -> None:
    print(f"{what:<58} {text}", flush=True)


def shift(seed: int, session: str) -> bytes:
    head = {
        "session": session,
        "start": 1_795_000_000.0,
        "utc_offset_min": 60,
        "length_s": 28_800,
        "setup": noise.FACTORY_SETUP,
        "slip": {},
        "recorder": {"serial": "NM-BENCH", "name": "n", "token": "N", "model": "m", "firmware": "1"},
    }
    return noise.make_file(head, {"seed": seed})


def large(megabytes: int) -> bytes:
    """A file of about so many megabytes: three channels at 1 kHz that pack badly."""
    rng = np.random.default_rng(1)
    units = {"emg.left": "uV", "emg.right": "uV", "ecg": "mV"}
    channels = tuple(krec.ChannelHead(k, k, unit, 0.001, "i16", 0.01, 0.0, -32768) for k, unit in units.items())
    head = krec.Head("jaw_muscle", f"LARGE-{megabytes}", 1_795_000_000.0, 60, {"serial": "NM-BENCH"}, {}, channels)
    count = megabytes * 1_000_000 // 6
    return krec.write(head, {c.key: rng.uniform(-320, 320, count) for c in channels})


def copy_seconds(url: str, data: bytes) -> float:
    """Plain COPY of the same bytes, in rows of 128 KiB, committed."""
    rows = [data[i : i + 131_072] for i in range(0, len(data), 131_072)]

    def once() -> None:
        with psycopg.connect(database.plain_url(url)) as connection, connection.cursor() as cursor:
            cursor.execute("drop table if exists plain_copy")
            cursor.execute("create table plain_copy (at int, item bytea)")
            cursor.execute("alter table plain_copy alter column item set storage external")
            with cursor.copy("copy plain_copy from stdin (format binary)") as copy:
                copy.set_types(["int4", "bytea"])
                for at, row in enumerate(rows):
                    copy.write_row((at, row))

    return best(once, 3)[0]


def take_in_seconds(db: Db, data: bytes) -> float:
    """From the first byte to the stored session, in pieces of 1 MiB as over the link, without the link itself."""
    checker = krec.Checker()
    pieces, start, end = [], 0, 0
    for item in krec.read_items(data):
        checker.take(item)
        if item.end - start > 1_048_576 and end > start:
            pieces.append((start, end))
            start = end
        end = item.end
    pieces.append((start, end))
    session = Session(
        serial="NM-BENCH", recorder_session=hashlib.sha256(data).hexdigest()[:20], sha256=checker.digest, kind=checker.head.kind if checker.head else "",
        started_at=datetime(2026, 11, 20, tzinfo=UTC),
        size=len(data), aside="bench",
    )  # fmt: skip
    db.add(session)
    db.commit()
    began = time.perf_counter()
    arrival = Arrival(db, session)
    arrival.take(Piece(offset=start, next=end, items=data[start:end]) for start, end in pieces)
    arrival.finish()
    return time.perf_counter() - began


def over_the_link(test: support.MeterTest, data: bytes) -> float:
    """The same through a simulated recorder, a process of its own, over TCP."""
    state = json.loads((test.meter.folder / "state.json").read_text())
    name = f"B{len(data)}"
    (test.meter.folder / "sessions" / f"{name}.krec").write_bytes(data)
    state["sessions"][name] = {
        "start": 1_795_000_000.0, "length_s": 28_800.0, "about": "", "size": len(data), "sha256": hashlib.sha256(data).hexdigest(),
    }  # fmt: skip
    test.meter.tell("set", sessions=state["sessions"])
    recorder = test.seen()
    ids = take_in.begin(test.db, [take_in.Wish(recorder.id or 0, name)], test.who, lambda i: None)
    began = time.perf_counter()
    assert take_in.run(database.engine(test.url), ids[0])
    return time.perf_counter() - began


def rename(data: bytes, serial: str) -> bytes:
    """The same recording from another recorder."""
    recording = [*krec.read_items(data)]
    head = recording[0].content
    assert isinstance(head, krec.Head)
    writer = krec.Writer(krec.Head(head.kind, head.session, head.start, head.utc_offset_min, {**head.recorder, "serial": serial},
                                   head.setup, head.channels))  # fmt: skip
    parts = [writer.head()]
    for item in recording[1:]:
        if isinstance(item.content, krec.Block):
            block = item.content
            parts.append(writer.block(block.channel, krec.unpack(block, head.channels[block.channel])))
        elif isinstance(item.content, krec.Tail):
            parts.append(writer.tail())
    return b"".join(parts)


def script_size() -> None:
    assets = sorted((ROOT / "web" / "dist" / "assets").glob("*.js"))
    sizes = {p.name.split("-")[0]: len(gzip.compress(p.read_bytes(), 9)) for p in assets}
    first = sum(v for k, v in sizes.items() if k in ("index", "basics", "format", "TakeIn", "kinds", "person"))
    line("script gzipped, all", f"{sum(sizes.values()) / 1000:.0f} kB ({sum(sizes.values()) / 300_000:.2f} of 300 kB)")
    line("script gzipped, first screen (Take in)", f"about {first / 1000:.0f} kB")


def main() -> None:
    test = type("Bench", (support.MeterTest,), {"runTest": lambda self: None})()
    test.setUp()
    try:
        _measure(test)
    finally:
        test.doCleanups()
        support.tear_down()


def _measure(test: support.MeterTest) -> None:
    kind = kind_of("noise")
    data = shift(5, "S")
    recording = krec.read(data)
    decided = Review((Stretch(11_000, 11_300, "knocked"),), (Stretch(14_000, 18_000, "liner change"),))
    values = [c.values for c in recording.channels.values()]

    def one_pass() -> None:
        for each in values:
            np.nanmean(10 ** (each / 10))

    peer, _ = best(one_pass)
    found, median = best(lambda: kind.assess(recording, decided, kind.limit_sets[0]))
    line("assess 8 h x 3 set-ups, both ways (as recorded, as reviewed)", f"{found * 1000:.1f} ms best, {median * 1000:.1f} ms median; {found / peer:.1f} x one NumPy energy mean of every channel ({peer * 1000:.1f} ms)")  # fmt: skip
    line("read .krec of 8 h", f"{best(lambda: krec.read(data))[0] * 1000:.1f} ms for {len(data) / 1000:.0f} kB")

    plain = copy_seconds(test.url, data)
    taken = take_in_seconds(test.db, data)
    line("take-in of 8 h x 3 set-ups at 1 s (without the link)", f"{len(data) / taken / 1e6:.1f} MB/s, {taken * 1000:.0f} ms; plain COPY {len(data) / plain / 1e6:.1f} MB/s: {plain / taken:.0%} of its speed")  # fmt: skip
    linked = over_the_link(test, rename(data, "NM-000107"))
    line("  the same over the link, with assessment", f"{linked * 1000:.0f} ms")
    for megabytes in (50,):
        big = large(megabytes)
        plain = copy_seconds(test.url, big)
        taken = take_in_seconds(test.db, big)
        line(f"take-in of {len(big) / 1e6:.0f} MB (without the link)", f"{len(big) / taken / 1e6:.0f} MB/s; plain COPY {len(big) / plain / 1e6:.0f} MB/s: {plain / taken:.0%} of its speed (40 % wanted)")  # fmt: skip
        began = time.perf_counter()
        take_in.from_file(test.db, rename(big, "NM-000107"), None)
        line(
            "  the same as an uploaded file, with assessment",
            f"{len(big) / (time.perf_counter() - began) / 1e6:.1f} MB/s",
        )

    row = take_in.from_file(test.db, shift(6, "V"), None)
    keys = ["leq.1", "leq.2", "leq.3"]
    found, median = best(lambda: recordings.view(test.db, row, keys, 0, row.length_s, 1280, None), 15)
    line("view of 8 h, 3 channels, 1280 points, server", f"{found * 1000:.1f} ms best, {median * 1000:.1f} ms median; {median / 0.030:.2f} of the 30 ms limit")  # fmt: skip
    long = test.db.exec(select(Session).where(Session.length_s > 0).order_by(col(Session.size).desc())).first()
    assert long is not None
    test.db.refresh(long)
    keys = ["emg.left", "emg.right", "ecg"]
    found, median = best(lambda: recordings.view(test.db, long, keys, 0, long.length_s, 1280, None), 15)
    samples = int(long.length_s / 0.001) * 3
    line(f"view of {samples / 1e6:.0f} million samples, 3 channels, 1280 points", f"{found * 1000:.1f} ms best, {median * 1000:.1f} ms median; {median / 0.030:.2f} of the limit")  # fmt: skip
    part = long.length_s * 0.4
    found, median = best(lambda: recordings.view(test.db, long, keys, part, part + 60, 1280, None), 15)
    line("  one minute of it at 1 kHz", f"{median * 1000:.1f} ms median")

    options = reports.Options(kind.one_page)
    figures.assess(test.db, row)

    def document() -> Document:
        return paper.document(row.kind, paper.now_of(test.db, row, options.parts)[0], options.parts)

    made = document()
    found, median = best(lambda: pages.pdf(made), 15)
    line("PDF, one page, Typst alone", f"{median * 1000:.1f} ms median")
    found, median = best(lambda: pages.pdf(document()), 15)
    line(
        "PDF, one page, figures and pictures included",
        f"{median * 1000:.1f} ms median; {median / 0.060:.2f} of the 60 ms limit",
    )
    script_size()


if __name__ == "__main__":
    main()
