"""A driver's session on the screen: where the time is, on which lap, and what follows when a lap does not count."""

from __future__ import annotations

import json
import re
import time
from dataclasses import replace

import numpy as np
from playwright.sync_api import Locator, Page, expect

from kumpel.core.laps_wish import LapsWish
from kumpel.core.review import Review
from kumpel.core.vehicle.bins import Asked, bin_sheet
from kumpel.core.vehicle.lap_view import LapSheet, lap_sheet
from kumpel.demo.fleet import StandIn
from kumpel.formats import krec
from kumpel.services import course_register, deciding, decisions
from kumpel.services.recordings import recording_of
from kumpel.standins.lap_driver import Mistake, drive, recorded
from kumpel.standins.vehicle_signal import KART, course_of, practice_loop
from kumpel.store.tables import Session
from tests.web.browser import BrowserTest


class Laps(BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        mistakes = (Mistake(3, 3, "early brake", 0.5), Mistake(5, 9, "slow apex", 0.4))
        rng = np.random.default_rng(6)
        driven = drive(practice_loop(), KART, 8, mistakes, 0.03, rng, spun=(6,))
        self.row = self.stored(krec.write_recording(recorded(driven, rng).recording), self.person("Jonas Tveter"))

    def computed(self, lap: int | None = None, reference: int | None = None) -> LapSheet:
        """What the core says of the session as it is reviewed now."""
        self.db.expire_all()
        self.db.rollback()
        session = self.db.get_one(Session, self.row.id)
        review = decisions.review_of(decisions.of_session(self.db, session.id or 0))
        return lap_sheet(recording_of(self.db, session), review, LapsWish(lap, reference))

    def opened(self) -> Page:
        page = self.sign_in()
        page.goto(f"{self.address}/review/{self.row.id}")
        expect(page.get_by_role("region", name="Lap against lap")).to_be_visible()
        return page

    def lap(self, number: int) -> Locator:
        return self.page.locator(f"tr[data-lap='{number}']")

    def listed(self, sheet: LapSheet) -> None:
        """The list on the screen is the computed one, to the last digit."""
        lost = sheet.lost
        assert lost is not None
        region = self.page.get_by_role("region", name="Time lost")
        expect(region).to_contain_text(f"on lap {lost.lap} against lap {lost.reference}")
        rows = region.get_by_role("button")
        expect(rows).to_have_count(len(lost.rows))
        for i, loss in enumerate(lost.rows):
            expect(rows.nth(i)).to_contain_text(f"Corner {loss.stretch.corner}, {loss.stretch.part}{loss.reason}")
            expect(rows.nth(i)).to_contain_text(f"{loss.lost_s:.2f} s{loss.laps} of {loss.of} laps")
        rest = f"gained {-lost.elsewhere_s:.2f}" if lost.elsewhere_s < 0 else f"{lost.elsewhere_s:.2f}"
        expect(region).to_contain_text(f"everywhere else{rest} s")

    def test_the_list_the_keys_and_a_lap_that_does_not_count(self) -> None:
        page = self.opened()
        self.listed(self.computed())
        self.lap(4).click()
        page.keyboard.press("c")
        sheet = self.computed(4)
        self.listed(sheet)
        assert sheet.lost is not None
        self.assertEqual((sheet.lost.rows[0].cause, sheet.lost.rows[0].code), (4, "early brake"))
        # A row shows its stretch: the cursor stands in its middle, the lanes are drawn near.
        page.get_by_role("region", name="Time lost").get_by_role("button").first.click()
        stretch = sheet.lost.rows[0].stretch
        place = page.get_by_role("slider", name="Place on the course")
        expect(place).to_have_attribute("aria-valuenow", str(round((stretch.from_m + stretch.to_m) / 2)))
        expect(place).to_have_attribute("aria-valuetext", re.compile("corner 4, entry"))
        place.press("ArrowRight")
        place.press("Shift+ArrowRight")
        expect(place).to_have_attribute("aria-valuenow", str(round((stretch.from_m + stretch.to_m) / 2 + 11)))
        place.press("Escape")
        expect(page.get_by_role("button", name="whole lap")).to_have_count(0)
        # Another reference by key, from the row that the arrows lead to.
        self.lap(4).click()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("r")
        self.listed(self.computed(4, 5))
        # The spun lap is left out, counted again by undo, and left out once more with the reason of before.
        self.lap(7).click()
        page.keyboard.press("x")
        page.get_by_role("dialog").get_by_role("button", name="spun").click()
        expect(self.lap(7)).to_contain_text("count it")
        expect(page.get_by_role("button", name=re.compile("^Laps counted"))).to_contain_text("7of 8, 1 left out")
        self.lap(1).click()
        expect(self.lap(7)).to_contain_text("left out: spun")
        page.keyboard.press("Control+z")
        expect(self.lap(7)).not_to_contain_text("left out")
        self.lap(7).click()
        page.keyboard.press("x")
        page.get_by_role("dialog").get_by_role("button").first.click()
        expect(self.lap(7)).to_contain_text("count it")
        page.keyboard.press("x")
        expect(self.lap(7)).to_contain_text("leave out")
        expect(page.get_by_role("button", name=re.compile("^Laps counted"))).to_have_text(re.compile("8of 8$"))

    def test_two_drivers_are_laid_over_each_other(self) -> None:
        rng = np.random.default_rng(8)
        other = recorded(drive(practice_loop(), KART, 6, (), 0.03, rng), rng).recording
        bela = self.stored(
            krec.write_recording(replace(other, start=other.start - 86_400), "S-8"), self.person("Bela Szenti")
        )
        page = self.opened()
        page.get_by_role("radio", name="Compare").click()
        expect(page.get_by_label("Beside which session")).to_contain_text("Bela Szenti")
        session, of_other = (self.db.get_one(Session, row.id) for row in (self.row, bela))
        mine, theirs = recording_of(self.db, session), recording_of(self.db, of_other)
        sheet = lap_sheet(mine, Review(), LapsWish(beside=(theirs, Review())))
        side = page.get_by_role("region", name="Side by side")
        best = [
            min(lap.time_s for lap in laps if lap.counts and lap.kind == "timed") for laps in (sheet.laps, sheet.beside)
        ]
        expect(side.get_by_role("row").nth(1)).to_contain_text(f"{best[0]:.2f}")
        expect(side.get_by_role("row").nth(2)).to_contain_text(f"{best[1]:.2f}")
        assert sheet.lost is not None
        region = page.get_by_role("region", name="Time lost")
        expect(region).to_contain_text(f"on lap {sheet.lap} against Bela, lap {sheet.reference}")
        expect(region).to_contain_text(f"{abs(sheet.lost.lost_s):.2f} s")
        page.get_by_label("Lap of Bela").select_option("2")
        self.lap(4).click()
        page.keyboard.press("c")
        chosen = lap_sheet(mine, Review(), LapsWish(4, 2, (theirs, Review())))
        assert chosen.lost is not None
        expect(region).to_contain_text("on lap 4 against Bela, lap 2")
        for i, loss in enumerate(chosen.lost.rows):
            expect(region.get_by_role("button").nth(i)).to_contain_text(f"{loss.lost_s:.2f} s")
        expect(page.get_by_role("region", name="Laps")).to_contain_text("to Bela, lap 2, s")

    def test_further_lanes_are_picked_and_remembered(self) -> None:
        page = self.opened()
        lanes = page.get_by_role("slider", name="Place on the course")
        expect(lanes.locator("svg")).to_have_count(1)
        page.get_by_role("button", name="more lanes").click()
        page.get_by_label("Engine speed", exact=True).check()
        page.get_by_label("Mixture ratio", exact=True).check()
        page.keyboard.press("Escape")
        expect(lanes.locator("svg")).to_have_count(3)
        lanes.press("Shift+ArrowRight")
        rpm = lanes.locator("svg").nth(1)
        expect(rpm).to_contain_text("Engine speed")
        sheet = lap_sheet(
            recording_of(self.db, self.db.get_one(Session, self.row.id)), Review(), LapsWish(lanes=("rpm",))
        )
        assert sheet.course is not None
        value = next(lane for lane in sheet.lanes if lane.key == "rpm").lap[round(10 / sheet.course.step_m)]
        expect(rpm).to_contain_text(f"{value:.0f}")
        # Two more laps lie over these, in every lane, by key; one is taken away again.
        for number in (3, 5):
            self.lap(number).click()
            page.keyboard.press("o")
        expect(page.get_by_role("region", name="Lap against lap")).to_contain_text("laps 3, 5")
        expect(rpm.locator("g path")).to_have_count(4)
        page.keyboard.press("o")
        expect(rpm.locator("g path")).to_have_count(3)
        page.reload()
        expect(lanes.locator("svg")).to_have_count(3)
        page.get_by_role("button", name="more lanes").click()
        page.get_by_role("button", name="as usual").click()
        expect(lanes.locator("svg")).to_have_count(1)

    def test_a_session_is_cut_by_the_lines_of_today(self) -> None:
        loop = course_register.add(self.db, "", json.dumps(course_of(practice_loop())), self.who)
        ends = [line.at_m for line in course_register.detail(self.db, loop.id).lines]
        course_register.change(self.db, loop.id, "Practice loop", [ends[0] + 80, *ends[1:]], 15.0, self.who)
        page = self.opened()
        before = self.lap(2).inner_text()
        page.get_by_label("Cut by the lines of").select_option("Practice loop, as it is now")
        expect(self.lap(2)).not_to_have_text(before)
        self.listed(self.computed())
        expect(page.get_by_label("Cut by the lines of")).to_contain_text("Practice loop, as chosen")
        page.keyboard.press("Control+z")
        expect(self.lap(2)).to_have_text(before, use_inner_text=True)

    def test_all_laps_left_out_are_said_and_the_channels_are_one_click_away(self) -> None:
        session = self.db.get_one(Session, self.row.id)
        laps = [lap for lap in self.computed().laps if lap.kind == "timed"]
        wishes = [decisions.Wish("dropped", lap.key, value=lap.time_s, reason="traffic") for lap in laps]
        deciding.decide(self.db, session.id or 0, session.review_version, wishes, [], self.who)
        page = self.sign_in()
        page.goto(f"{self.address}/review/{self.row.id}")
        expect(page.get_by_text("No lap counts: count one again to compare with it.").first).to_be_visible()
        expect(page.get_by_role("region", name="Course")).to_be_visible()
        page.get_by_role("radio", name="Channels").click()
        expect(page.get_by_role("region", name="On one clock")).to_be_visible()

    def test_the_table_says_where_the_mixture_was_off(self) -> None:
        page = self.opened()
        page.get_by_role("radio", name="Mixture").click()
        for label, value in (("Target from", "0.8"), ("Target to", "0.95")):
            page.get_by_label(label).fill(value)
            page.get_by_label(label).press("Enter")
        session = self.db.get_one(Session, self.row.id)
        recording = recording_of(self.db, session)
        asked = Asked("mixture", "rpm", "throttle", target=(0.8, 0.95))
        found = bin_sheet(recording, Review(), asked)
        lean = found.off[0]
        cells = page.get_by_role("region", name="Cells off target")
        row = cells.get_by_role("button").first
        expect(row).to_contain_text(f"{lean.where}{lean.seconds:.1f} s{lean.by:.3f} too lean")
        row.click()
        cell = page.locator(f"[data-cell='{lean.row} {lean.column}']")
        expect(cell).to_have_attribute("aria-pressed", "true")
        expect(cell).to_contain_text(f"{found.mean[lean.row][lean.column]:.2f}{found.count[lean.row][lean.column]}")
        cell.press("ArrowLeft")
        left = page.locator(f"[data-cell='{lean.row} {lean.column - 1}']")
        expect(left).to_be_focused()
        # A boundary that is typed moves, and stays so for this vehicle.
        between = (found.edges[1] + found.edges[2]) / 2
        typed = f"{between:,.0f}"
        edge = page.get_by_label("Boundary 2 of engine speed")
        edge.fill(typed)
        edge.press("Enter")
        moved = bin_sheet(
            recording,
            Review(),
            replace(asked, edges=(found.edges[0], between, *found.edges[2:]), and_edges=found.and_edges),
        )
        expect(page.locator("[data-cell='0 0']")).to_contain_text(f"{moved.mean[0][0]:.2f}{moved.count[0][0]}")
        page.reload()
        page.get_by_role("radio", name="Mixture").click()
        expect(page.get_by_label("Boundary 2 of engine speed")).to_have_value(typed)
        expect(page.get_by_label("Target to")).to_have_value("0.95")

    def test_the_list_of_what_waits_is_folded_and_opened_and_stays_so(self) -> None:
        page = self.opened()
        queue = page.get_by_role("navigation", name="Waiting for a look")
        queue.get_by_role("button", name=re.compile("^Show the names")).click()
        expect(queue.get_by_text("Jonas Tveter")).to_be_visible()
        page.reload()
        expect(queue.get_by_role("button", name="Fold the list to a rail")).to_be_visible()
        queue.get_by_role("button", name="Fold the list to a rail").click()
        expect(queue.get_by_role("button", name=re.compile("^Show the names"))).to_be_visible()

    def test_a_session_of_another_kind_has_no_laps(self) -> None:
        other = self.session(3600)
        page = self.sign_in()
        answer = page.request.get(f"{self.address}/api/sessions/{other.id}/laps")
        self.assertEqual((answer.status, answer.json()["code"]), (409, "no-laps"))
        self.assertEqual(page.request.get(f"{self.address}/api/sessions/{self.row.id}/laps?lap=99").status, 404)
        self.assertEqual(lap_sheet(recording_of(self.db, self.row), Review()).lap, self.computed().lap)


class FromTheCable(BrowserTest):
    """A logger is plugged in after half an hour of driving: how far it is to "where did I lose time"."""

    def test_two_presses_lead_from_the_cable_to_the_list(self) -> None:
        fleet = self.launch(StandIn("V-02", "VL-000204", "Logger 2", kind="vehicle", auto_start=False))
        fleet.running["V-02"].tell("record", start=time.time() - 2000, length_s=1800, seed=5)
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        page.get_by_role("button", name="Take in all 1").click()
        row = page.get_by_role("row").filter(has_text="V-02").first
        expect(row).to_contain_text(re.compile(r"best \d.*, 29 laps"), timeout=60_000)
        row.get_by_role("link", name="review", exact=True).click()
        lost = page.get_by_role("region", name="Time lost")
        expect(lost).to_contain_text(re.compile(r"Corner \d+, (entry|exit)"), timeout=30_000)
        expect(page.get_by_role("region", name="Lap against lap")).to_be_visible()
