"""Blood pressure, measured: from a handle to the figures and to the moved line, pages in every form, two hundred patients in one go.

`./kumpel bench pressure`; a server of its own, on loopback. Limits of the product stand beside each figure.
"""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial

import httpx
from tests import support
from tests.web.browser import BrowserTest

from kumpel.services.ground import figures, people
from kumpel.services.ground.decisions import Wish
from kumpel.services.report import conclusions, issued, reports
from kumpel.services.review import deciding
from kumpel.services.take_in import take_in
from kumpel.standins.blood_pressure_signal import make, usual_day
from kumpel.standins.made import as_file
from kumpel.store.tables import Session

PATIENTS, DRAGS, TIMES = 200, 60, 20
ABOUT = {"serial": "BP-1", "name": "Cuff recorder", "token": "C-01", "model": "BP-24", "firmware": "3.0.1"}


def timed(work: Callable[[], object], times: int) -> list[float]:
    """Milliseconds of each of several runs, after one that warms up."""
    work()
    found = []
    for _ in range(times):
        began = time.perf_counter()
        work()
        found.append(1000 * (time.perf_counter() - began))
    return sorted(found)


def said(what: str, ms: list[float], limit: float | None) -> None:
    middle, high = statistics.median(ms), ms[min(int(0.95 * len(ms)), len(ms) - 1)]
    beside = "" if limit is None else f"   limit {limit:.0f} ms: {high / limit:.2f} of it at p95"
    print(f"  {what:<52} median {middle:7.1f} ms, p95 {high:7.1f} ms{beside}", flush=True)


