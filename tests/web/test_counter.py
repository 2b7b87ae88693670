"""Jobs at the counter, counted: how many presses each takes by mouse, and those done all day by keyboard alone."""

from __future__ import annotations

import re
import time
from dataclasses import dataclass

from playwright.sync_api import expect

from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.link.client import RecorderLink
from kumpel.services.hand_out import hand_out
from tests.web.browser import BrowserTest
from tests.web.test_tasks import COUNT


@dataclass(frozen=True)
class Job:
    """A job that was done, and its presses; typing into one field counts as none."""

    words: str
    by: str
    presses: int


JOBS: list[Job] = []


class Counter(BrowserTest):
    def cuffs(self, count: int = 1, recorded: int = 0) -> Ensemble:
        ensemble = self.launch(
            *(
                StandIn(f"C-0{n}", f"BP-00000{n}", f"Cuff {n}", kind="blood_pressure", auto_start=False)
                for n in range(1, count + 1)
            )
        )
        for running in ensemble.running.values():
            for turn in range(recorded):
                running.tell("record", start=time.time() - 200_000 + 90_000 * turn, length_s=80_000)
        return ensemble

    def begin(self, path: str) -> None:
        self.page.goto(f"{self.address}/{path}")
        self.page.get_by_role("navigation", name="The line").wait_for()
        self.page.wait_for_timeout(600)
        self.page.evaluate(COUNT)

    def done(self, words: str, most: int, by: str = "mouse") -> None:
        presses = int(self.page.evaluate("window.presses"))
        JOBS.append(Job(words, by, presses))
        self.assertLessEqual(presses, most, words)

    def test_handing_out_and_bringing_back(self) -> None:
        self.cuffs(2)
        for name in ("Petter Lunde", "Ruth Amsel"):
            self.person(name, team="Works clinic")
        page = self.sign_in()
        self.begin("hand-out")
        page.get_by_role("button", name=re.compile("^Petter Lunde")).click()
        page.get_by_role("button", name=re.compile("^C-01")).click()
        page.get_by_role("button", name="Write and hand out").click()
        expect(page.get_by_text("C-01 is with Petter Lunde.")).to_be_visible()
        self.done("hand out to a known person with what they had last", 3)
        self.begin("hand-out")
        page.get_by_role("button", name="swap: give Petter Lunde another recorder than C-01").click()
        page.get_by_role("dialog").get_by_role("button", name=re.compile("^C-02")).click()
        page.get_by_label("Why").fill("hose leaks")
        page.get_by_role("button", name="Write C-02 and swap").click()
        expect(page.get_by_text("C-02 is with Petter Lunde instead of C-01.")).to_be_visible()
        self.done("swap a broken recorder", 3)
        self.begin("hand-out")
        page.get_by_role("button", name="it is back: C-02 from Petter Lunde").click()
        expect(page.get_by_text("Every recorder is back.")).to_be_visible()
        self.done("take one back", 1)
        self.begin("hand-out")
        page.get_by_role("button", name=re.compile("^Ruth Amsel")).click()
        page.get_by_role("button", name=re.compile("^C-01")).click()
        page.get_by_role("button", name="The same for several").click()
        page.get_by_role("button", name="Fill up from Works clinic").click()
        page.get_by_role("button", name="Write and hand out 2").click()
        expect(page.get_by_text("with Petter Lunde, read back equal")).to_be_visible()
        self.done("one setup for two people of a team", 5)
        self.db.rollback()
        self.assertEqual(len(hand_out.out_now(self.db)), 2)

    def test_handing_out_with_the_keyboard(self) -> None:
        self.cuffs()
        self.person("Petter Lunde")
        page = self.sign_in()
        self.begin("hand-out")
        page.get_by_label("Find a person").focus()
        page.evaluate("window.presses = 0")
        page.get_by_label("Find a person").fill("pet")
        expect(page.get_by_role("button", name=re.compile("^Petter Lunde"))).to_have_count(1)
        page.keyboard.press("Enter")
        page.get_by_role("heading", name="Petter Lunde").wait_for()
        expect(page.get_by_role("button", name=re.compile("^C-01"))).to_be_focused()
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="Write and hand out")).to_be_enabled()
        page.keyboard.press("Control+Enter")
        expect(page.get_by_text("C-01 is with Petter Lunde.")).to_be_visible()
        self.done("hand out to a known person with what they had last", 4, "keyboard")

    def test_taking_in_and_clearing(self) -> None:
        ensemble = self.cuffs(2, 3)
        self.person("Petter Lunde")
        page = self.sign_in()
        self.begin("take-in")
        boxes = page.get_by_role("checkbox", name=re.compile("^Tick C-01"))
        boxes.nth(0).click()
        boxes.nth(2).click(modifiers=["Shift"])
        bar = page.get_by_role("region", name="Ticked sessions")
        bar.get_by_role("button", name="person as handed out").click()
        page.get_by_label("Find a person").fill("pet")
        expect(page.get_by_role("button", name=re.compile("^Petter Lunde"))).to_have_count(1)
        page.keyboard.press("Enter")
        bar.get_by_label("Complaint of the ticked").fill("headache")
        bar.get_by_role("button", name="Set for the 3").click()
        self.done("three sessions to a person, with a tag", 6)
        bar.get_by_role("button", name="not now").click()
        # No text goes into a box that is ticked: the keys of the line go on from it, and Space is still its own.
        boxes.nth(1).focus()
        page.keyboard.press("Space")
        expect(boxes.nth(1)).to_be_checked()
        page.keyboard.press("Space")
        page.keyboard.press("1")
        expect(page.get_by_role("heading", name="Hand out", level=1)).to_be_visible()
        page.keyboard.press("2")
        page.evaluate("window.presses = 0")
        page.get_by_role("button", name="Take in all 6").click()
        self.done("take in everything new from two recorders", 1)
        expect(page.get_by_role("link", name="review", exact=True)).to_have_count(6, timeout=60_000)
        page.evaluate("window.presses = 0")
        page.get_by_role("button", name=re.compile("^Clear 6 on 2")).click()
        page.get_by_role("button", name=re.compile("^Remove 6")).click()
        for running in ensemble.running.values():
            self.eventually(lambda running=running: running.tell("state")["sessions"] == 0, 30)
        self.done("clear two recorders", 2)

    def test_an_alarm_of_a_monitor_changed_and_read_back(self) -> None:
        monitor = StandIn("G-02", "GM-000002", "Gas monitor 2", kind="gas", auto_start=False)
        ensemble = self.launch(monitor)
        self.person("Kofi Badu")
        page = self.sign_in()
        self.begin("hand-out")
        page.get_by_role("button", name=re.compile("^Kofi Badu")).click()
        page.get_by_role("button", name=re.compile("^G-02, Gas monitor 2")).click()
        low = page.get_by_label("Sensor 3, low alarm", exact=True)
        low.click()
        low.fill("25")
        page.get_by_role("button", name="Write and hand out").click()
        expect(page.get_by_text("G-02 is with Kofi Badu.")).to_be_visible()
        self.done("a monitor's alarm changed, written and read back", 6)
        with RecorderLink("127.0.0.1", ensemble.running["G-02"].link) as link:
            self.assertEqual(link.setup().setup["sensors"][2]["low"], 25)

    def test_taking_in_with_the_keyboard(self) -> None:
        self.cuffs(1, 2)
        page = self.sign_in()
        self.begin("people")
        page.keyboard.press("2")
        expect(page.get_by_role("button", name="Take in all 2")).to_be_enabled()
        page.keyboard.press("Control+Enter")
        expect(page.get_by_role("link", name="review", exact=True)).to_have_count(2, timeout=60_000)
        self.done("take in everything new", 3, "keyboard")

    def test_finding_and_preparing(self) -> None:
        ensemble = self.cuffs(2)
        page = self.sign_in()
        self.begin("take-in")
        page.get_by_role("button", name=re.compile("^C-01")).click()
        self.done("only one recorder's sessions", 1)
        self.begin("hand-out")
        page.get_by_label("Find a person").fill("Emil Farkas")
        page.get_by_label("Find a person").press("Enter")
        page.get_by_role("button", name="Add Emil Farkas").click()
        page.get_by_role("button", name=re.compile("^C-01")).click()
        page.get_by_role("button", name="Write and hand out").click()
        expect(page.get_by_text("C-01 is with Emil Farkas.")).to_be_visible()
        self.done("add somebody by name and hand out", 4)
        self.person("Ruth Amsel")
        self.begin("hand-out")
        page.get_by_role("button", name=re.compile("^Ruth Amsel")).click()
        page.get_by_role("button", name=re.compile("^C-02")).click()
        page.get_by_role("button", name="add a quiet window").click()
        page.get_by_role("button", name="Write and hand out").click()
        expect(page.get_by_text("C-02 is with Ruth Amsel.")).to_be_visible()
        self.done("hand out with a quiet window", 4)
        ensemble.running["C-02"].tell("vanish")
        self.begin("take-in")
        again = page.get_by_role("button", name="Look again")
        again.wait_for()
        ensemble.running["C-02"].tell("come back")
        again.click()
        expect(again).to_have_count(0)
        self.done("look again for one that was away", 1)

    def test_bringing_back_and_finding_again(self) -> None:
        self.cuffs(1, 1)
        page = self.sign_in()
        self.begin("take-in")
        page.get_by_role("button", name="Take in all 1").click()
        expect(page.get_by_role("link", name="review", exact=True)).to_have_count(1, timeout=60_000)
        page.evaluate("sessionStorage.clear()")
        self.begin("take-in")
        page.get_by_role("button", name=re.compile("^Show 1 stored")).click()
        expect(page.get_by_role("link", name="review", exact=True)).to_have_count(1)
        self.done("what is stored and still on the recorders", 1)
        page.get_by_role("button", name=re.compile("^nobody yet, C-01")).click()
        page.get_by_role("button", name="Give to somebody").click()
        self.person("Petter Lunde")
        page.get_by_label("Find a person").fill("pet")
        expect(page.get_by_role("button", name=re.compile("^Petter Lunde"))).to_have_count(1)
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name=re.compile("^Petter Lunde, C-01"))).to_be_visible()
        self.done("and one of them given to somebody", 4)
        self.begin("review")
        page.keyboard.press("Control+k")
        page.keyboard.type("petter")
        page.get_by_role("dialog").get_by_role("button", name=re.compile("^Petter Lunde")).first.wait_for()
        presses = int(page.evaluate("window.presses"))
        self.assertLessEqual(presses, 8)
        page.keyboard.press("Enter")
        page.wait_for_url("**/people/*")
        self.done("find somebody from anywhere (letters counted)", 9, "keyboard")
