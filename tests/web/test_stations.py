"""The four stations as a user goes through them, with a cut cable and a reload on the way."""

import io
import re
import time

import pypdf
from playwright.sync_api import expect

from kumpel.demo.ensemble import StandIn
from tests.web.browser import BrowserTest


class FourStations(BrowserTest):
    def test_from_hand_out_to_a_signed_page_of_paper(self) -> None:
        ensemble = self.launch(StandIn("N-07", "NM-000107", "Noise meter 7", clock_error_s=-250.0, auto_start=False))
        meter = ensemble.running["N-07"]
        page = self.sign_in_by_form()
        self.hand_out(page)
        meter.tell("record", start=time.time() - 28_000 - 250, length_s=27_660, seed=11, impact_peak_db=136.2)
        meter.tell("record", start=time.time() - 28_900 - 250, length_s=9, seed=3)
        self.take_in(page, meter)
        self.review(page)
        self.report(page)

    def hand_out(self, page) -> None:
        page.keyboard.press("1")
        page.get_by_role("button", name="Add a person, a name is enough").click()
        page.get_by_label("Name", exact=True).fill("Ida Brandvik")
        page.get_by_role("button", name="Add Ida Brandvik").click()
        page.get_by_role("button", name=re.compile("^N-07, Noise meter 7")).click()
        expect(page.get_by_text("is 4 min 10 s slow")).to_be_visible()
        page.get_by_role("button", name="change The meter").click()
        page.get_by_label("Display").select_option("blank")
        expect(page.get_by_text("on recorder shown")).to_be_visible()
        page.get_by_label("Run length").fill("0")
        page.get_by_label("Run length").press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("At least 1 min")
        page.get_by_label("Run length").fill("8 h")
        page.get_by_label("Run length").press("Enter")
        expect(page.get_by_label("Run length")).to_have_value("8 h")
        page.get_by_label("Place").fill("crusher hall")
        page.get_by_label("set on writing").uncheck()
        page.get_by_role("button", name="Write and hand out").click()
        expect(page.get_by_text("N-07 is with Ida Brandvik")).to_be_visible()
        expect(page.get_by_role("button", name="it is back: N-07 from Ida Brandvik")).to_be_visible()

    def take_in(self, page, meter) -> None:
        page.keyboard.press("2")
        expect(page.get_by_role("button", name="Take in all 2")).to_be_enabled()
        page.get_by_role("button", name="1 kept aside").click()
        expect(page.get_by_text("1 too short (9 s)")).to_be_visible()
        page.get_by_role("row").filter(has_text="7 h 41 min").get_by_role("button").first.click()
        expect(page.get_by_role("complementary", name="Session")).to_contain_text("Ida Brandvik")
        expect(page.get_by_label("Place")).to_have_value("crusher hall")
        page.get_by_label("shift this session").check()
        page.get_by_label("Task").fill("feed control")
        meter.tell("vanish", after_bytes=150_000)
        page.get_by_role("button", name="Take in all 2").click()
        expect(page.get_by_role("article", name="N-07, away")).to_be_visible()
        expect(page.get_by_role("button", name="Nothing to take in")).to_be_disabled()
        meter.tell("come back")
        page.get_by_role("button", name="Look again").click()
        expect(page.get_by_role("link", name="review", exact=True)).to_be_visible()
        expect(page.get_by_role("cell", name="kept aside")).to_be_visible()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="back to where they stand").click()
        page.get_by_role("button", name="Clear 2 on N-07").click()
        page.get_by_role("button", name="Remove 2 on the recorder").click()
        expect(page.get_by_text("2 sessions removed on N-07. The stored copies stay.")).to_be_visible()
        self.assertEqual(len(list((meter.folder / "sessions").glob("*.krec"))), 0)

    def review(self, page) -> None:
        page.keyboard.press("3")
        expect(page.get_by_role("heading", name="Ida Brandvik")).to_be_visible()
        lead = page.get_by_title("Why this number?").first
        before = lead.inner_text()
        self.drag(page, 0.42, 0.6)
        page.get_by_label("Why?").fill("wrong person")
        page.get_by_role("button", name="Leave out", exact=True).click()
        expect(page.get_by_role("button", name="Change wrong person")).to_be_visible()
        expect(lead).not_to_have_text(before)
        page.locator("h1").first.click()
        page.keyboard.press("Control+z")
        expect(page.get_by_role("button", name="Change wrong person")).to_have_count(0)
        self.assertEqual(lead.inner_text(), before)
        page.get_by_role("button", name="leave out", exact=True).first.click()
        expect(page.get_by_text("a peak without level")).to_be_visible()
        self.drag(page, 0.53, 0.66)
        page.get_by_label("mark as a task").check()
        page.get_by_label("Which task?").fill("liner change")
        page.get_by_role("button", name="Mark the task").click()
        expect(page.get_by_role("cell", name="rest of the day")).to_be_visible()
        page.get_by_label("Limits").select_option(label="US occupational noise rule, 29 CFR 1910.95")
        expect(page.get_by_text("only looking")).to_be_visible()
        expect(page.get_by_title("Why this number?").first).to_contain_text("TWA")
        page.get_by_role("button", name="back", exact=True).click()
        page.get_by_label("Conclusion").fill("Liner change alone brings half of the day's dose.")
        expect(page.get_by_text("kept", exact=True)).to_be_visible()
        page.reload()
        expect(page.get_by_label("Conclusion")).to_have_value("Liner change alone brings half of the day's dose.")
        expect(page.get_by_role("cell", name="rest of the day")).to_be_visible()
        page.get_by_role("complementary", name="Decisions").get_by_role("button", name=re.compile("^Why")).click()
        expect(page.get_by_role("dialog")).to_contain_text("ISO 9612")
        expect(page.get_by_role("dialog")).to_contain_text("5 samples")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Sign off").click()
        expect(page.get_by_text("Signed off by Runa Halvorsen")).to_be_visible()

    def drag(self, page, start: float, end: float) -> None:
        box = page.get_by_role("application").bounding_box()
        y = box["y"] + box["height"] / 2
        page.mouse.move(box["x"] + box["width"] * start, y)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] * end, y, steps=6)
        page.mouse.up()

    def report(self, page) -> None:
        page.get_by_role("button", name="To the report").click()
        expect(page.get_by_role("img", name="Page 1 of the report")).to_be_visible()
        self.assertGreater(page.get_by_role("img", name="Page 1 of the report").evaluate("e => e.naturalWidth"), 100)
        page.get_by_role("button", name="Full").click()
        expect(page.get_by_role("img", name="Page 2 of the report")).to_be_visible()
        page.get_by_role("button", name="One page").click()
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Issue, PDF").click()
        data = waiting.value.path().read_bytes()
        text = pypdf.PdfReader(io.BytesIO(data)).pages[0].extract_text()
        for words in ("Ida Brandvik", "liner change", "half of the day", "Runa Halvorsen"):
            self.assertIn(words, text)
        expect(page.get_by_role("link", name=re.compile(r"Ida Brandvik R-\d{4}-\d+"))).to_be_visible()


