"""The plain sheet: every kind can be judged, its events decided, its session signed and printed."""

import io
import re
from dataclasses import replace
from unittest import mock

import pypdf
from playwright.sync_api import Page, Route, expect

from kumpel.core.recording import Recording
from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import decisions, figures, people
from kumpel.services.report import conclusions
from kumpel.standins.jaw_muscle_signal import Night, usual_groups
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Session
from tests.web.browser import BrowserTest


def recording_of(kind: str) -> Recording:
    if kind == "jaw_muscle":
        return make_night(Night(2, 660.0, groups=usual_groups(2, 660.0, 40))).recording
    return SIGNALS[kind](2).recording


class PlainSheet(BrowserTest):
    watch = "0"

    def of(self, kind: str) -> Session:
        return self.stored(krec.write_recording(recording_of(kind)), self.person("Emil Farkas"))

    def open(self, row: Session) -> Page:
        self.sign_in()
        self.page.goto(f"{self.address}/review/{row.id}")
        expect(self.page.get_by_role("heading", name="Emil Farkas")).to_be_visible()
        return self.page

    def value(self, row: Session, key: str) -> float:
        self.db.expire_all()
        found = conclusions.standing(self.db, row)
        assert found is not None
        return found.both.reviewed.figure(key).stated

    def key_figure(self, name: str) -> float:
        text = self.page.get_by_role("button", name=re.compile(f"^{re.escape(name)}")).first.inner_text()
        found = re.search(r"-?[0-9][0-9,]*(\.[0-9]+)?", text.splitlines()[1])
        assert found is not None, text
        return float(found[0].replace(",", ""))

    def test_an_event_is_left_out_by_keys_every_figure_follows_and_undo_brings_it_back(self) -> None:
        row = self.of("oximetry")
        page = self.open(row)
        before = self.key_figure("ODI4")
        self.assertEqual(before, self.value(row, "odi4"))
        page.get_by_role("button", name=re.compile("^falls of 4 points")).click()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("x")
        why = page.get_by_role("form", name=re.compile("^Why fall of 4 points at .* does not count"))
        expect(why.get_by_label("Reason")).to_be_focused()
        page.keyboard.type("turned over")
        page.keyboard.press("Enter")
        expect(why).to_have_count(0)
        side = page.get_by_role("complementary", name="Decisions")
        expect(side).to_contain_text("turned over")
        self.assertLess(self.key_figure("ODI4"), before)
        self.assertEqual(self.key_figure("ODI4"), self.value(row, "odi4"))
        page.keyboard.press("Control+z")
        expect(side).not_to_contain_text("turned over")
        self.assertEqual(self.key_figure("ODI4"), before)
        self.assertEqual(decisions.of_session(self.db, row.id or 0), [])

    def test_marks_on_one_spot_are_a_stack_that_a_click_opens(self) -> None:
        row = self.of("oximetry")
        page = self.open(row)
        found = page.get_by_role("application").locator("canvas").first
        box = found.bounding_box()
        assert box is not None
        whole = page.get_by_role("button", name="whole session")
        expect(whole).to_have_count(0)
        # Two minutes a pixel: somewhere in the row of the falls several stand on one spot.
        for step in range(8, int(box["width"]) - 50, 12):
            page.mouse.click(box["x"] + 44 + step, box["y"] + 8)
            page.wait_for_timeout(30)
            if whole.count():
                break
        expect(whole).to_be_visible()

    def test_a_lane_says_that_it_is_still_being_read(self) -> None:
        row = self.of("oximetry")
        self.sign_in()
        page = self.page
        held: list[Route] = []
        page.route("**/view?*", lambda route: held.append(route))
        page.add_init_script(
            "window.drawn = []; const fill = CanvasRenderingContext2D.prototype.fillText;"
            "CanvasRenderingContext2D.prototype.fillText = function (text, ...rest) "
            "{ window.drawn.push(text); return fill.call(this, text, ...rest); };"
        )
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("heading", name="Emil Farkas")).to_be_visible()
        self.eventually(lambda: "reading …" in page.evaluate("window.drawn"))
        for route in held:
            route.continue_()
        page.unroute("**/view?*")
        page.wait_for_timeout(500)
        page.evaluate("window.drawn = []")
        page.get_by_role("application").press("+")
        self.eventually(lambda: page.evaluate("window.drawn.length") > 0)
        self.assertNotIn("reading …", page.evaluate("window.drawn"))

    def test_reasons_are_chips_under_the_row_and_a_number_takes_one(self) -> None:
        row = self.of("oximetry")
        page = self.open(row)
        page.get_by_role("button", name=re.compile("^falls of 4 points")).click()
        page.keyboard.press("ArrowDown")
        page.keyboard.press("x")
        why = page.get_by_role("form", name=re.compile("does not count"))
        page.keyboard.press("Escape")
        expect(why).to_have_count(0)
        self.assertEqual(decisions.of_session(self.db, row.id or 0), [])
        page.keyboard.press("x")
        second = why.get_by_role("button").nth(1).inner_text().removeprefix("2").strip()
        page.keyboard.press("2")
        expect(page.get_by_role("complementary", name="Decisions")).to_contain_text(second)
        page.get_by_role("button", name="left out 1", exact=True).click()
        events = page.get_by_role("region", name="List of events")
        events.get_by_role("button", name="count it").first.click()
        self.eventually(lambda: decisions.of_session(self.db, row.id or 0) == [] or self.db.rollback())

    def test_dragging_over_the_lanes_leaves_a_stretch_out(self) -> None:
        row = self.of("oximetry")
        page = self.open(row)
        lanes = page.get_by_role("application").locator("canvas").nth(1)
        box = lanes.bounding_box()
        assert box is not None
        page.mouse.move(box["x"] + 200, box["y"] + 40)
        page.mouse.down()
        page.mouse.move(box["x"] + 300, box["y"] + 50, steps=6)
        page.mouse.up()
        page.get_by_label("Why?").fill("probe changed")
        page.get_by_role("button", name="Leave out", exact=True).click()
        expect(page.get_by_role("button", name="Change probe changed")).to_be_visible()
        self.db.expire_all()
        [left_out] = decisions.of_session(self.db, row.id or 0)
        share = (left_out.end_s - left_out.start_s) / row.length_s
        self.assertAlmostEqual(share, 100 / (box["width"] - 42), delta=0.004)

    def test_sleep_is_moved_by_hand(self) -> None:
        row = self.of("blood_pressure")
        page = self.open(row)
        dip = self.value(row, "dip.systolic")
        page.get_by_role("button", name="set by hand").click()
        page.get_by_role("button", name=re.compile("^Change the sleep from")).click()
        shown = page.get_by_label("To", exact=True).input_value()
        hour = (int(shown[:2]) - 3) % 24
        page.get_by_label("To", exact=True).fill(f"{hour:02d}{shown[2:]}")
        page.get_by_role("button", name="Change", exact=True).click()
        self.eventually(lambda: self.value(row, "dip.systolic") != dip)
        page.keyboard.press("Control+z")
        page.keyboard.press("Control+z")
        self.eventually(lambda: self.value(row, "dip.systolic") == dip)

    def test_a_setting_that_needs_a_reason_asks_for_it(self) -> None:
        row = self.of("dust")
        page = self.open(row)
        mean = self.value(row, "mean")  # with the factor 1.3 that was set on the recorder
        factor = page.get_by_role("textbox", name="Factor")
        factor.fill("2")
        factor.press("Enter")
        page.get_by_label("Reason").fill("weighed filter")
        page.get_by_role("button", name="Set it").click()
        self.eventually(lambda: abs(self.value(row, "mean") - 2 / 1.3 * mean) < 0.002)
        self.assertEqual(decisions.of_session(self.db, row.id or 0)[0].reason, "weighed filter")

    def test_what_could_not_be_computed_is_said_and_can_be_tried_again(self) -> None:
        broken = replace(KINDS["oximetry"], assess=mock.Mock(side_effect=ValueError("the probe was never on")))
        row = self.of("oximetry")
        with mock.patch.dict(KINDS, {"oximetry": broken}):
            figures.refresh(self.db, row)
            self.db.commit()
        page = self.open(row)
        expect(page.get_by_text("the probe was never on")).to_be_visible()
        page.get_by_role("button", name="Compute the figures again").click()
        expect(page.get_by_role("button", name=re.compile("^ODI4")).first).to_be_visible(timeout=15_000)


