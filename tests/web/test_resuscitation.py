"""A case on its own sheet: the strip to scale, moved by keys and by what happened; from the reader to the page for the crew without a name."""

from __future__ import annotations

import io
import re
import time

import pypdf
from playwright.sync_api import Page, expect
from sqlmodel import select

from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.services.ground import figures
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Report, Session
from tests.web.browser import BrowserTest
from tests.web.test_tasks import COUNT


def seconds(words: str) -> tuple[int, int]:
    """From and to of "1:58 to 2:07 of 9:16"."""
    found = re.search(r"(\d+):(\d\d) to (\d+):(\d\d) of", words)
    assert found is not None, words
    a, b, c, d = map(int, found.groups())
    return 60 * a + b, 60 * c + d


class Case(BrowserTest):
    watch = "0"

    def open(self) -> tuple[Page, Session, list[float]]:
        made = SIGNALS["resuscitation"](3).recording
        row = self.stored(krec.write_recording(made))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("region", name="ECG to scale")).to_be_visible()
        return page, row, [event.at_s for event in made.events if event.code == "shock"]

    def test_the_strip_goes_where_something_happened_and_a_card_sets_its_scale(self) -> None:
        page, row, shocks = self.open()
        strip = page.get_by_role("region", name="ECG to scale")
        from_s, to_s = seconds(strip.inner_text())
        self.assertTrue(from_s <= shocks[0] <= to_s, "the first shock is looked at first")
        strip.get_by_role("application").focus()
        for at in (shocks[1] - 2, shocks[1]):
            page.keyboard.press("n")
            expect(strip).to_contain_text(f"{int(at // 60)}:")
        from_s, to_s = seconds(strip.inner_text())
        self.assertAlmostEqual((from_s + to_s) / 2, shocks[1], delta=2)
        page.keyboard.press("p")
        page.keyboard.press("Shift+ArrowRight")
        self.assertGreater(seconds(strip.inner_text())[0], shocks[1])
        page.get_by_role("region", name="Minute by minute").get_by_role("button", name="5", exact=True).click()
        self.assertEqual(seconds(strip.inner_text())[0], 240)
        # Drawn to a card, fewer seconds fit.
        wide = seconds(strip.inner_text())
        strip.get_by_role("button", name="hold a card to it").click()
        page.get_by_role("slider", name="Length of the bar").fill("500")
        page.get_by_role("button", name="It is as long as the card").click()
        expect(strip).to_contain_text("true to scale on this screen")
        now = seconds(strip.inner_text())
        self.assertLess(now[1] - now[0], wide[1] - wide[0])
        per_mm = float(page.evaluate("localStorage.getItem('kumpel.px-per-mm')"))
        self.assertAlmostEqual(per_mm, 500 / 85.6, places=6)
        self.assert_nothing_cut_off("a resuscitation")
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        [good, every] = map(
            int, re.findall(r"(\d+) of (\d+) in both targets", page.locator("figcaption").inner_text())[0]
        )
        self.assertAlmostEqual(100 * good / every, found.both.reviewed.figure("in_target").value, delta=0.01)


class FromTheReader(BrowserTest):
    def test_from_the_reader_to_the_page_for_the_crew_without_a_name(self) -> None:
        ensemble = self.launch(StandIn("R-01", "AE-000001", "Defibrillator", kind="resuscitation", auto_start=False))
        ensemble.running["R-01"].tell("record", start=time.time() - 3000, length_s=420)
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        take = page.get_by_role("button", name=re.compile("^Take in all 1|^Take in 1|^Take in the"))
        expect(take.first).to_be_enabled(timeout=30_000)
        loud = page.get_by_role("status", name="Not safe yet")
        expect(loud).to_contain_text("R-01: not taken in yet.")
        page.evaluate(COUNT)
        take.first.click()
        expect(page.get_by_role("link", name="review", exact=True)).to_be_visible(timeout=60_000)
        expect(loud).to_have_count(0)
        page.get_by_role("link", name="review", exact=True).click()
        page.get_by_role("button", name="Sign, then reports").click()
        page.get_by_label("without the name").check()
        expect(page.get_by_role("img", name="Page 1 of the report")).to_be_visible()
        with page.expect_download() as told:
            page.get_by_role("button", name="Issue, PDF").click()
        presses = int(page.evaluate("window.presses"))
        text = " ".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(told.value.path().read_bytes())).pages)
        for words in ("Quality per minute", "Every compression against the targets", "Pauses over 10 s"):
            self.assertIn(words, " ".join(text.split()))
        self.db.rollback()
        self.assertEqual(len(self.db.exec(select(Report)).all()), 1)
        self.assertLessEqual(presses, 5)
