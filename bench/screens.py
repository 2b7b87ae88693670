"""What a person waits for, in headless Chromium against a server of its own: `./kumpel bench screens [HOURS]`.

Script of each screen (gzipped), the first figure of a session that the server has never read and of one it has, a decision of every
kind from the click to the figures on the screen, requests of an idle browser a minute, and frames while panning six lanes over
a night at 1 kHz beside an empty canvas in the same run.
"""

from __future__ import annotations

import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import httpx
from playwright.sync_api import Page, Request
from tests import support
from tests.web.browser import browser

from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.signals import SIGNALS

FIRST_SCREEN_KB, IDLE_REQUESTS = 150.0, 6
FRAMES = """() => new Promise(done => {
    const times = []; let last = performance.now();
    const tick = now => { times.push(now - last); last = now; times.length < 120 ? requestAnimationFrame(tick) : done(times); };
    requestAnimationFrame(tick);
})"""
EMPTY = """() => { const c = document.createElement('canvas'); c.id = 'empty'; c.width = 1280; c.height = 400;
    document.body.replaceChildren(c); }"""


class _Server(support.ServerTest):
    watch = "0"

    def runTest(self) -> None: ...


def line(what: str, words: str) -> None:
    print(f"{what:<58} {words}", flush=True)


def six_lanes(folder: Path, hours: float) -> Path:
    """A night of six channels at 1 kHz, written by another process."""
    path = folder / "night.krec"
    code = f"""
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
import numpy as np
from kumpel.core.recording import Channel
from kumpel.formats import files
from kumpel.standins.jaw_muscle_signal import make, usual_night
night = make(usual_night(3, {hours} * 3600)).recording
at = np.arange(night.channels['ecg'].count) * 0.001
more = {{f'extra.{{i}}': Channel(f'extra.{{i}}', f'Extra {{i}}', 'uV', 0.001, np.rint(90 * np.sin(at / (7.0 + i)) + 20 * np.sin(at * (300 + i)))) for i in range(3)}}
files.write(replace(night, channels=dict(night.channels) | more), Path({str(path)!r}))
"""
    subprocess.run([sys.executable, "-c", code], check=True)
    return path


def main() -> None:
    hours = float(sys.argv[1]) if len(sys.argv) > 1 else 8.0
    case = _Server()
    case.setUp()
    try:
        ids = {kind: stored(case, kind) for kind in KINDS}
        with tempfile.TemporaryDirectory() as folder:
            client = httpx.Client(base_url=case.address, timeout=240)
            client.post("/api/sign-in", json={"login": "officer", "password": "long enough"}).raise_for_status()
            path = six_lanes(Path(folder), hours)
            answer = client.post("/api/files", params={"name": path.name}, content=path.open("rb"))
            night = int(answer.raise_for_status().json()["id"])
            case.eventually(lambda: client.get(f"/api/sessions/{night}").json()["figures"] == "assessed", 240)
        scripts(case, ids)
        first_figures(case, ids["noise"])
        for kind, session_id in ids.items():
            decision(case, kind, session_id)
        idle(case)
        frames(case, night, hours)
    finally:
        case.doCleanups()
        support.tear_down()


def stored(case: _Server, kind: str) -> int:
    recording = (
        make_night(Night(2, 1800.0, groups=usual_groups(2, 1800.0, 40))).recording
        if kind == "jaw_muscle"
        else SIGNALS[kind](2).recording
    )
    return case.stored(krec.write_recording(recording)).id or 0


def fresh(case: _Server) -> Page:
    """A page with nothing cached, signed in."""
    context = browser().new_context(viewport={"width": 1280, "height": 800}, locale="en-GB")
    context.request.post(f"{case.address}/api/sign-in", data={"login": "officer", "password": "long enough"})
    return context.new_page()


def scripts(case: _Server, ids: dict[str, int]) -> None:
    places = {"first screen (take in)": "/take-in"} | {f"review, {k}": f"/review/{i}" for k, i in ids.items()}
    for name, path in places.items():
        page = fresh(case)
        page.goto(case.address + path)
        page.wait_for_load_state("networkidle")
        sizes = page.evaluate(
            "performance.getEntriesByType('resource').filter(r => r.name.endsWith('.js')).map(r => r.encodedBodySize)"
        )
        kb = sum(sizes) / 1000
        limit = f" ({kb / FIRST_SCREEN_KB:.2f} of {FIRST_SCREEN_KB:.0f} kB)" if path == "/take-in" else ""
        line(f"script, gzipped, {name}", f"{kb:6.1f} kB in {len(sizes)} files{limit}")
        page.context.close()


def first_figures(case: _Server, session_id: int) -> None:
    """From the address to the first figure: of a server that has just started, then again."""
    case.stop_server()
    case.start_server()
    for name, times in (
        ("cold (server just started, nothing cached)", 1),
        ("warm server, nothing cached in the browser", 5),
    ):
        spent = []
        for _ in range(times):
            page = fresh(case)
            began = time.perf_counter()
            page.goto(f"{case.address}/review/{session_id}")
            page.locator("[title='Why this number?']").first.wait_for()
            spent.append(time.perf_counter() - began)
            page.context.close()
        line(f"first figure, {name}", f"{1000 * statistics.median(spent):6.0f} ms")
    page = fresh(case)
    page.goto(f"{case.address}/review/{session_id}")
    page.locator("[title='Why this number?']").first.wait_for()
    spent = []
    for _ in range(5):
        page.keyboard.press("2")
        page.wait_for_timeout(300)
        began = time.perf_counter()
        page.keyboard.press("3")
        page.locator("[title='Why this number?']").first.wait_for()
        spent.append(time.perf_counter() - began)
    line("first figure, from another screen of the same page", f"{1000 * statistics.median(spent):6.0f} ms")
    page.context.close()