class Opened(BrowserTest):
    watch = "0"

    def test_what_would_differ_is_said_and_opening_again_needs_a_reason(self) -> None:
        person = self.person("Emil Farkas")
        row = self.stored(krec.write_recording(recording_of("oximetry")), person)
        conclusions.sign(self.db, row.id or 0, row.review_version, self.who)
        people.change_person(self.db, person.id or 0, {"name": "Emil Farkas-Holm"})
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_text("Emil Farkas when signed, now Emil Farkas-Holm")).to_be_visible()
        page.get_by_role("button", name="Open again").click()
        dialog = page.get_by_role("dialog", name="Open this session again?")
        expect(dialog.get_by_role("button", name="Open again")).to_be_disabled()
        dialog.get_by_label("Reason").fill("the wrong night")
        page.keyboard.press("Enter")
        expect(page.get_by_role("button", name="Sign off")).to_be_visible()
        page.get_by_text("signed before").click()
        expect(page.get_by_text("opened again by Runa Halvorsen: the wrong night")).to_be_visible()


class EveryKind(BrowserTest):
    watch = "0"
    size = (1024, 700)

    def test_every_kind_is_judged_signed_and_printed_with_the_figures_of_its_result(self) -> None:
        self.sign_in()
        page = self.page
        for kind in KINDS:
            with self.subTest(kind=kind):
                person = self.person(f"Wearer of {kind}")
                row = self.stored(krec.write_recording(recording_of(kind), f"S-{kind}"), person)
                page.goto(f"{self.address}/review/{row.id}")
                expect(page.get_by_role("heading", name=person.name)).to_be_visible()
                found = conclusions.standing(self.db, row)
                assert found is not None
                reviewed = found.both.reviewed
                shown = page.get_by_title("Why this number?").filter(visible=True)
                expect(shown.nth(min(len(reviewed.key_figures), 4) - 1)).to_be_visible()
                for tab in page.get_by_role("tab").all():
                    tab.click()
                    expect(page.get_by_role("tabpanel")).to_be_visible()
                self.assert_nothing_cut_off(kind)
                page.get_by_label("Conclusion").fill("Judged.")
                page.get_by_role("button", name="Sign off").click()
                expect(page.get_by_text("Signed off by Runa Halvorsen")).to_be_visible()
                issued = page.request.post(
                    f"{self.address}/api/sessions/{row.id}/reports",
                    data={"parts": list(KINDS[kind].one_page), "named": True},
                )
                self.assertEqual(issued.status, 201, issued.text())
                pdf = page.request.get(f"{self.address}/api/reports/{issued.json()['id']}/pdf").body()
                text = "\n".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(pdf)).pages)
                self.assertIn(person.name, text)
                for judgement in reviewed.judgements:
                    figure = reviewed.figure(judgement.figure)
                    if figure.value == figure.value and figure.unit != "h" and abs(figure.value) != float("inf"):
                        self.assertIn(f"{figure.value:.{figure.decimals}f}", text, figure.key)
