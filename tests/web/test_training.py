"""A run on its own sheet: course, lanes and tree share one dot; over the way or the time; each level adds up on the screen."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from kumpel.formats import krec
from kumpel.standins import training_signal
from kumpel.standins.training_signal import Session as Run
from kumpel.store.tables import Session
from tests.web.browser import BrowserTest


class RunSheet(BrowserTest):
    watch = "0"

    def open(self, run: Run) -> tuple[Page, Session]:
        row = self.stored(krec.write_recording(training_signal.make(run).recording), self.person("Lovise Dahlen"))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("region", name="Session, intervals, splits")).to_be_visible()
        return page, row

    def test_a_pointer_anywhere_moves_one_dot_and_marks_its_row(self) -> None:
        page, _ = self.open(training_signal.usual_session(3))
        course = page.get_by_role("region", name="Course")
        expect(course.get_by_role("img")).to_have_accessible_name(re.compile("coloured by pace"))
        lanes = page.get_by_role("region", name="Over the way")
        box = lanes.get_by_role("application").bounding_box()
        assert box is not None
        dot = course.locator("circle.fill-brass")
        expect(dot).to_have_count(0)
        marked = page.locator("tr.bg-act-soft")
        places = []
        for share in (0.3, 0.8):
            page.mouse.move(box["x"] + box["width"] * share, box["y"] + 60)
            expect(dot).to_have_count(1)
            expect(marked).to_have_count(1)
            places.append((dot.get_attribute("cx"), marked.inner_text()))
        self.assertNotEqual(places[0], places[1])
        expect(lanes).to_contain_text(re.compile(r"\d\.\d+ km, \d\d:\d\d"))
        # A press on the course goes to the nearest place of it: the row follows.
        picture = course.get_by_role("img")
        picture.click(position={"x": 20, "y": 20})
        expect(dot).to_have_count(1)
        for by in ("heart rate", "zone"):
            course.get_by_role("radio", name=by).click()
            expect(picture).to_have_accessible_name(re.compile(f"coloured by {by}"))
        lanes.get_by_role("radio", name="time").click()
        expect(page.get_by_role("region", name="Over the time")).to_be_visible()
        self.assert_nothing_cut_off("a run")

    def test_each_level_adds_up_to_the_one_above_as_it_stands_on_the_screen(self) -> None:
        page, _ = self.open(training_signal.usual_session(3))
        tree = page.get_by_role("region", name="Session, intervals, splits")
        first = tree.get_by_role("button", name="Interval 1")
        first.focus()
        page.keyboard.press("ArrowRight")
        expect(tree.get_by_role("button", name=re.compile("^0.00 to 1.00 km"))).to_be_visible()

        def km(row: str) -> float:
            return float(tree.get_by_role("row", name=re.compile(f"^{row}")).locator("td").first.inner_text())

        intervals = tree.get_by_role("row", name=re.compile("^Interval "))
        total = sum(float(each.locator("td").first.inner_text()) for each in intervals.all())
        self.assertAlmostEqual(total, km("Session"), places=9)
        splits = tree.get_by_role("row", name=re.compile(r"^\d\.\d\d to "))
        inside = sum(float(each.locator("td").first.inner_text()) for each in splits.all())
        self.assertAlmostEqual(inside, km("Interval 1"), places=9)
        page.keyboard.press("ArrowLeft")
        expect(splits).to_have_count(0)
        # Without the belt for a minute: said beside the mean, and hatched in the bar.
        expect(tree.get_by_role("row", name=re.compile("^Interval 1"))).to_contain_text("% known")
        expect(page.get_by_role("region", name="Time in zones")).to_contain_text("no heart rate")
        page.get_by_role("region", name="Best efforts").get_by_role("button", name="1 km").click()
        expect(page.get_by_role("button", name="whole session")).to_be_visible()

    def test_strokes_stand_one_by_one_in_a_part_and_a_pace_is_told_over_500_m(self) -> None:
        page, row = self.open(Run(legs=((240.0, 3.0, 120.0), (240.0, 4.0, 150.0)), strokes_per_min=26.0))
        tree = page.get_by_role("region", name="Session, intervals, splits")
        expect(tree).to_contain_text("/500 m")
        tree.get_by_role("button", name="Interval 2").click()
        expect(tree.get_by_role("img")).to_have_accessible_name(
            re.compile(r"^10\d strokes, \d\.\d\d to \d\.\d\d m each")
        )
        self.assertIsNotNone(row.id)

    def test_without_positions_there_is_no_course_and_everything_else(self) -> None:
        made = training_signal.make(training_signal.usual_session(3)).recording
        channels = {key: c for key, c in made.channels.items() if key not in ("lat", "lon")}
        made = type(made)(
            "training", made.start, 60, channels, made.events, {**made.setup, "speed_source": "foot pod"}, made.recorder
        )
        row = self.stored(krec.write_recording(made), self.person("Arne Skogheim"))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_text("No position was recorded: there is no course to draw.")).to_be_visible()
        expect(page.get_by_role("region", name="Over the way")).to_be_visible()
