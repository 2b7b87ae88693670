"""A driver's session on the screen: where the time is, on which lap, and what follows when a lap does not count."""

from __future__ import annotations

import json
import math
import re
import time
from dataclasses import replace
from functools import lru_cache
from typing import Any
from urllib.parse import parse_qs, urlsplit

import numpy as np
from playwright.sync_api import Locator, Page, expect
from sqlmodel import select

from kumpel.core.laps_wish import LapsWish
from kumpel.core.recording import Channel
from kumpel.core.review import Review
from kumpel.core.samples import ArraySamples
from kumpel.core.vehicle.bins import Asked, BinSheet, bin_sheet
from kumpel.core.vehicle.lap_view import LapSheet, lap_sheet
from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.services.ground import decisions
from kumpel.services.ground.recordings import recording_of
from kumpel.services.register import sessions
from kumpel.services.review import deciding
from kumpel.services.yard import course_register, vehicles
from kumpel.standins.lap_driver import Mistake, drive, recorded
from kumpel.standins.vehicle_signal import KART, course_of, practice_loop
from kumpel.store.tables import Session, Vehicle
from tests.web.browser import BrowserTest
from tests.web.keyboard import NAME, KeyboardTest


@lru_cache(1)
def driven() -> bytes:
    """Eight laps with two mistakes and one spun."""
    mistakes = (Mistake(3, 3, "early brake", 0.5), Mistake(5, 9, "slow apex", 0.4))
    rng = np.random.default_rng(6)
    laps = drive(practice_loop(), KART, 8, mistakes, 0.03, rng, spun=(6,))
    return krec.write_recording(recorded(laps, rng).recording)


