"""A run on its own sheet: course, lanes and tree share one dot; over the way or the time; each level adds up on the screen."""

from __future__ import annotations

import csv
import re
from dataclasses import replace

from playwright.sync_api import Page, expect

from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.services.ground import figures
from kumpel.standins import training_signal
from kumpel.standins.training_signal import Session as Run
from kumpel.store.tables import Session
from tests.core.test_hills import repeats, run
from tests.web.browser import BrowserTest
from tests.web.test_tasks import taken_in


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

    def test_four_over_one_another_and_the_same_hill_found_by_itself(self) -> None:
        """One street up and down: 400 m at 8 %, at 2.0 and at 2.5 m/s; the second is up in 4/5 of the time."""
        who, ids = self.person("Lovise Dahlen"), []
        for day, speed in enumerate((2.0, 2.5)):
            along = repeats(2, speed)
            made = replace(run(along, 500 + 0.08 * along), start=1_795_000_000.0 + 86_400 * day)
            made = replace(made, recorder={"serial": f"TW-000{day}"})
            ids.append(self.stored(krec.write_recording(made), who).id)
        page = self.sign_in()
        page.goto(f"{self.address}/compare?sessions={','.join(map(str, ids))}")
        over = page.get_by_role("region", name="Over one another")
        picture = over.get_by_role("img", name=re.compile("over the way"))
        expect(picture).to_have_accessible_name(re.compile("^behind, pace, heart rate, height of"))
        rows = over.get_by_role("table", name="The same hills").get_by_role("row")
        expect(rows).to_have_count(1 + 4)
        told = [row.inner_text() for row in rows.all()[1:]]
        self.assertEqual([text.count("fastest") for text in told], [0, 0, 1, 1])
        for text in told[:2]:
            self.assertRegex(text, r"3:0\d\s+\+3\d s")
        box = picture.bounding_box()
        assert box is not None
        # In the middle of the way, 800 m, the faster one was 80 s before.
        page.mouse.move(box["x"] + box["width"] * (104 + 0.5 * 786) / 900, box["y"] + 40)
        expect(picture).to_contain_text(re.compile("−(79|80|81)"))
        over.get_by_role("radio", name="time").click()
        expect(over.get_by_role("img", name=re.compile("over the time"))).to_have_accessible_name(re.compile("^pace"))
        self.assert_nothing_cut_off("sessions over one another")

    def test_splits_are_saved_as_a_table_that_any_program_reads(self) -> None:
        page, row = self.open(training_signal.usual_session(3))
        with page.expect_download() as saved:
            page.get_by_role("button", name="save all levels as CSV").click()
        lines = list(csv.reader(saved.value.path().read_text(encoding="utf-8-sig").splitlines()))
        outcome = figures.outcome(self.db, row.id or 0)
        assert outcome is not None
        table = next(t for t in outcome.both.reviewed.tables if t.key == "levels")
        self.assertEqual(len(lines), 1 + len(table.rows))
        way = [column.name for column in table.columns].index("Distance")
        self.assertEqual(lines[0][way], "Distance, km")
        self.assertEqual([float(line[way]) for line in lines[1:]], [float(r[way]) for r in table.rows])


class FromTheWatch(BrowserTest):
    """Presses from the dock on; nothing is typed."""

    def taken(self, setup: dict[str, object]) -> Page:
        watch = StandIn("W-01", "TW-000001", "Watch 1", kind="training", auto_start=False, rest={"setup": setup})
        return taken_in(self, watch, 1500)

    def test_a_session_to_a_page_given_on(self) -> None:
        page = self.taken({})
        page.get_by_role("button", name="Sign, then reports").click()
        expect(page.get_by_role("img", name="Page 1 of the report")).to_be_visible(timeout=30_000)
        with page.expect_download():
            page.get_by_role("button", name="Issue, PDF").click()
        with page.expect_download() as told:
            page.get_by_role("link", name="Web page").first.click()
        self.assertLessEqual(int(page.evaluate("window.presses")), 6)
        words = told.value.path().read_text(encoding="utf-8")
        outcome = figures.outcome(self.db, 1)
        assert outcome is not None
        distance = outcome.both.reviewed.figure("distance")
        self.assertIn(f"{distance.value:.3f}", words)
        fetched = re.findall(r'(?:src|href)="(?!data:|#|mailto:)([^"]+)"', words)
        self.assertEqual(fetched, [], "nothing is fetched")

    def test_a_stroke_session_to_its_splits(self) -> None:
        page = self.taken({"mode": "paddle"})
        tree = page.get_by_role("region", name="Session, intervals, splits")
        for head in ("/500 m", "strokes", "a minute", "m each"):
            expect(tree.get_by_role("columnheader", name=head, exact=True)).to_be_visible()
        # 34 strokes a minute is what the paddle was told to do; of the whole session it is what comes out.
        expect(tree.get_by_role("row").nth(1)).to_contain_text(re.compile(r"3[34]\.\d"))
        with page.expect_download() as saved:
            page.get_by_role("button", name="save all levels as CSV").click()
        self.assertLessEqual(int(page.evaluate("window.presses")), 5)
        lines = list(csv.reader(saved.value.path().read_text(encoding="utf-8-sig").splitlines()))
        self.assertGreater(len(lines), 3)
        self.assertIn("Strokes", lines[0])
