"""The whole noise job by keyboard alone, every key that goes down counted: from sign-in to the issued page."""

import json
import re
import time

from playwright.sync_api import expect
from sqlmodel import select

from kumpel.demo.ensemble import StandIn
from kumpel.services.ground import decisions
from kumpel.store.tables import Recorder, Session
from tests.web.keyboard import KeyboardTest

MOST = 120


class KeyboardAlone(KeyboardTest):
    def test_what_was_typed_and_not_left_yet_is_written_too(self) -> None:
        ensemble = self.launch(StandIn("N-07", "NM-000107", "Noise meter 7", auto_start=False))
        meter = ensemble.running["N-07"]
        person = self.person("Ida Brandvik")
        self.sign_in()
        recorder = self.db.exec(select(Recorder)).one()
        self.page.goto(f"{self.address}/hand-out?person={person.id}&recorder={recorder.id}")
        field = self.page.get_by_label("Run length")
        field.fill("240")
        self.press("Control+Enter")
        expect(self.page.get_by_text("N-07 is with Ida Brandvik")).to_be_visible()
        self.assertEqual(json.loads((meter.folder / "state.json").read_text())["setup"]["run_length_min"], 240)

    def test_what_is_not_understood_is_not_passed_over(self) -> None:
        self.launch(StandIn("N-07", "NM-000107", "Noise meter 7", auto_start=False))
        person = self.person("Ida Brandvik")
        self.sign_in()
        recorder = self.db.exec(select(Recorder)).one()
        self.page.goto(f"{self.address}/hand-out?person={person.id}&recorder={recorder.id}")
        self.page.get_by_label("Run length").fill("0")
        self.press("Control+Enter")
        expect(self.page.get_by_text("Nothing was written")).to_be_visible()

    def test_from_sign_in_to_the_page_in_few_presses(self) -> None:
        ensemble = self.launch(StandIn("N-07", "NM-000107", "Noise meter 7", auto_start=False))
        meter = ensemble.running["N-07"]
        page = self.page
        page.goto(self.address)
        page.get_by_label("Sign-in name").wait_for()
        self.reach("Sign-in name")
        self.type("officer")
        self.press("Tab")
        self.type("long enough")
        self.press("Enter")
        page.get_by_role("navigation", name="The line").wait_for()
        self.step("signed in")

        self.press("1")
        page.get_by_role("heading", name="Hand out").wait_for()
        expect(page.get_by_role("button", name=re.compile("^N-07"))).to_be_visible()
        self.reach("Find a person")
        self.type("Ida B")
        expect(page.get_by_text("Nobody of that name yet")).to_be_visible()
        self.press("Enter")
        page.get_by_role("dialog").wait_for()
        self.press("Enter")
        page.get_by_role("heading", name="Ida B").wait_for()
        self.step("a new person by name")

        self.reach("^N-07")
        self.press("Enter")
        page.get_by_label("Run length").wait_for()
        self.reach("^change The meter")
        self.press("Enter")
        self.reach("^Display")
        self.press("s")
        expect(page.get_by_label("Display")).to_have_value("shown")
        self.main_step("Write and hand out")
        expect(page.get_by_text("N-07 is with Ida B")).to_be_visible()
        page.get_by_role("heading", name="Which recorder?").wait_for()
        self.step("one setting changed and written")

        meter.tell("record", start=time.time() - 28_000, length_s=27_660, seed=11)
        self.press("2")
        expect(page.get_by_role("button", name="Take in all 1")).to_be_enabled()
        self.reach("^Ida B, N-07")
        self.press("Enter")
        self.reach("^Shift")
        self.type("early")
        self.press("Tab")
        self.type("mill")
        self.main_step("Take in all 1")
        expect(page.get_by_role("link", name="review", exact=True)).to_be_visible()
        self.step("one session taken in with two tags")

        self.press("3")
        page.locator("[title='Why this number?']").first.wait_for()
        self.press("m")
        page.get_by_role("dialog").wait_for()
        self.reach("^Why")
        self.type("radio")
        self.press("Enter")
        expect(page.get_by_role("button", name="Change radio")).to_be_visible()
        self.step("one stretch left out")

        self.press("c")
        self.reach("Conclusion")
        self.type("Within limits.", counted=False)
        self.main_step("Sign off")
        page.get_by_role("button", name="To the report").wait_for()
        self.reach("To the report")
        self.press("Enter")
        self.step("conclusion and signature")
        page.get_by_role("button", name="Issue, PDF").wait_for()
        with page.expect_download():
            self.main_step("Issue, PDF")
        self.step("one page issued")

        session = self.db.exec(select(Session)).one()
        self.assertEqual([d.reason for d in decisions.of_session(self.db, session.id or 0)], ["radio"])
        before = 0
        for words, upto in self.presses:
            print(f"  {words:<40} {upto - before:4d} presses")
            before = upto
        self.assertLess(self.count, MOST)