class FirstVisit(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        from sqlalchemy import text

        self.db.connection().execute(text("delete from account"))
        self.db.commit()

    def test_the_first_visit_makes_the_first_administrator_and_every_screen_is_empty_but_helpful(self) -> None:
        page = self.page
        page.goto(self.address)
        page.get_by_label("Your name").fill("Runa Halvorsen")
        page.get_by_label("Sign-in name").fill("runa")
        page.get_by_label("Password").fill("short")
        page.get_by_role("button", name="Make the account and begin").click()
        expect(page.get_by_role("alert")).to_contain_text("at least 10")
        page.get_by_label("Password").fill("long enough now")
        page.get_by_role("button", name="Make the account and begin").click()
        page.get_by_role("navigation", name="The line").wait_for()
        for path, words in (
            ("/take-in", "No recorder in reach"),
            ("/hand-out", "Who gets a recorder?"),
            ("/review", "Nothing waits for a look"),
            ("/report", "No report to write"),
            ("/people", "Nobody is here yet"),
            ("/recorders", "No recorder was seen yet"),
            ("/sessions", "No session yet"),
            ("/limits", "EU noise directive"),
        ):
            with self.subTest(path=path):
                page.goto(self.address + path)
                expect(page.get_by_text(words).first).to_be_visible()
                self.assert_nothing_cut_off(path)