class Pressure(BrowserTest):
    watch = "0"

    def runTest(self) -> None:
        sessions = [self.recorded(n) for n in range(PATIENTS)]
        self.handles(sessions[0])
        self.lines(sessions[0])
        self.pages(sessions[0])
        self.batch(sessions)

    def recorded(self, n: int) -> Session:
        start = datetime(2026, 10, 1, 9, 20, tzinfo=UTC).timestamp() + n
        person = people.create_person(self.db, f"Patient {n}", number=f"B-{n:04d}")
        made = make(usual_day(n))
        row = take_in.from_file(self.db, as_file(made, f"B{n}", start, 60, ABOUT), self.who, {"person_id": person.id})
        figures.assess(self.db, row)
        self.db.commit()
        return row

    def handles(self, row: Session) -> None:
        """A handle of sleep that moves: the server's answer with every figure, over loopback."""
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        [sleep] = found.both.reviewed.stretches
        with httpx.Client(base_url=self.address) as client:
            client.post("/api/sign-in", json={"login": "officer", "password": "long enough"})
            step = iter(range(10_000))

            def drag() -> None:
                moved = {"what": "asleep", "start_s": sleep.start_s + 30 * next(step), "end_s": sleep.end_s}
                answer = client.post(f"/api/sessions/{row.id}/preview", json={"add": [moved]})
                assert answer.status_code == 200, answer.text

            said("handle of sleep to all figures (HTTP)", timed(drag, DRAGS), 50)
            limits = {"add": [], "limit_set_id": None}
            said(
                "what-if, nothing changed (HTTP)",
                timed(lambda: client.post(f"/api/sessions/{row.id}/preview", json=limits), DRAGS),
                50,
            )

    def lines(self, row: Session) -> None:
        """In the browser: from the pointer to the drawn line, and to the figures."""
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        page.get_by_role("region", name="Readings", exact=True).wait_for()
        page.wait_for_timeout(1500)
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        [sleep] = found.both.reviewed.stretches
        canvas = page.get_by_role("application").locator("canvas")
        box = canvas.bounding_box()
        assert box is not None
        x = box["x"] + 40 + sleep.start_s / row.length_s * (box["width"] - 74)
        took = page.evaluate(
            """async ([x, y]) => {
                const box = document.querySelector('[role=application]');
                const card = document.querySelector('[title="Why this number?"]').parentElement;
                const fire = (kind, at) => box.dispatchEvent(new PointerEvent(kind, {clientX: at, clientY: y, pointerId: 1,
                    pointerType: 'mouse', button: 0, buttons: 1, bubbles: true}));
                box.setPointerCapture = () => {};
                fire('pointerdown', x);
                const line = [], figures = [];
                // The grips are painted last: then the line stands where the pointer is.
                let painted = 0;
                const paint = CanvasRenderingContext2D.prototype.roundRect;
                CanvasRenderingContext2D.prototype.roundRect = function (...args) {
                    paint.apply(this, args);
                    painted = performance.now();
                };
                for (let i = 1; i <= 40; i++) {
                    const began = performance.now();
                    const changed = new Promise((done) => {
                        const watch = new MutationObserver(() => { watch.disconnect(); done(performance.now() - began); });
                        watch.observe(card, {subtree: true, childList: true, characterData: true});
                        setTimeout(() => { watch.disconnect(); done(null); }, 1000);
                    });
                    fire('pointermove', x + i * 2);
                    const frame = await new Promise((r) => requestAnimationFrame(r));
                    await new Promise((r) => setTimeout(r));
                    if (painted > began) line.push(painted - Math.max(began, Math.min(frame, painted)));
                    const ms = await changed;
                    if (ms !== null) figures.push(ms);
                    await new Promise((r) => setTimeout(r, 60));
                }
                fire('pointercancel', x);
                return {line, figures};
            }""",
            [x, box["y"] + 120],
        )
        said("painting the moved line, within its frame (browser)", sorted(took["line"]), 16)
        said("pointer to changed figures (browser)", sorted(took["figures"]), None)
        print(f"    painted in the first frame after the pointer: {len(took['line'])} of 40 times", flush=True)

    def pages(self, row: Session) -> None:
        session = self.db.get_one(Session, row.id)
        if session.signed_at is None:
            spoilt = figures.outcome(self.db, row.id or 0)
            assert spoilt is not None
            out = [
                Wish("dropped", f"reading@{s.start_s:.1f}", value=0.0, reason="implausible")
                for s in spoilt.both.reviewed.suggestions
            ]
            session = deciding.decide(self.db, row.id or 0, session.review_version, out, (), self.who)
            conclusions.conclude(self.db, row.id or 0, "Too high by day.", self.who)
            conclusions.sign(self.db, row.id or 0, session.review_version, self.who)
        every, concise = reports.choices("blood_pressure")
        self.of_length(row, "concise", concise, 60)
        self.of_length(row, "full", tuple(every), None)

    def of_length(self, row: Session, name: str, parts: tuple[str, ...], limit: float | None) -> None:
        wish = reports.Options(parts)
        said(f"{name}: preview of the pages", timed(partial(reports.preview, self.db, row.id or 0, wish), TIMES), limit)
        said(
            f"{name}: issued as PDF and frozen",
            timed(partial(reports.issue, self.db, row.id or 0, wish, self.who), TIMES),
            None,
        )
        report = reports.issue(self.db, row.id or 0, wish, self.who)
        for form in issued.FORMS[1:]:
            said(f"{name}: {form} of the issued report", timed(partial(issued.file_of, report, form), TIMES), None)

    def batch(self, sessions: list[Session]) -> None:
        for row in sessions[1:]:
            fresh = self.db.get_one(Session, row.id)
            conclusions.sign(self.db, row.id or 0, fresh.review_version, self.who)
        _, concise = reports.choices("blood_pressure")
        began = time.perf_counter()
        for row in sessions:
            reports.issue(self.db, row.id or 0, reports.Options(concise), self.who)
        took = time.perf_counter() - began
        print(
            f"  {PATIENTS} patients' concise reports, issued: {took:.1f} s   limit 20 s: {took / 20:.2f} of it",
            flush=True,
        )


def main() -> None:
    import unittest

    result = unittest.TextTestRunner(verbosity=0).run(Pressure())
    support.tear_down()
    raise SystemExit(not result.wasSuccessful())


if __name__ == "__main__":
    main()
