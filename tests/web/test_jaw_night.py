"""A night of jaw muscles: sixty episodes by keyboard alone, each key counted and timed; dropped, taken back, a threshold tried and used."""

from __future__ import annotations

import re
import time
from dataclasses import replace

import pypdf
from playwright.sync_api import Page, expect
from sqlmodel import col, select

from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.services.ground import figures
from kumpel.standins.jaw_muscle_signal import Burst, Group, Night, make, usual_groups
from kumpel.store.tables import Decision, Session
from tests.web.browser import BrowserTest
from tests.web.test_tasks import COUNT, taken_in


class JawNight(BrowserTest):
    watch = "0"

    def open(self, night: Night) -> tuple[Page, Session]:
        row = self.stored(krec.write_recording(make(night).recording), self.person("Marit Solheim"))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("region", name="The night")).to_be_visible()
        return page, row

    def index(self, row: Session) -> float:
        self.db.rollback()
        self.db.expire_all()
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        return found.both.reviewed.figure("both.index").value

    def decisions(self, row: Session, what: str) -> list[Decision]:
        self.db.rollback()
        mine = (Decision.session_id == row.id, Decision.what == what, col(Decision.removed_at).is_(None))
        return list(self.db.exec(select(Decision).where(*mine)).all())

    def test_sixty_episodes_with_two_keys(self) -> None:
        length = 5400.0
        page, row = self.open(Night(3, length, interval_s=0.0025, groups=usual_groups(3, length, 150)))
        page.keyboard.press("Enter")
        head = page.get_by_role("heading", name=re.compile(r"^Episode 1 of \d+"))
        expect(head).to_be_visible()
        many = int(re.findall(r"of (\d+)", head.inner_text())[0])
        self.assertGreaterEqual(many, 58)
        expect(page.get_by_role("region", name="The episode closely").get_by_role("img")).to_be_visible()
        before = self.index(row)
        page.evaluate(COUNT)
        waits = []
        for turn in range(1, many + 1):
            expect(page.get_by_role("heading", name=f"Episode {turn} of {many}")).to_be_visible()
            asked = time.monotonic()
            page.keyboard.press("x" if turn in (5, 11) else "k")
            if turn == 5:
                page.keyboard.press("1")
            if turn < many:
                page.get_by_role("heading", name=f"Episode {turn + 1} of {many}").wait_for()
                waits.append(1000 * (time.monotonic() - asked))
        presses = int(page.evaluate("window.presses"))
        self.assertLessEqual(presses, many + 1)
        waits.sort()
        self.assertLess(waits[len(waits) // 2], 1000)
        expect(page.get_by_role("status").filter(has_text="to decide")).to_contain_text(
            f"{many - 2} kept, 2 dropped, 0 to decide", timeout=60_000
        )
        self.eventually(lambda: {d.reason for d in self.decisions(row, "dropped")} == {"swallowing", "no reason"}, 120)
        self.eventually(lambda: abs(self.index(row) / before - (many - 2) / many) < 0.03, 120)
        page.keyboard.press("Escape")
        expect(page.get_by_role("region", name="Event by event")).to_contain_text(
            f"{many} looked at: {many - 2} kept, 2 dropped; 0 to go"
        )
        self.assert_nothing_cut_off("a night of jaw muscles")

    def test_one_is_dropped_taken_back_and_a_threshold_is_tried_and_used(self) -> None:
        page, row = self.open(Night(3, 1800.0, interval_s=0.0025, groups=usual_groups(3, 1800.0, 60)))
        before = self.index(row)
        page.get_by_role("region", name="Event by event").get_by_role("button").click()
        page.keyboard.press("x")
        self.eventually(lambda: len(self.decisions(row, "dropped")) > 0, 20)
        page.keyboard.press("z")
        self.eventually(lambda: not self.decisions(row, "dropped"), 20)
        expect(page.get_by_role("heading", name=re.compile("^Episode 1 of"))).to_be_visible()
        self.eventually(lambda: self.index(row) == before, 20)
        line = page.locator("g.cursor-ns-resize").first
        box = line.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] - 8)
        page.mouse.down()
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] - 6, steps=4)
        page.mouse.up()
        expect(page.get_by_text("For this look alone the threshold is")).to_be_visible()
        page.get_by_role("button", name="Use it for the night").click()
        self.eventually(lambda: [d.key for d in self.decisions(row, "setting")] == ["threshold"], 20)
        self.assertGreater(float(self.decisions(row, "setting")[0].value), 10)
        page.keyboard.press("Escape")
        expect(page.get_by_role("tab", name="By hour, side and type")).to_be_visible()
        page.get_by_role("button", name="Undo").click()
        self.eventually(lambda: not self.decisions(row, "setting"), 20)

    def test_split_joined_given_another_type_and_which_clenches_count(self) -> None:
        bursts = tuple(Burst("left", 300.0 + 1.5 * i, 0.5, 0.6) for i in range(3))
        groups = (Group("phasic", bursts), Group("tonic", (Burst("left", 309.0, 3.0, 0.6),)))
        page, row = self.open(Night(3, 900.0, interval_s=0.0025, groups=groups, clenches=4))
        first, second = self.index(row), 2
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name=f"Episode 1 of {second}")).to_be_visible()
        page.keyboard.press("j")
        expect(page.get_by_role("heading", name="Episode 1 of 1")).to_be_visible()
        chosen = page.get_by_label("Type of the episode")
        expect(chosen).to_have_value("mixed")
        self.eventually(lambda: abs(self.index(row) - first / 2) < 1e-9, 20)
        chosen.select_option("tonic")
        expect(page.get_by_text("by hand; left 4 bursts")).to_be_visible()
        self.eventually(lambda: [d.value for d in self.decisions(row, "type")] == ["tonic"], 20)
        chosen.select_option("as found")
        expect(chosen).to_have_value("mixed")
        # The fourth burst is what was joined: an episode begins with it again.
        page.get_by_role("button", name="4", exact=True).click()
        expect(page.get_by_role("heading", name="Episode 1 of 2")).to_be_visible()
        self.eventually(lambda: not self.decisions(row, "edge"), 20)
        page.get_by_role("button", name="2", exact=True).click()
        expect(page.get_by_role("heading", name="Episode 1 of 3")).to_be_visible()
        page.keyboard.press("Escape")
        hundred = page.get_by_role("region", name="What is 100 %")
        expect(hundred).to_contain_text("of 3 of 4 clenches")
        hundred.get_by_role("button", name="which clenches count").click()
        ticks = page.get_by_role("list", name="Clenches left").get_by_role("checkbox")
        expect(ticks).to_have_count(4)
        other = next(i for i in range(4) if not ticks.nth(i).is_checked())
        ticks.nth(other).click()
        expect(hundred).to_contain_text("of 4 of 4 clenches")
        page.get_by_role("button", name="Undo").click()
        expect(hundred).to_contain_text("of 3 of 4 clenches")
        self.assert_nothing_cut_off("the clenches of a night")

    def test_no_clench_is_said_and_a_level_is_entered_by_hand(self) -> None:
        groups = usual_groups(3, 900.0, 60)
        page, row = self.open(Night(3, 900.0, interval_s=0.0025, groups=groups, clenches=0))
        expect(page.get_by_text("Nothing can be told before 100 % is known")).to_be_visible()
        page.get_by_label("100 % in microvolt").fill("200")
        page.get_by_label("Why 100 % is entered by hand").fill("clenches of the night before")
        page.keyboard.press("Enter")
        expect(page.get_by_role("region", name="Event by event")).to_be_visible()
        self.eventually(lambda: self.index(row) > 0, 20)
        expect(page.get_by_role("region", name="What is 100 %")).to_contain_text("left 200 µV, entered by hand")

    def test_two_nights_stand_one_under_another_where_they_are_compared(self) -> None:
        who, ids = self.person("Marit Solheim"), []
        for k in (3, 4):
            made = make(Night(k, 900.0, interval_s=0.0025, groups=usual_groups(k, 900.0, 60))).recording
            made = replace(made, recorder={"serial": f"JM-000{k}"}, start=made.start + 86_400 * k)
            ids.append(self.stored(krec.write_recording(made), who).id)
        page = self.sign_in()
        for address in (f"compare?sessions={ids[0]},{ids[1]}", f"review/{ids[1]}/compare"):
            page.goto(f"{self.address}/{address}")
            nights = page.get_by_role("region", name="Nights one under another")
            expect(nights.get_by_role("img", name=re.compile("^The night: ([1-9]\\d*) of "))).to_have_count(2)
        self.assert_nothing_cut_off("two nights")


