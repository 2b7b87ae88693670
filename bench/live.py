"""The wall while twenty recorders speak ten times a second: `./kumpel bench live [--short]`.

From a recorder's own note to the loud tile on the page (through link, server and page), what the server takes of a core, how the memory of
the browser grows, and how many links two browsers cost.
"""

from __future__ import annotations

import json
import statistics
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from playwright.sync_api import CDPSession, Page
from sqlmodel import select
from tests import support
from tests.web.browser import BrowserTest, browser

from kumpel.demo.ensemble import StandIn
from kumpel.kinds.registry import KINDS
from kumpel.store.tables import HandOver, Recorder, Setup

RECORDERS, HZ, ALARMS = 20, 10.0, 12
LIMIT_MS, LIMIT_CORE, LIMIT_MB = 1000.0, 25.0, 5.0
WATCHED_S, FILLS_S, SAMPLES = 300.0, 620.0, 6
LOUD = """(name) => new Promise(done => {
    const look = () => { const tile = [...document.querySelectorAll('li[data-standing=alarm]')].find(e => e.innerText.includes(name));
        if (tile) requestAnimationFrame(() => done(Date.now())); else requestAnimationFrame(look); };
    look();
})"""


def cpu_s(pid: int) -> float:
    """User and system seconds of a process and its children."""
    found = 0.0
    for each in Path("/proc").glob("[0-9]*/stat"):
        try:
            words = each.read_text().rpartition(")")[2].split()
        except OSError:
            continue
        if int(each.parent.name) == pid or int(words[1]) == pid:
            found += (int(words[11]) + int(words[12])) / 100
    return found


def heap_mb(session: CDPSession) -> float:
    """What the page's own heap holds when nothing more can be collected."""
    for _ in range(3):
        session.send("HeapProfiler.collectGarbage")
    return float(session.send("Runtime.getHeapUsage")["usedSize"]) / 1e6


class Live(BrowserTest):
    def runTest(self) -> None:
        ensemble = self.crew()
        page, other = self.plain_page(), self.plain_page()
        for each in (page, other):
            each.goto(f"{self.address}/wall")
            each.wait_for_function(
                f"() => document.querySelectorAll('li[data-standing=within]').length >= {min(RECORDERS, 12)}",
                timeout=60_000,
            )
        self.cost(page)
        self.latency(page, ensemble)

    def crew(self):  # type: ignore[no-untyped-def]
        folder = Path(tempfile.mkdtemp(prefix="kumpel-live-"))
        gas = [
            ("co", "ppm", 3.0),
            ("h2s", "ppm", 0.3),
            ("no2", "ppm", 0.05),
            ("o2", "vol %", 20.9),
            ("lel", "% LEL", 0.2),
        ]
        model = KINDS["gas"].setup_model().model_dump(mode="json")
        channels = [
            {"key": f"{key}.avg", "name": key, "unit": unit, "interval_s": 1 / HZ, "level": level, "swing": 0.01}
            for key, unit, level in gas
        ]
        declared = folder / "gas.json"
        declared.write_text(json.dumps({"kind": "gas", "model": "made up", "setup": model, "channels": channels}))
        crew = [
            StandIn(f"G-{n:02d}", f"GM-{n:06d}", f"Gas monitor {n}", kind="gas", auto_start=False, declaration=declared)
            for n in range(1, RECORDERS + 1)
        ]
        ensemble = self.launch(*crew, time_factor=1.0)
        for each in crew:
            self.eventually(lambda each=each: self.known(each.serial) is not None, 60)
            recorder = self.known(each.serial)
            setup = Setup(kind="gas", name="x", settings=model)
            self.db.add(setup)
            self.db.flush()
            person = self.person(f"Person {each.token[2:]}")
            self.db.add(HandOver(recorder_id=recorder.id or 0, person_id=person.id or 0, setup_id=setup.id or 0))
            self.db.commit()
            ensemble.running[each.token].tell("set", recording={"id": f"{each.serial}-1", "since": time.time() - 600})
        return ensemble

    def known(self, serial: str) -> Recorder:
        self.db.rollback()
        return self.db.exec(select(Recorder).where(Recorder.serial == serial, Recorder.in_reach)).first()  # type: ignore[return-value]

    def plain_page(self) -> Page:
        """A page with nothing of the tests in it: what they note of each state is memory as well."""
        context = browser().new_context(viewport={"width": 1280, "height": 800})
        self.addCleanup(context.close)
        return self.sign_in(context.new_page())

    def cost(self, page: Page) -> None:
        session = page.context.new_cdp_session(page)
        # Ten minutes are kept of each: until they are full the page grows by them.
        time.sleep(FILLS_S)
        began, used = time.monotonic(), cpu_s(self.server.pid)
        seen = [(0.0, heap_mb(session))]
        for _ in range(SAMPLES):
            time.sleep(WATCHED_S / SAMPLES)
            seen.append((time.monotonic() - began, heap_mb(session)))
        spent = time.monotonic() - began
        core = 100 * (cpu_s(self.server.pid) - used) / spent
        print(
            f"{RECORDERS} recorders at {HZ:.0f} Hz, two browsers: {core:.1f} % of a core ({core / LIMIT_CORE:.2f} of {LIMIT_CORE:.0f} %)"
        )
        grown = 3600 * float(np.polyfit([at for at, _ in seen], [mb for _, mb in seen], 1)[0])
        held = ", ".join(f"{mb:.2f}" for _, mb in seen)
        print(
            f"memory of the page: {grown:+.1f} MB an hour, a line through {held} MB in {spent:.0f} s ({grown / LIMIT_MB:.2f} of {LIMIT_MB:.0f} MB)",
            flush=True,
        )

    def latency(self, page: Page, ensemble) -> None:  # type: ignore[no-untyped-def]
        spent = []
        for n in range(ALARMS):
            token, name = f"G-{n + 1:02d}", f"Person {n + 1:02d}"
            wait = page.evaluate_handle(f"() => {{ window.loud = ({LOUD})({name!r}); }}")
            wait.dispose()
            # The stand-in speaks each tenth of a second from when it is told: its own note comes after this.
            began = time.time()
            ensemble.running[token].tell("set", raw={"co.avg": 300.0})
            spent.append(1000 * (page.evaluate("() => window.loud") / 1000 - began))
            page.wait_for_timeout(300)
        ms = sorted(spent)
        high = ms[int(0.95 * len(ms))]
        print(
            f"from the sensor's step to the loud tile, {len(ms)} times: median {statistics.median(ms):.0f} ms, p95 {high:.0f} ms "
            f"({high / LIMIT_MS:.2f} of {LIMIT_MS:.0f} ms; the recorder's own tenth of a second is in it)",
            flush=True,
        )


if __name__ == "__main__":
    import unittest

    if "--short" in sys.argv:
        WATCHED_S, FILLS_S = 20.0, 5.0
    unittest.TextTestRunner().run(unittest.TestSuite([Live()]))
    support.tear_down()