class Laps(BrowserTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        self.row = self.stored(driven(), self.person("Jonas Tveter"))

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
        expect(page.get_by_role("region", name="Lap against lap")).to_be_visible(timeout=60_000)
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
        page.get_by_role("form").get_by_role("button", name="spun").click()
        expect(self.lap(7)).to_contain_text("count it")
        expect(page.get_by_role("button", name=re.compile("^Laps counted"))).to_contain_text("7of 8, 1 left out")
        self.lap(1).click()
        expect(self.lap(7)).to_contain_text("left out: spun")
        page.keyboard.press("Control+z")
        expect(self.lap(7)).not_to_contain_text("left out")
        self.lap(7).click()
        page.keyboard.press("x")
        page.get_by_role("form").get_by_role("button").first.click()
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
        kart = vehicles.put(self.db, {"name": "kart K-2", "profile": "kart"})
        sessions.change(self.db, self.row.id or 0, {"tags": {"vehicle": "kart K-2"}})
        page.reload()
        expect(self.lane_boxes()).to_have_count(1)
        page.get_by_role("button", name="more lanes").click()
        page.get_by_label("Engine speed", exact=True).check()
        page.get_by_label("Mixture ratio", exact=True).check()
        page.keyboard.press("Escape")
        expect(self.lane_boxes()).to_have_count(3)
        lanes.press("Shift+ArrowRight")
        rpm = self.lane_boxes().nth(1)
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
        expect(page.get_by_role("region", name="Lap against lap")).to_contain_text(re.compile("lap 3.*lap 5"))
        expect(rpm.locator("g path")).to_have_count(4)
        page.keyboard.press("o")
        expect(rpm.locator("g path")).to_have_count(3)
        # It is remembered with the vehicle: whoever looks from another browser sees the same lanes.
        self.assertEqual(vehicles.all_vehicles(self.db)[0].looks["lanes"], ["rpm", "mixture"])
        page.evaluate("localStorage.clear()")
        page.reload()
        expect(self.lane_boxes()).to_have_count(3)
        page.get_by_role("button", name="more lanes").click()
        page.get_by_role("button", name="as usual").click()
        expect(self.lane_boxes()).to_have_count(1)
        self.eventually(lambda: self.looks(kart.id)["lanes"] is None)

    def test_what_is_arranged_in_this_browser_stays_beside_what_is_arranged_next(self) -> None:
        page = self.opened()
        page.get_by_role("button", name="over time").click()
        page.get_by_role("button", name="more lanes").click()
        page.get_by_label("Engine speed", exact=True).check()
        page.keyboard.press("Escape")
        page.reload()
        expect(page.get_by_role("button", name="over distance")).to_be_visible()
        expect(self.lane_boxes()).to_have_count(2)

    def test_an_arrangement_that_is_refused_is_said_and_not_shown(self) -> None:
        vehicles.put(self.db, {"name": "kart K-2", "profile": "kart"})
        sessions.change(self.db, self.row.id or 0, {"tags": {"vehicle": "kart K-2"}})
        page = self.opened()
        refusal = {"type": "x", "title": "x", "status": 422, "detail": "This is too much.", "code": "invalid"}
        page.route("**/looks/*", lambda route: route.fulfill(status=422, json=refusal))
        page.get_by_role("button", name="over time").click()
        expect(page.get_by_text("This is too much.")).to_be_visible()
        expect(page.get_by_role("button", name="over time")).to_be_visible()

    def looks(self, vehicle_id: int) -> dict[str, Any]:
        self.db.rollback()
        self.db.expire_all()
        return {"lanes": None} | self.db.get_one(Vehicle, vehicle_id).looks

    def lane_boxes(self) -> Locator:
        """The boxes of the lanes: speed, time lost and pedals are one, each further channel has its own."""
        return self.page.get_by_role("slider", name="Place on the course").locator("> div")

    def test_the_profile_of_the_vehicle_says_what_is_looked_at_first(self) -> None:
        hauler = vehicles.put(self.db, {"name": "hauler 4", "profile": "hauler"})
        sessions.change(self.db, self.row.id or 0, {"tags": {"vehicle": "hauler 4"}})
        page = self.opened()
        expect(self.lane_boxes()).to_have_count(2)
        expect(self.lane_boxes().nth(1)).to_contain_text("Water tempera")
        page.get_by_role("radio", name="Water temperature").click()
        expect(page.get_by_label("Quantity")).to_have_value("water_temp")
        # Another profile, another look; what somebody arranged for the vehicle comes before both.
        vehicles.put(self.db, {"profile": "kart"}, hauler.id)
        expect(page.get_by_role("radio", name="Mixture")).to_be_visible()
        page.get_by_role("radio", name="Laps").click()
        expect(self.lane_boxes()).to_have_count(1)
        vehicles.arrange(self.db, hauler.id, "lanes", ["rpm"])
        expect(self.lane_boxes()).to_have_count(2)
        expect(self.lane_boxes().nth(1)).to_contain_text("Engine speed")

    def test_over_time_each_lap_is_where_it_was_by_then(self) -> None:
        page = self.opened()
        self.lap(4).click()
        page.keyboard.press("c")
        page.get_by_role("button", name="over time").click()
        sheet = self.computed(4)
        assert sheet.course is not None
        lanes = page.get_by_role("slider", name="Place on the course")
        longest = max(sheet.clock.lap[-1], sheet.clock.reference[-1])
        expect(lanes).to_contain_text(f"{longest:.1f} s")
        lanes.press("Home")
        for _ in range(20):
            lanes.press("Shift+ArrowRight")
        # Twenty steps of a second: the lap is where its own clock says 20 s, the reference where its clock does.
        step = sheet.course.step_m
        metres = np.arange(len(sheet.clock.lap)) * step
        mine, theirs = (float(np.interp(20.0, clock, metres)) for clock in (sheet.clock.lap, sheet.clock.reference))
        self.assertGreater(theirs - mine, 2.0, "the one that braked early is behind")
        header = page.get_by_role("region", name="Lap against lap")
        expect(header).to_contain_text(f"at 20.00 s, {round(mine)} m")
        speed = sheet.lanes[0]
        for values, place in ((speed.lap, mine), (speed.reference, theirs)):
            expect(self.lane_boxes().first).to_contain_text(f"{values[round(place / step)]:.1f}")
        # Two dots on the course, one for each; over distance there is one.
        course = page.get_by_role("region", name="Course")
        expect(course.locator("circle")).to_have_count(2)
        page.get_by_role("button", name="over distance").click()
        expect(course.locator("circle")).to_have_count(1)

    def test_laps_of_other_sessions_lie_over_both(self) -> None:
        rng = np.random.default_rng(8)
        other = recorded(drive(practice_loop(), KART, 6, (), 0.03, rng), rng).recording
        for days, name in ((1, "Bela Szenti"), (2, "Ida Brandvik")):
            earlier = replace(other, start=other.start - days * 86_400)
            self.stored(krec.write_recording(earlier, f"S-{days}"), self.person(name))
        page = self.opened()
        listed = self.computed()
        page.get_by_role("button", name="more laps").click()
        for name in ("Bela Szenti", "Ida Brandvik"):
            page.get_by_label(re.compile(f"^{name}")).first.check()
        page.get_by_label(re.compile("^Lap of Bela Szenti")).select_option("3")
        page.keyboard.press("Escape")
        header = page.get_by_role("region", name="Lap against lap")
        expect(header).to_contain_text(re.compile(r"Bela, lap 3.*Ida, lap \d"))
        # What the two laps lose against each other stays.
        self.listed(listed)
        speed = self.lane_boxes().first.locator("g[stroke-width='1.6'] path")
        expect(speed).to_have_count(4)
        page.get_by_role("button", name="more laps").click()
        page.get_by_label(re.compile("^Bela Szenti")).first.uncheck()
        page.keyboard.press("Escape")
        expect(header).not_to_contain_text("Bela")
        expect(speed).to_have_count(3)

    def test_missing_positions_are_hatched_and_nothing_is_said_of_their_stretch(self) -> None:
        whole = self.computed(4)
        assert whole.lost is not None and whole.course is not None
        stretch = whole.lost.rows[0].stretch
        made = recording_of(self.db, self.db.get_one(Session, self.row.id))
        lap = next(each for each in whole.laps if each.number == 4)
        at = [lap.start_s + whole.clock.lap[round(m / whole.course.step_m)] for m in (stretch.from_m, stretch.to_m)]

        def torn(channel: Channel) -> Channel:
            values = channel.values.copy()
            values[round((at[0] + 0.3) / channel.interval_s) : round((at[1] - 0.3) / channel.interval_s)] = np.nan
            return replace(channel, samples=ArraySamples(values))

        channels = made.channels | {key: torn(made.channels[key]) for key in ("lat", "lon")}
        self.row = self.stored(
            krec.write_recording(replace(made, channels=channels, start=made.start + 86_400), "S-torn"),
            self.person("Ida Brandvik"),
        )
        page = self.opened()
        self.lap(4).click()
        page.keyboard.press("c")
        expect(page.get_by_role("region", name="Lap against lap")).to_contain_text("no positions")
        expect(self.lane_boxes().first.locator("rect[fill='url(#no-positions)']")).to_have_count(1)
        lost = page.get_by_role("region", name="Time lost")
        expect(lost).to_contain_text(f"Corner {stretch.corner}, {stretch.part}: not assessable, no positions")
        expect(lost.get_by_role("button", name=re.compile(f"^{stretch.corner} ?Corner"))).to_have_count(0)
        self.listed(self.computed(4))

    def test_a_session_is_cut_by_the_lines_of_today(self) -> None:
        loop = course_register.add(self.db, "", json.dumps(course_of(practice_loop())), self.who)
        ends = [line.at_m for line in course_register.detail(self.db, loop.id).lines]
        course_register.change(self.db, loop.id, "Practice loop", [ends[0] + 80, *ends[1:]], 15.0, self.who)
        page = self.opened()
        before = self.lap(2).inner_text()
        page.get_by_label("Cut by the lines of").select_option("Practice loop, as it is now")
        # What is computed here is what was decided: not before the server has said so.
        expect(page.get_by_label("Cut by the lines of")).to_contain_text("Practice loop, as chosen")
        expect(self.lap(2)).not_to_have_text(before)
        self.listed(self.computed())
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
        # It is tried, also when something else was looked at meanwhile; for the next session only what was kept.
        page.get_by_role("radio", name="Laps").click()
        page.get_by_role("radio", name="Mixture").click()
        expect(page.get_by_label("Boundary 2 of engine speed")).to_have_value(typed)
        page.get_by_role("button", name="keep for such sessions").click()
        expect(page.get_by_role("button", name="as kept")).to_have_count(0)
        page.reload()
        page.get_by_role("radio", name="Mixture").click()
        expect(page.get_by_label("Boundary 2 of engine speed")).to_have_value(typed)
        page.get_by_label("Target to").fill("1.3")
        page.get_by_label("Target to").press("Enter")
        page.get_by_role("button", name="as kept").click()
        expect(page.get_by_label("Target to")).to_have_value("0.95")

    def test_readings_that_are_picked_show_their_cells(self) -> None:
        page = self.opened()
        page.get_by_role("radio", name="Mixture").click()
        recording = recording_of(self.db, self.db.get_one(Session, self.row.id))
        table = page.get_by_role("region", name="Table")
        spread = page.get_by_role("region", name="Spread")
        asked: list[str] = []
        page.on("request", lambda r: asked.append(r.url) if "/bins" in r.url else None)
        self.pull(spread.get_by_role("img"), 0.7, 0.95)
        expect(table).to_contain_text(re.compile(r"to \d.* in \d+ cells?\."))
        query = parse_qs(urlsplit(asked[-1]).query)
        ends = (float(query["pick_low"][0]), float(query["pick_high"][0]))
        whole = bin_sheet(recording, Review(), Asked("mixture", "rpm", "throttle"))
        span = whole.spread_edges[-1] - whole.spread_edges[0]
        # Of the width all but 4 of 270 at each side are the scale.
        for share, end in zip((0.7, 0.95), ends, strict=True):
            self.assertAlmostEqual((end - whole.spread_edges[0]) / span, (270 * share - 4) / 262, delta=0.03)
        self.shows(bin_sheet(recording, Review(), Asked("mixture", "rpm", "throttle", pick_value=ends)))
        # The same typed, with other ends; and a rectangle over the dots.
        page.get_by_label("Picked from").fill("0.9")
        page.get_by_label("Picked from").press("Enter")
        page.get_by_label("Picked to").fill("1.2")
        page.get_by_label("Picked to").press("Enter")
        self.shows(bin_sheet(recording, Review(), Asked("mixture", "rpm", "throttle", pick_value=(0.9, 1.2))))
        self.pull(page.get_by_role("region", name="Readings").get_by_role("img"), 0.5, 0.9)
        expect(table).to_contain_text("rpm:")
        query = parse_qs(urlsplit(asked[-1]).query)
        value, over = (tuple(float(query[f"pick_{k}{end}"][0]) for end in ("low", "high")) for k in ("", "over_"))
        both = Asked("mixture", "rpm", "throttle", pick_value=(value[0], value[1]), pick_over=(over[0], over[1]))
        self.shows(bin_sheet(recording, Review(), both))
        table.get_by_role("button", name="all again").click()
        expect(table).not_to_contain_text(" of ")

    def pull(self, picture: Locator, first: float, last: float) -> None:
        """The mouse over a picture, from one share of its width to another, down through its middle."""
        box = picture.bounding_box()
        assert box
        mouse = self.page.mouse
        mouse.move(box["x"] + box["width"] * first, box["y"] + box["height"] * 0.2)
        mouse.down()
        mouse.move(box["x"] + box["width"] * (first + last) / 2, box["y"] + box["height"] * 0.5)
        mouse.move(box["x"] + box["width"] * last, box["y"] + box["height"] * 0.8)
        mouse.up()

    def shows(self, found: BinSheet) -> None:
        """The cells on the screen say how many of their readings were picked, as computed."""
        assert found.picked is not None
        cells = [(i, j, n) for i, row in enumerate(found.picked.count) for j, n in enumerate(row) if n]
        self.assertGreater(len(cells), 0)
        said = "s" if len(cells) > 1 else ""
        expect(self.page.get_by_role("region", name="Table")).to_contain_text(f" in {len(cells)} cell{said}.")
        for i, j, n in cells:
            cell = self.page.locator(f"[data-cell='{i} {j}']")
            expect(cell).to_contain_text(f"{n} of {found.count[i][j]}")

    def test_a_boundary_is_dragged_a_cell_is_split_and_its_place_is_shown_on_the_course(self) -> None:
        page = self.opened()
        page.get_by_role("radio", name="Mixture").click()
        for label, value in (("Target from", "0.8"), ("Target to", "0.95")):
            page.get_by_label(label).fill(value)
            page.get_by_label(label).press("Enter")
        recording = recording_of(self.db, self.db.get_one(Session, self.row.id))
        found = bin_sheet(recording, Review(), Asked("mixture", "rpm", "throttle", target=(0.8, 0.95)))
        edge = page.get_by_label("Boundary 2 of engine speed")
        box, cell = edge.bounding_box(), page.locator("[data-cell='0 0']").bounding_box()
        assert box and cell
        mouse = page.mouse
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        mouse.move(x, y)
        mouse.down()
        mouse.move(x + 10, y)
        mouse.move(x + (cell["width"] + 2) / 2, y)
        mouse.up()
        # Half a cell to the right: half of the way to the next boundary.
        self.eventually(lambda: edge.input_value() != f"{found.edges[1]:,.0f}")
        moved = float(edge.input_value().replace(",", ""))
        self.assertAlmostEqual((moved - found.edges[1]) / (found.edges[2] - found.edges[1]), 0.5, delta=0.06)
        columns = len(found.edges) - 1
        cells = page.locator("[data-cell^='0 ']")
        expect(cells).to_have_count(columns)
        page.locator("[data-cell='0 1']").click(modifiers=["Alt"])
        expect(cells).to_have_count(columns + 1)
        middle = (moved + found.edges[2]) / 2
        expect(page.get_by_label("Boundary 3 of engine speed")).to_have_value(f"{middle:,.3f}".rstrip("0").rstrip("."))
        page.get_by_role("button", name="usual boundaries").click()
        lean = found.off[0]
        row = page.get_by_role("region", name="Cells off target").get_by_role("button").first
        expect(row).to_contain_text(lean.where)
        row.press("Enter")
        expect(page.get_by_role("radio", name="Laps")).to_be_checked()
        place = page.get_by_role("slider", name="Place on the course")
        expect(place).to_have_attribute("aria-valuenow", str(round((lean.from_m + lean.to_m) / 2)))
        expect(page.get_by_role("button", name="whole lap")).to_be_visible()

    def test_cells_around_the_points_of_a_map_by_the_fuel_with_its_share_to_add_copied(self) -> None:
        page = self.opened()
        page.context.grant_permissions(["clipboard-read", "clipboard-write"])
        page.get_by_role("radio", name="Mixture").click()
        for label, value in (("Target from", "0.8"), ("Target to", "0.9")):
            page.get_by_label(label).fill(value)
            page.get_by_label(label).press("Enter")
        recording = recording_of(self.db, self.db.get_one(Session, self.row.id))
        asked = Asked("mixture", "rpm", "throttle", target=(0.8, 0.9), around=True)
        found = bin_sheet(recording, Review(), asked)
        page.get_by_role("radio", name="around points").click()
        cells = page.locator("[data-cell^='0 ']")
        expect(cells).to_have_count(len(found.points))
        expect(page.get_by_label("Point 2 of engine speed")).to_have_value(f"{found.points[1]:,.0f}")
        page.get_by_label("share to add").check()
        row, column = next(
            (i, j) for i, each in enumerate(found.share) for j, v in enumerate(each) if not math.isnan(v)
        )
        share = found.share[row][column]
        expect(page.locator(f"[data-cell='{row} {column}']")).to_contain_text(f"{abs(share):.1f}")
        page.get_by_role("button", name="copy as map").click()
        lines = page.evaluate("navigator.clipboard.readText()").split("\n")
        self.assertEqual(len(lines), 1 + len(found.and_points))
        self.assertEqual(lines[0].split("\t")[1:], [f"{point:g}" for point in found.points])
        self.assertEqual([line.split("\t")[0] for line in lines[1:]], [f"{p:g}" for p in reversed(found.and_points)])
        copied = lines[len(lines) - 1 - row].split("\t")[1 + column]
        self.assertAlmostEqual(float(copied), share, delta=0.051)
        # As mass of air to ethanol: the target goes along, and the share stays what it was.
        page.get_by_label("Mixture as").select_option("ethanol")
        expect(page.get_by_label("Target to")).to_have_value(re.compile(r"^8\.1"))
        expect(page.locator(f"[data-cell='{row} {column}']")).to_contain_text(f"{abs(share):.1f}")

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
        ensemble = self.launch(StandIn("V-02", "VL-000204", "Logger 2", kind="vehicle", auto_start=False))
        ensemble.running["V-02"].tell("record", start=time.time() - 2000, length_s=1800, seed=5)
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        page.get_by_role("button", name="Take in all 1").click()
        row = page.get_by_role("row").filter(has_text="V-02").first
        expect(row).to_contain_text(re.compile(r"best \d.*, 29 laps"), timeout=60_000)
        row.get_by_role("link", name="review", exact=True).click()
        lost = page.get_by_role("region", name="Time lost")
        expect(lost).to_contain_text(re.compile(r"Corner \d+, (entry|exit)"), timeout=30_000)
        expect(page.get_by_role("region", name="Lap against lap")).to_be_visible()


class InThePit(BrowserTest):
    """The driver's story on a tablet, by finger alone."""

    watch = "0"
    size = (768, 1024)
    touch = True

    def test_where_the_time_was_lost_and_a_lap_that_does_not_count(self) -> None:
        mistakes = (Mistake(3, 3, "early brake", 0.5),)
        rng = np.random.default_rng(6)
        driven = drive(practice_loop(), KART, 8, mistakes, 0.03, rng, spun=(6,))
        row = self.stored(krec.write_recording(recorded(driven, rng).recording), self.person("Jonas Tveter"))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        lost = page.get_by_role("region", name="Time lost")
        self.lap(4).tap()
        self.lap(4).get_by_role("button", name="C compare").tap()
        sheet = lap_sheet(recording_of(self.db, row), Review(), LapsWish(4))
        assert sheet.lost is not None
        worst = sheet.lost.rows[0]
        expect(lost).to_contain_text(f"on lap 4 against lap {sheet.reference}")
        first = lost.get_by_role("button").first
        expect(first).to_contain_text(f"Corner {worst.stretch.corner}, {worst.stretch.part}{worst.reason}")
        first.tap()
        place = page.get_by_role("slider", name="Place on the course")
        middle = round((worst.stretch.from_m + worst.stretch.to_m) / 2)
        expect(place).to_have_attribute("aria-valuenow", str(middle))
        # A finger on the lanes moves the cursor, and with it the dot on the course.
        place.scroll_into_view_if_needed()
        box = place.bounding_box()
        assert box
        page.touchscreen.tap(box["x"] + box["width"] * 0.3, box["y"] + 60)
        expect(place).not_to_have_attribute("aria-valuenow", str(middle))
        expect(page.get_by_role("region", name="Course").locator("circle")).to_have_count(1)
        page.get_by_role("button", name="whole lap").tap()
        # The spun lap is left out and counted again, without a key.
        self.lap(7).tap()
        self.lap(7).get_by_role("button", name="X leave out").tap()
        page.get_by_role("form").get_by_role("button", name="spun").tap()
        counted = page.get_by_role("button", name=re.compile("^Laps counted"))
        expect(counted).to_contain_text("7of 8, 1 left out")
        page.get_by_role("button", name=re.compile("^Undo")).first.tap()
        expect(counted).to_have_text(re.compile("8of 8$"))
        # What is meant for a finger is large enough for one.
        for each in (first, self.lap(4)):
            size = each.bounding_box()
            assert size
            self.assertGreaterEqual(size["height"], 38)
        self.assert_nothing_cut_off("a driver's session on a tablet")

    def lap(self, number: int) -> Locator:
        return self.page.locator(f"tr[data-lap='{number}']")


class ByKeys(KeyboardTest):
    """The driver's story with the keyboard alone: from the cable to a lap that does not count."""

    def test_from_the_cable_to_where_the_time_is(self) -> None:
        ensemble = self.launch(StandIn("V-02", "VL-000204", "Logger 2", kind="vehicle", auto_start=False))
        ensemble.running["V-02"].tell("record", start=time.time() - 1200, length_s=900, seed=5)
        page = self.sign_in()
        page.goto(f"{self.address}/take-in")
        self.main_step("Take in all 1")
        expect(page.get_by_role("row").filter(has_text="V-02").first).to_contain_text(
            re.compile(r"best \d.* laps"), timeout=60_000
        )
        self.reach("^review$")
        self.press("Enter")
        lost = page.get_by_role("region", name="Time lost")
        expect(lost).to_contain_text(re.compile(r"Corner \d+, (entry|exit)"), timeout=30_000)
        self.step("the list of losses")
        row = self.db.exec(select(Session)).one()
        recording = recording_of(self.db, row)
        # Lap 3 against the best, then against lap 2.
        self.reach(r"^1\s")
        self.press("ArrowDown", "ArrowDown", "c")
        expect(lost).to_contain_text("on lap 3 against")
        self.press("ArrowUp", "r")
        expect(lost).to_contain_text("on lap 3 against lap 2")
        sheet = lap_sheet(recording, Review(), LapsWish(3, 2))
        assert sheet.lost is not None
        self.step("another pair of laps")
        # The first row of the list: its stretch, and back; then metre by metre.
        self.reach(r"^\d+\s+Corner", back=True)
        stretches = [each.stretch for each in sheet.lost.rows]
        focused = int(re.findall(r"Corner (\d+)", page.evaluate(NAME))[0])
        self.assertIn(focused, [each.corner for each in stretches])
        self.press("Enter")
        expect(page.get_by_role("button", name="whole lap")).to_be_visible()
        self.press("Escape")
        expect(page.get_by_role("button", name="whole lap")).to_have_count(0)
        self.reach("^Place on the course$", back=True)
        self.press("Home", "Shift+ArrowRight", "ArrowRight")
        expect(page.get_by_role("slider", name="Place on the course")).to_have_attribute("aria-valuenow", "11")
        self.step("a place on the course")
        # Lap 2 was traffic: it is left out with its reason, and counts again.
        self.reach(r"^2\s")
        self.press("x")
        expect(page.get_by_role("form", name="Why lap 2 does not count")).to_be_visible()
        self.type("traffic")
        self.press("Enter")
        expect(page.locator("tr[data-lap='2']")).to_contain_text("count it")
        counted = page.get_by_role("button", name=re.compile("^Laps counted"))
        expect(counted).to_contain_text("1 left out")
        self.press("Control+z")
        expect(counted).not_to_contain_text("left out")
        self.step("a lap left out and counted again")
        self.assertLess(self.count, 120, self.presses)
