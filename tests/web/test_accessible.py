"""Every view and dialog is held against the rules of WCAG 2.2 AA that a program can check (axe-core), in every look."""

import re

from playwright.sync_api import expect

from kumpel.formats import krec
from kumpel.standins.signals import SIGNALS
from tests.web.axe import AxeTest

VIEWS = (
    "/hand-out",
    "/take-in",
    "/review/{noise}",
    "/review/{night}",
    "/report/{noise}",
    "/people",
    "/recorders",
    "/sessions",
    "/limits",
    "/settings",
    "/vehicles",
    "/firmware",
    "/radio",
)


class Accessible(AxeTest):
    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        ida = self.person("Ida Brandvik", team="Crusher hall")
        self.noise = self.session(7200, ida)
        self.night = self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording, "S-2"), ida)

    def test_sign_in_and_every_view_in_every_look(self) -> None:
        page = self.page
        page.goto(self.address)
        page.get_by_label("Password").wait_for()
        self.check("sign in")
        self.sign_in()
        for view in VIEWS:
            page.goto(f"{self.address}{view.format(noise=self.noise.id, night=self.night.id)}")
            page.get_by_role("heading").first.wait_for()
            self.check_every_look(view)

    def test_every_view_while_it_is_loading(self) -> None:
        page = self.sign_in()
        for view in VIEWS:
            page.route(re.compile(r"/api/(?!state|line|events)"), lambda route: None)
            page.goto(f"{self.address}{view.format(noise=self.noise.id, night=self.night.id)}")
            page.get_by_role("heading", level=1).first.wait_for(state="attached")
            self.check(f"{view} loading")
            page.unroute_all(behavior="ignoreErrors")

    def test_laps_and_tables_of_a_vehicle_in_every_look(self) -> None:
        drive = self.stored(krec.write_recording(SIGNALS["vehicle"](2).recording, "S-3"), self.person("Jonas Tveter"))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{drive.id}")
        page.get_by_role("region", name="Lap against lap").wait_for(timeout=60_000)
        page.locator("tr[data-lap]").first.click()
        page.get_by_role("region", name="Time lost").get_by_role("button").first.click()
        page.get_by_role("button", name=re.compile("^over (time|distance)$")).click()
        self.check_every_look("laps")
        page.get_by_role("button", name="more laps").click()
        expect(page.get_by_role("dialog")).to_contain_text("There is no other session on this course yet")
        self.check_every_look("more laps")
        page.keyboard.press("Escape")
        page.get_by_role("radio", name="Mixture").click()
        page.get_by_role("region", name="Table").wait_for()
        page.get_by_label("Target to").fill("0.9")
        page.get_by_label("Target to").press("Enter")
        page.get_by_role("region", name="Cells off target").get_by_role("button").first.click()
        page.get_by_label("Picked from").fill("0.9")
        page.get_by_label("Picked from").press("Enter")
        expect(page.get_by_role("region", name="Table")).to_contain_text("all again")
        self.check_every_look("table")

    def test_forced_colours_keep_the_shapes_of_verdicts(self) -> None:
        page = self.sign_in()
        page.emulate_media(forced_colors="active")
        for view in (f"/review/{self.noise.id}", f"/review/{self.night.id}", "/sessions", "/settings"):
            page.goto(f"{self.address}{view}")
            page.get_by_role("heading").first.wait_for()
            self.check(f"{view} in forced colours")
        page.goto(f"{self.address}/limits")
        page.locator(".shape").first.wait_for()
        looks = page.evaluate(
            """() => [...document.querySelectorAll('.shape')].map((e) => {
                const s = getComputedStyle(e);
                return [s.borderTopWidth, s.borderTopLeftRadius, s.backgroundImage !== 'none', s.backgroundColor].join(' ');
            })"""
        )
        self.assertGreaterEqual(len(set(looks)), 2, "an action level and a limit are told apart without colour")
        filled = [each for each in looks if each.startswith("0px")]
        self.assertTrue(filled)
        for each in filled:
            self.assertNotIn("rgba(0, 0, 0, 0)", each, "the square of a limit is filled")

    def test_what_is_set_and_tried(self) -> None:
        page = self.sign_in()
        page.goto(f"{self.address}/settings")
        page.get_by_role("button", name="Noise").first.click()
        self.check("settings of a kind")
        page.goto(f"{self.address}/limits")
        page.get_by_role("button", name="Copy and change").click()
        page.get_by_role("button", name=re.compile("^Steps of")).first.click()
        self.check("a limit set being changed")
        page.goto(f"{self.address}/review/{self.night.id}")
        picker = page.get_by_label("Beside another session")
        picker.focus()
        self.check("plain sheet")
        page.get_by_role("button", name="what if …").click()
        page.get_by_label("step 1: value").first.fill("1")
        self.check("other limits tried")
        page.goto(f"{self.address}/people/{self.night.person_id}")
        self.check("a person")

    def test_dialogs(self) -> None:
        page = self.sign_in()
        page.goto(self.address)
        page.get_by_role("navigation", name="The line").wait_for()
        page.keyboard.press("Control+k")
        self.check("find")
        page.keyboard.press("Escape")
        page.keyboard.press("?")
        self.check("keys")
        page.goto(f"{self.address}/review/{self.night.id}")
        page.get_by_title("Why this number?").first.click()
        self.check("why")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="type a stretch").click()
        self.check("stretch")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="leave out", exact=True).last.click()
        self.check("leave an event out")
        page.keyboard.press("Escape")
        page.get_by_role("button", name="pick, order").click()
        self.check("pick")
        page.goto(f"{self.address}/recorders")
        page.get_by_role("button", name="add by address").click()
        page.get_by_label("Address and port").fill("127.0.0.1:9")
        page.keyboard.press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("Nothing was added")
        self.check("add a recorder by its address")
        page.keyboard.press("Escape")
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name="Add a person").click()
        self.check("add a person")