class FromTheRecorder(BrowserTest):
    def test_a_night_from_the_recorder_to_paper(self) -> None:
        """Beside the two keys of the walk through the episodes: taken in, opened, entered, left, signed, issued."""
        recorder = StandIn("J-01", "JM-000001", "Jaw 1", kind="jaw_muscle", auto_start=False)
        page = taken_in(self, recorder, 1800)
        expect(page.get_by_role("region", name="The night")).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_role("heading", name=re.compile(r"^Episode 1 of \d+"))).to_be_visible()
        walk = int(page.evaluate("window.presses"))
        page.keyboard.press("x")
        page.keyboard.press("k")
        page.keyboard.press("Shift+K")
        expect(page.get_by_role("status").filter(has_text="to decide")).to_contain_text("0 to decide", timeout=60_000)
        walked = int(page.evaluate("window.presses")) - walk
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Sign, then reports").click()
        expect(page.get_by_role("img", name="Page 1 of the report")).to_be_visible(timeout=60_000)
        with page.expect_download() as told:
            page.get_by_role("button", name="Issue, PDF").click()
        self.assertLessEqual(int(page.evaluate("window.presses")) - walked, 10)
        words = " ".join(p.extract_text() for p in pypdf.PdfReader(told.value.path()).pages)
        outcome = figures.outcome(self.db, 1)
        assert outcome is not None
        self.assertIn(f"{outcome.both.reviewed.figure('both.index').value:.1f}", words)
