"""From the cable to "where did I lose time": seconds on the screen, in headless Chromium against a server of its own.

A simulated logger holds two drives of half an hour. The first is the first that this server reads (cold), the second comes when it has
read one (warm). The peer is the very work of the core, done alone in this process: laps, list, nothing else. `./kumpel bench cable`.
"""

from __future__ import annotations

import re
import time

from playwright.sync_api import Page, expect
from tests import support
from tests.web.browser import browser

from kumpel.core.laps_wish import LapsWish
from kumpel.core.recording import Recording
from kumpel.core.review import Review
from kumpel.core.vehicle.lap_view import lap_sheet
from kumpel.demo.ensemble import StandIn
from kumpel.services.ground.recordings import recording_of
from kumpel.store.tables import Session

LENGTH_S = 1800


class _Server(support.ServerTest):
    def runTest(self) -> None: ...


def signed_in(server: _Server) -> Page:
    page = browser().new_page(viewport={"width": 1280, "height": 800})
    page.goto(server.address)
    page.get_by_label("Sign-in name").fill("officer")
    page.get_by_label("Password").fill("long enough")
    page.get_by_role("button", name="Sign in").click()
    page.get_by_role("navigation", name="The line").wait_for()
    return page


def taken_in(page: Page, server: _Server) -> tuple[float, float, float]:
    """Seconds from the press on Take in to the best lap in the row, from the press on review to the list, and for another lap."""
    page.goto(f"{server.address}/take-in")
    button = page.get_by_role("button", name=re.compile("^Take in all 1"))
    button.wait_for(timeout=60_000)
    known = page.get_by_role("link", name="review", exact=True).count()
    began = time.monotonic()
    button.click()
    rows = page.get_by_role("row").filter(has_text=re.compile(r"best \d"))
    expect(rows).to_have_count(known + 1, timeout=120_000)
    stored = time.monotonic()
    rows.first.get_by_role("link", name="review", exact=True).click()
    lost = page.get_by_role("region", name="Time lost")
    expect(lost).to_contain_text(re.compile(r"Corner \d+, (entry|exit)"), timeout=60_000)
    listed = time.monotonic()
    page.locator("tr[data-lap='3']").click()
    page.keyboard.press("c")
    expect(lost).to_contain_text("on lap 3 against")
    return stored - began, listed - stored, time.monotonic() - listed


def alone(recording: Recording) -> float:
    began = time.monotonic()
    lap_sheet(recording, Review(), LapsWish())
    return time.monotonic() - began


def main() -> None:
    server = _Server()
    server.setUp()
    try:
        ensemble = server.launch(StandIn("V-02", "VL-000204", "Logger 2", kind="vehicle", auto_start=False))
        page = signed_in(server)
        print(f"{'half an hour':<14} {'taken in, s':>12} {'list, s':>9} {'another lap, s':>15}   channels, core alone")
        for turn, words in enumerate(("cold", "warm")):
            start = time.time() - 9000 + turn * 3600
            ensemble.running["V-02"].tell("record", start=start, length_s=LENGTH_S, seed=5 + turn)
            stored, listed, other = taken_in(page, server)
            server.db.expire_all()
            row = server.db.get_one(Session, turn + 1)
            recording = recording_of(server.db, row)
            peer = alone(recording)
            ratio = listed / peer
            print(
                f"{words:<14} {stored:>12.2f} {listed:>9.2f} {other:>15.2f}   {len(recording.channels)}, {peer:.2f} s, {ratio:.1f} times"
            )
        page.close()
    finally:
        server.doCleanups()
        support.tear_down()


if __name__ == "__main__":
    main()