WATCHED = """([selector, words, count]) => {
    window.began_ = null;
    window.painted_ = null;
    const begin = () => { window.began_ ??= performance.now(); };
    for (const kind of ['click', 'keydown']) window.addEventListener(kind, begin, {capture: true, once: true});
    const there = () => [...document.querySelectorAll(selector)].filter(e => e.textContent.includes(words)).length >= count;
    const look = new MutationObserver(() => {
        if (window.began_ === null || !there()) return;
        look.disconnect();
        requestAnimationFrame(() => setTimeout(() => { window.painted_ = performance.now(); }));
    });
    look.observe(document.body, {subtree: true, childList: true, attributes: true, characterData: true});
}"""
"""Measured where it happens: whoever looks from outside does so every tenth of a second."""


MOST_LOOKS = 500


def timed(page: Page, shows: tuple[str, str, int], press: Callable[[], None]) -> float:
    """Seconds from a press to the frame in which so many elements (a selector, the words in them) are on the page."""
    page.evaluate(WATCHED, list(shows))
    press()
    for _ in range(MOST_LOOKS):
        if page.evaluate("window.painted_ !== null"):
            break
        page.wait_for_timeout(20)
    else:
        raise TimeoutError(f"{shows} did not come")
    return float(page.evaluate("window.painted_ - window.began_")) / 1000


def decision(case: _Server, kind: str, session_id: int) -> None:
    """From the press on a reason, or on “Leave out”, to the new figures on the screen."""
    page = fresh(case)
    page.goto(f"{case.address}/review/{session_id}")
    page.locator("[title='Why this number?']").first.wait_for()
    left_out = {"blood_pressure": reading_left_out, "vehicle": lap_left_out}.get(kind, stretch_left_out)
    spent = [left_out(page, turn) for turn in range(7)]
    line(
        f"a decision to the screen, {kind}",
        f"{1000 * statistics.median(spent):6.0f} ms, most {1000 * max(spent):.0f} ms",
    )
    page.context.close()


def reading_left_out(page: Page, turn: int) -> float:
    for key in ("ArrowDown", "ArrowDown", "x"):
        page.keyboard.press(key)
    page.wait_for_timeout(200)
    return timed(page, ("tr", "left out: walking", turn + 1), lambda: page.keyboard.press("4"))


def lap_left_out(page: Page, turn: int) -> float:
    """Of a drive laps are left out: one after the other."""
    page.locator(f"tr[data-lap='{turn + 2}']").click()
    page.keyboard.press("x")
    page.wait_for_timeout(200)
    reason = page.get_by_role("form").get_by_role("button", name="spun")
    return timed(page, ("button", f"{turn + 1} left out", 1), reason.click)


def stretch_left_out(page: Page, turn: int) -> float:
    page.get_by_role("button", name="type a stretch instead of dragging").click()
    dialog = page.get_by_role("dialog")
    dialog.get_by_label("Why?").fill(f"reason {turn}")
    page.wait_for_timeout(200)
    leave_out = dialog.get_by_role("button", name="Leave out", exact=True)
    return timed(page, (f"[aria-label='Change reason {turn}']", "", 1), leave_out.click)


def idle(case: _Server) -> None:
    page = fresh(case)
    page.goto(f"{case.address}/take-in")
    page.wait_for_load_state("networkidle")
    asked: list[Request] = []
    page.on("request", lambda request: asked.append(request))
    page.wait_for_timeout(60_000)
    line(
        "requests of an idle browser in a minute",
        f"{len(asked):3d} ({len(asked) / IDLE_REQUESTS:.2f} of {IDLE_REQUESTS})",
    )
    page.context.close()


def frames(case: _Server, night: int, hours: float) -> None:
    page = fresh(case)
    page.goto(f"{case.address}/review/{night}")
    page.locator("[title='Why this number?']").first.wait_for()
    page.wait_for_load_state("networkidle")
    box = page.get_by_role("application").bounding_box()
    assert box is not None
    middle = (box["x"] + 420, box["y"] + 120)
    page.mouse.move(*middle)
    for _ in range(8):
        page.mouse.wheel(0, -60)
    page.wait_for_timeout(600)
    lanes = page.locator("[role='application'] button[aria-pressed]").count()
    panned = drag(page, middle)
    line(f"panning {lanes} lanes, {hours:g} h at 1 kHz", described(panned))
    page.evaluate(EMPTY)
    still = drag(page, middle)
    line("the same drag over an empty canvas", described(still))
    ratio = statistics.median(panned) / statistics.median(still)
    line("ratio of the medians", f"{ratio:.2f}")
    page.context.close()


def drag(page: Page, at: tuple[float, float]) -> list[float]:
    page.keyboard.down("Shift")
    page.mouse.move(*at)
    page.mouse.down()
    page.evaluate(f"window.frames_ = ({FRAMES})()")
    for step in range(90):
        offset = step if step < 45 else 90 - step
        page.mouse.move(at[0] + 4 * offset, at[1])
    times: list[float] = page.evaluate("window.frames_")
    page.mouse.up()
    page.keyboard.up("Shift")
    return times[2:]


def described(times: list[float]) -> str:
    rising = sorted(times)
    return (
        f"{1000 / statistics.mean(times):4.0f} frames a second, p50 {statistics.median(times):.1f} ms, "
        f"p95 {rising[int(0.95 * len(rising))]:.1f} ms"
    )


if __name__ == "__main__":
    main()
