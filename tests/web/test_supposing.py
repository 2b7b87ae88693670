"""What would come out, before it is decided: handles that move, values that are typed, limits that are only wished."""

import re

from playwright.sync_api import Page, Request, Route, expect
from sqlmodel import func, select

from kumpel.core.review import Review, Stretch
from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import decisions, figures, limits, settings
from kumpel.services.report import conclusions
from kumpel.services.review import deciding
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import FigureValue, Person, Result, Session
from tests.web.browser import BrowserTest


class Supposing(BrowserTest):
    watch = "0"
    who_wears: Person | None = None

    def of(self, kind: str, seed: int = 2) -> Session:
        if self.who_wears is None:
            self.who_wears = self.person("Emil Farkas")
        return self.stored(krec.write_recording(SIGNALS[kind](seed).recording), self.who_wears)

    def open(self, row: Session) -> Page:
        self.sign_in()
        self.page.goto(f"{self.address}/review/{row.id}")
        expect(self.page.get_by_role("heading", name="Emil Farkas")).to_be_visible()
        return self.page

    def card(self, name: str) -> str:
        return self.page.get_by_role("button", name=re.compile(f"^{re.escape(name)}")).first.inner_text()

    def results(self) -> int:
        self.db.expire_all()
        return self.db.exec(select(func.count()).select_from(Result)).one()

    def place(self, row: Session, at_s: float) -> tuple[float, float]:
        """Where a moment lies on the lanes."""
        canvases = self.page.get_by_role("application").locator("canvas")
        # The chart of pressures is one canvas with the limits named at its right; lanes have one for marks, one for themselves.
        alone = canvases.count() == 1
        box = canvases.nth(0 if alone else 1).bounding_box()
        assert box is not None
        right = 34 if alone else 2
        return box["x"] + 40 + at_s / row.length_s * (box["width"] - 40 - right), box["y"] + 60

    def test_the_edge_of_computed_sleep_drags_and_the_figures_follow_before_it_is_let_go(self) -> None:
        row = self.of("blood_pressure")
        page = self.open(row)
        expect(page.get_by_text("as computed")).to_be_visible()
        before, results = self.card("Dip in sleep"), self.results()
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        [sleep] = found.both.reviewed.stretches
        x, y = self.place(row, sleep.start_s)
        page.mouse.move(x, y)
        page.mouse.down()
        moved, _ = self.place(row, sleep.start_s + 10_000)
        page.mouse.move(moved, y, steps=12)
        expect(page.get_by_role("button", name=re.compile("^Dip in sleep")).first).to_contain_text("would")
        # Nothing is kept while it moves, and what is shown is what the computation says of just this sleep.
        self.assertEqual((decisions.of_session(self.db, row.id or 0), self.results()), ([], results))
        page.mouse.up()
        expect(page.get_by_role("button", name=re.compile("^Change the sleep from"))).to_be_visible()
        self.assertNotEqual(self.card("Dip in sleep"), before)
        self.db.expire_all()
        [decided] = decisions.of_session(self.db, row.id or 0)
        self.assertAlmostEqual(decided.start_s, sleep.start_s + 10_000, delta=row.length_s / 500)
        self.assertAlmostEqual(decided.end_s, sleep.end_s, delta=0.01)
        kind = KINDS["blood_pressure"]
        recording = SIGNALS["blood_pressure"](2).recording
        review = Review(asleep=(Stretch(decided.start_s, decided.end_s, "asleep"),))
        expected = kind.assess(recording, review, found.limits).reviewed.figure("dip.systolic").stated
        self.assertIn(f"{expected:.1f}", self.card("Dip in sleep"))
        page.keyboard.press("Control+z")
        expect(page.get_by_text("as computed")).to_be_visible()
        self.assertEqual(self.card("Dip in sleep"), before)

    def test_the_edge_of_a_stretch_that_was_left_out_drags_by_finger_width(self) -> None:
        row = self.of("oximetry")
        wish = decisions.Wish("left out", start_s=row.length_s / 4, end_s=row.length_s / 2, reason="probe off")
        deciding.decide(self.db, row.id or 0, row.review_version, [wish])
        page = self.open(row)
        x, y = self.place(row, row.length_s / 2)
        page.mouse.move(x + 4, y)
        page.mouse.down()
        page.mouse.move(self.place(row, 0.75 * row.length_s)[0], y, steps=8)
        page.mouse.up()

        def decided() -> bool:
            self.db.expire_all()
            [one] = decisions.of_session(self.db, row.id or 0)
            return abs(one.end_s - 0.75 * row.length_s) < row.length_s / 200 and one.start_s == row.length_s / 4

        self.eventually(decided)

    def test_a_drag_that_is_taken_away_decides_nothing(self) -> None:
        row = self.of("blood_pressure")
        page = self.open(row)
        expect(page.get_by_text("as computed")).to_be_visible()
        before = self.card("Dip in sleep")
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        x, y = self.place(row, found.both.reviewed.stretches[0].start_s)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 80, y, steps=6)
        card = page.get_by_role("button", name=re.compile("^Dip in sleep")).first
        expect(card).to_contain_text("would")
        page.get_by_role("application").dispatch_event("pointercancel", {"pointerId": 1})
        expect(card).not_to_contain_text("would")
        page.mouse.move(x + 160, y, steps=4)
        page.mouse.up()
        page.wait_for_timeout(300)
        self.assertEqual(self.card("Dip in sleep"), before)
        self.assertEqual(decisions.of_session(self.db, row.id or 0), [])

    def test_a_value_that_is_typed_shows_what_would_come_out(self) -> None:
        row = self.of("dust")
        page = self.open(row)
        before, results = self.card("Mean"), self.results()
        field = page.get_by_label("Factor", exact=True)
        field.fill("2")
        card = page.get_by_role("button", name=re.compile("^Mean")).first
        expect(card).to_contain_text("would be so; now")
        self.assertEqual((decisions.of_session(self.db, row.id or 0), self.results()), ([], results))
        field.fill("nonsense")
        expect(card).not_to_contain_text("would")
        field.fill("")
        field.blur()
        expect(card).not_to_contain_text("would")
        self.assertEqual(self.card("Mean"), before)

    def test_of_many_questions_only_the_first_and_the_newest_are_asked(self) -> None:
        row = self.of("oximetry")
        page = self.open(row)
        asked: list[Request] = []
        page.on("request", lambda r: asked.append(r) if r.url.endswith("/preview") else None)
        x, y = self.place(row, row.length_s / 3)
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x + 120, y, steps=3)
        page.mouse.up()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Why?").press_sequentially("probe changed at night")
        expect(dialog).to_contain_text("With it:")
        self.assertLess(len(asked), 18, "one question a letter would be 22")

    def test_a_limit_set_is_copied_tried_kept_and_used(self) -> None:
        rows = [self.of("noise"), self.of("noise", 3)]
        for row in rows:
            self.db.refresh(row)
        self.sign_in()
        page = self.page
        base = limits.all_limit_sets(self.db, "noise")[0]
        page.goto(f"{self.address}/limits?set={base.key}")
        daily = page.get_by_role("article", name="Daily exposure", exact=True)
        told = page.get_by_role("region", name="What it would do")
        flag = daily.get_by_role("slider").first
        values = [self.stated(row, "lex8h") for row in rows]
        for value in self.db.exec(select(FigureValue).where(FigureValue.key == "lex8h")).all():
            value.verdict = "within"  # what was not judged counts nowhere, and these are short
            self.db.add(value)
        self.db.commit()
        # One press of a key moves it by as much as the figure is stated with; what it does stands there at once.
        flag.press("ArrowLeft")
        expect(flag).to_have_attribute("aria-valuenow", "79.9")
        reached = [sum(v >= step for v in values) for step in (80.0, 79.9)]
        expect(told.get_by_role("status")).to_contain_text(f"{reached[0]} → {reached[1]}")
        # A flag cannot pass its neighbour.
        for _ in range(8):
            flag.press("PageUp")
        self.assertLess(float(flag.get_attribute("aria-valuenow") or "inf"), 85)
        flag.press("Enter")
        box = page.get_by_label("Daily exposure, step 1: value")
        expect(box).to_be_focused()
        box.fill("x")
        expect(page.get_by_role("alert")).to_contain_text("is not a number")
        expect(page.get_by_role("button", name="Keep as a set of the house")).to_be_disabled()
        box.fill("60")
        expect(told.get_by_role("status")).to_contain_text(f"{reached[0]} → {len(rows)}")
        moved = {row.person_id for row, value in zip(rows, values, strict=True) if 60 <= value < 80 and row.person_id}
        expect(told.get_by_role("list", name="Whom it hits").get_by_role("listitem")).to_have_count(len(moved))
        page.get_by_label("Name", exact=True).fill("Levels of the mill")
        self.assertEqual([s for s in limits.all_limit_sets(self.db, "noise") if not s.shipped], [])
        page.get_by_role("button", name="Keep as a set of the house").click()
        expect(page.get_by_role("heading", name="Levels of the mill")).to_be_visible()
        mine = page.get_by_role("region", name="Versions")
        expect(mine).to_contain_text("version 1")
        page.get_by_role("button", name="Change", exact=True).click()
        page.get_by_role("button", name="Steps of Daily exposure under protection").click()
        page.get_by_role("button", name="take away the rule Daily exposure under protection").click()
        keep = page.get_by_role("button", name="Keep as the next version")
        expect(keep).to_be_disabled()
        page.get_by_label("Why", exact=True).fill("no protection is worn in the mill")
        keep.click()
        expect(mine.get_by_role("listitem").first).to_contain_text("version 2")
        expect(mine.get_by_role("listitem").first).to_contain_text(
            "Daily exposure under protection taken away: “no protection is worn in the mill”"
        )
        own = [s for s in limits.all_limit_sets(self.db, "noise") if not s.shipped]
        self.assertEqual([s.data["rules"][0]["steps"][0]["value"] for s in own], [60.0, 60.0])
        page.goto(f"{self.address}/review/{rows[0].id}")
        page.get_by_role("combobox", name=re.compile("^Limits")).select_option(label="Levels of the mill, version 2")
        page.get_by_role("button", name="use for this session").click()
        self.eventually(lambda: self.limits_of(rows[0]) == "Levels of the mill")

    def test_the_set_that_was_chosen_is_kept_while_its_figures_are_still_on_their_way(self) -> None:
        row = self.of("noise")
        page = self.open(row)
        held: list[Route] = []
        page.route("**/review?limit_set_id=*", lambda route: held.append(route))
        other = limits.all_limit_sets(self.db, "noise")[1]
        page.get_by_role("combobox", name=re.compile("^Limits")).select_option(value=str(other.id))
        page.get_by_role("button", name="use for this session").click()
        self.eventually(lambda: self.limits_of(row) == other.name)
        for route in held:
            route.abort()

    def test_other_limits_are_tried_beside_the_figures_of_one_session(self) -> None:
        row = self.of("oximetry")
        page = self.open(row)
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        rate = found.both.reviewed.figure("odi4").stated
        assert rate is not None
        self.assertEqual(found.both.reviewed.verdict, "within")
        results, kept = self.results(), len(limits.all_limit_sets(self.db))
        page.get_by_role("button", name="what if …").click()
        panel = page.get_by_role("region", name="What if the limits were others")
        expect(panel.get_by_role("heading")).to_be_focused()
        panel.get_by_label("ODI4, step 1: value").fill(f"{rate - 1:.1f}")
        status = panel.get_by_role("status")
        expect(status).to_contain_text(f"would be: ODI4: screening level {rate - 1:.1f} reached by 1.0")
        expect(status).to_contain_text("now: within all limits")
        page.get_by_role("tab", name=re.compile("^Figures")).click()
        line = page.get_by_role("tabpanel").get_by_role("row").filter(has_text="ODI4")
        expect(line.first).to_contain_text(f"{rate - 1:.1f}")
        self.assertEqual((self.results(), len(limits.all_limit_sets(self.db))), (results, kept), "trying keeps nothing")
        # The limits that are tried hold while something else is decided.
        page.get_by_role("button", name=re.compile("^falls of 4 points")).click()
        page.get_by_role("region", name="List of events").get_by_role("button", name="leave out").first.click()
        page.get_by_role("form", name=re.compile("does not count")).get_by_role("button").first.click()
        expect(status).to_contain_text(re.compile(r"would be: ODI4: screening level 2\.9 reached by 0\.[89]"))
        page.keyboard.press("Control+z")
        expect(status).to_contain_text("reached by 1.0")
        results = self.results()
        panel.get_by_role("button", name="Keep these limits …").click()
        panel.get_by_label("Name", exact=True).fill("Our own screening")
        panel.get_by_role("button", name="Keep as a set of the house").click()
        expect(page.get_by_text("only looking")).to_be_visible()
        page.get_by_role("button", name="use for this session").click()
        expect(page.get_by_text("only looking")).to_have_count(0)
        self.db.expire_all()
        now = figures.outcome(self.db, row.id or 0)
        assert now is not None
        self.assertEqual((now.limits.name, now.both.reviewed.verdict), ("Our own screening", "action level reached"))

    def pull_line(self, y_from: float, y_to: float, x: float) -> None:
        mouse = self.page.mouse
        mouse.move(x, y_from)
        mouse.down()
        mouse.move(x, (y_from + y_to) / 2, steps=3)
        mouse.move(x, y_to, steps=3)
        mouse.up()

    def test_a_line_of_a_limit_is_dragged_in_the_picture_and_the_picture_stays_in_sight(self) -> None:
        """Noise: the plot's own scale tells where 80 dB stands; two ticks apart tell how far a decibel is."""
        row = self.of("noise")
        page = self.open(row)
        plot = page.get_by_role("application").locator("canvas")
        before = plot.bounding_box()
        page.get_by_role("button", name="what if …").click()
        panel = page.get_by_role("region", name="What if the limits were others")
        first = panel.get_by_role("textbox").first
        was = float(first.input_value())
        expect(plot).to_be_in_viewport(ratio=1)
        box = plot.bounding_box()
        assert box is not None and before is not None
        self.assertLess(box["y"] - before["y"], 190)
        # The line is found as a person finds it: where the pointer says that it can be moved.
        x = box["x"] + box["width"] * 0.7
        upwards = range(int(box["y"] + box["height"]) - 30, int(box["y"]), -1)
        found = next((y for y in upwards if self.movable(x, y)), None)
        assert found is not None, "no line of a limit is in the picture"
        low = found - 4  # the lowest line reaches 5 px to both sides
        self.pull_line(low, low - 12, x)  # by some dB, and not as far as the next step
        self.assertGreater(float(first.input_value()), was)
        expect(panel.get_by_role("status")).to_contain_text(re.compile("would (be|stay)"))
        self.assertEqual(page.get_by_label("Why?").count(), 0, "a drag of a line marks no stretch")

    def movable(self, x: float, y: float) -> bool:
        self.page.mouse.move(x, y)
        # A pointer's move is heard in the frame after it.
        self.page.evaluate("() => new Promise(heard => requestAnimationFrame(() => requestAnimationFrame(heard)))")
        return bool(self.page.get_by_role("application").evaluate("place => place.style.cursor === 'ns-resize'"))

    def test_the_alarm_of_a_gas_is_in_its_picture_and_dragged_there(self) -> None:
        row = self.of("gas")
        page = self.open(row)
        page.get_by_role("button", name="what if …").click()
        panel = page.get_by_role("region", name="What if the limits were others")
        expect(panel.get_by_role("textbox").first).to_be_visible()
        values = [each.input_value() for each in panel.get_by_role("textbox").all()]
        canvas = page.get_by_role("application").locator("canvas").nth(1)
        box = canvas.bounding_box()
        assert box is not None
        x = box["x"] + box["width"] * 0.6
        place = page.get_by_role("application")
        found = None
        for y in range(int(box["y"]), int(box["y"] + box["height"]), 2):
            page.mouse.move(x, y)
            if place.evaluate("e => e.style.cursor === 'ns-resize'"):
                found = y
                break
        assert found is not None, "no line of a limit is in the picture"
        self.pull_line(found + 3, found + 12, x)
        self.assertNotEqual([each.input_value() for each in panel.get_by_role("textbox").all()], values)

    def test_limits_that_cannot_be_are_said_once_and_a_changed_step_is_a_change(self) -> None:
        for seed in (2, 3):
            self.of("noise", seed)
        self.sign_in()
        page = self.page
        page.goto(f"{self.address}/limits?set=noise")
        article = page.get_by_role("article", name="Daily exposure", exact=True)
        page.get_by_role("button", name="Copy and change").click()
        article.get_by_role("button", name="Steps of Daily exposure").click()
        first, second = (article.get_by_label(f"Daily exposure, step {n}: value") for n in (1, 2))
        first.fill("90")
        told = page.get_by_role("alert").filter(has_text="each step must lie above the one before it")
        expect(told).to_have_count(1)
        expect(page.get_by_role("button", name="Keep as a set of the house")).to_be_disabled()
        # The action level stays one; which step of it is reached does not.
        first.fill("60")
        second.fill("140")
        expect(told).to_have_count(0)
        expect(article).to_contain_text("2 lower action value")
        expect(article).to_contain_text("0 upper action value")

    def test_a_click_on_the_name_of_a_lane_makes_it_tall_and_the_next_as_before(self) -> None:
        page = self.open(self.of("oximetry"))
        name = page.get_by_role("button", name=re.compile("^Pulse bpm"))
        before = name.bounding_box()
        name.click()
        expect(name).to_have_attribute("aria-pressed", "true")
        after = name.bounding_box()
        assert before is not None and after is not None
        self.assertGreater(after["height"], 2 * before["height"])
        name.press("Enter")
        expect(name).to_have_attribute("aria-pressed", "false")

    def stated(self, row: Session, key: str) -> float:
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        return found.both.reviewed.figure(key).stated

    def limits_of(self, row: Session) -> str:
        self.db.expire_all()
        found = conclusions.standing(self.db, row)
        return found.limits.name if found else ""

    def test_settings_are_kept_as_they_are_typed_and_can_be_taken_back(self) -> None:
        self.sign_in()
        page = self.page
        page.goto(f"{self.address}/settings")
        name = page.get_by_label("Name above every report")
        name.fill("Tarnfels mine")
        name.press("Enter")
        expect(page.get_by_text(re.compile("^set by"))).to_be_visible()
        clock = page.get_by_label(re.compile("^Clock said"))
        clock.fill("0")
        clock.blur()
        expect(page.get_by_role("alert")).to_contain_text("At least 1")
        page.get_by_role("navigation", name="Whose settings").get_by_role("button", name="Noise").click()
        offered = page.get_by_label(re.compile("^Offered to leave"))
        offered.fill("radio\nbreak room\n")
        offered.blur()
        expect(page.get_by_text(re.compile("^set by"))).to_be_visible()
        row = self.of("noise")
        page.goto(f"{self.address}/review/{row.id}")
        page.get_by_role("button", name="type a stretch instead of dragging").click()
        expect(page.get_by_role("dialog").get_by_role("button", name="break room")).to_be_visible()
        expect(page.get_by_role("dialog").get_by_role("button", name="meter knocked")).to_have_count(0)
        page.goto(f"{self.address}/settings")
        page.get_by_role("button", name="take away").click()
        expect(name).to_have_value("")

    def test_words_of_the_leaflet_begin_from_those_shipped_and_networks_are_refused_where_they_are_none(self) -> None:
        self.sign_in()
        page = self.page
        page.goto(f"{self.address}/settings")
        networks = page.get_by_label(re.compile("^Networks to look in"))
        networks.fill("127.0.0.0/8\ndock")
        networks.blur()
        expect(page.get_by_text("“dock” is no network.")).to_be_visible()
        networks.fill("127.0.0.0/8\n198.51.100.9/24")
        networks.blur()
        expect(networks).to_have_value("127.0.0.0/8\n198.51.100.0/24")
        page.goto(f"{self.address}/recorders?as=list")
        where = page.get_by_role("region", name="Looked in")
        expect(where).to_contain_text("this machine, none in reach")
        expect(where).to_contain_text("198.51.100.0/24: the server has no address in it now")
        page.goto(f"{self.address}/settings")
        page.get_by_role("navigation", name="Whose settings").get_by_role("button", name="Noise").click()
        leaflet = page.get_by_role("region", name="Leaflet")
        words = leaflet.get_by_label(re.compile("^What to do"))
        # Begun and left as it is: nothing of one's own.
        leaflet.get_by_role("button", name="change these").click()
        expect(words).to_be_focused()
        words.blur()
        expect(words).to_have_value("")
        expect(leaflet).to_contain_text("as shipped")
        leaflet.get_by_role("button", name="change these").click()
        words.press("Control+End")
        words.press_sequentially("\nQuestions: ring 17.")
        words.blur()
        expect(leaflet.get_by_text(re.compile("^set by"))).to_be_visible()
        self.db.rollback()
        kept = settings.value_of(self.db, settings.leaflet_word(KINDS["noise"]), kind="noise")
        self.assertEqual(kept, KINDS["noise"].leaflet + "\nQuestions: ring 17.")


if __name__ == "__main__":
    import unittest

    unittest.main()
