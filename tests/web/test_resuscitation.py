"""A case on its own sheet: the strip to scale, moved by keys and by what happened; from the reader to the page for the crew without a name."""

from __future__ import annotations

import io
import re
import time
from dataclasses import replace

import pypdf
from playwright.sync_api import Page, expect
from sqlmodel import select

from kumpel.core.review import Review
from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.reports.document import TablePart
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

    def test_the_frame_over_the_whole_case_is_dragged_and_comes_to_where_is_pressed(self) -> None:
        page, row, shocks = self.open()
        strip = page.get_by_role("region", name="ECG to scale")
        whole = strip.get_by_role("img", name=re.compile("^The whole case"))
        box = whole.bounding_box()
        assert box is not None

        def place(at_s: float) -> float:
            return box["x"] + box["width"] * at_s / row.length_s

        y = box["y"] + box["height"] / 2
        page.mouse.click(place(shocks[1]), y)
        from_s, to_s = seconds(strip.inner_text())
        self.assertTrue(from_s <= shocks[1] <= to_s)
        page.mouse.move(place((from_s + to_s) / 2), y)
        page.mouse.down()
        page.mouse.move(place((from_s + to_s) / 2 + 100), y, steps=5)
        page.mouse.up()
        moved, _ = seconds(strip.inner_text())
        self.assertAlmostEqual(moved - from_s, 100, delta=3)

    def test_a_crews_drill_one_under_another(self) -> None:
        ids = [
            self.stored(
                krec.write_recording(replace(SIGNALS["resuscitation"](k).recording, recorder={"serial": f"RD-{k}"}))
            ).id
            for k in (3, 4, 5)
        ]
        page = self.sign_in()
        page.goto(f"{self.address}/compare?sessions={','.join(map(str, ids))}")
        drill = page.get_by_role("region", name="One under another")
        rows = drill.get_by_role("listitem")
        expect(rows).to_have_count(3)
        outcomes = [figures.outcome(self.db, i or 0) for i in ids]
        told = {f"{o.both.reviewed.figure('rate').value:.0f} /min" for o in outcomes if o is not None}
        for words in told:
            expect(drill).to_contain_text(words)
        expect(drill.get_by_role("img", name=re.compile(r"compressions were within"))).to_have_count(3)
        expect(drill.get_by_role("img", name=re.compile(r"\d+ compressions, \d+ pauses, \d+ shocks"))).to_have_count(3)
        self.assert_nothing_cut_off("a drill")

    def test_debrief_and_medical_page_by_one_press_each(self) -> None:
        page, row, shocks = self.open()
        page.goto(f"{self.address}/report/{row.id}")
        debrief = page.get_by_role("button", name="Debrief, without a name")
        debrief.click()
        expect(debrief).to_have_attribute("aria-pressed", "true")
        expect(page.get_by_label("without the name")).to_be_checked()
        expect(page.get_by_label("Minute by minute")).to_be_checked()
        medical = page.get_by_role("button", name="Medical")
        medical.click()
        expect(page.get_by_label("without the name")).not_to_be_checked()
        expect(page.get_by_label("The ECG true to scale")).to_be_checked()
        expect(page.get_by_label("What happened when")).to_be_checked()
        kind = KINDS["resuscitation"]
        made = SIGNALS["resuscitation"](3).recording
        both = kind.assess(made, Review(), kind.limit_sets[0])
        [table] = kind.report(made, Review(), both, kind.limit_sets[0], ["happened"])
        assert isinstance(table, TablePart)
        told = [cells for cells in table.rows if cells[1] == "shock"]
        self.assertEqual([cells[2] for cells in told], [f"{int(at // 60)}:{int(at % 60):02d}" for at in shocks])
        self.assertIn("J)", told[0][0])
        self.assertIn("first compression", [cells[0] for cells in table.rows])

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
