"""Reviewing a day of blood pressure through the screen: readings picked by key, sleep typed, limits tried, two recordings compared."""

import math
import re
from datetime import UTC, date, datetime
from typing import Any

from playwright.sync_api import Page, expect

from kumpel.core.blood_pressure.assess import assess
from kumpel.core.review import Review
from kumpel.services.ground import decisions, figures, limits, settings
from kumpel.services.ground.recordings import recording_of
from kumpel.services.register import medicines
from kumpel.services.register.medicines import Taken
from kumpel.services.report import conclusions
from kumpel.services.take_in import take_in
from kumpel.standins.blood_pressure_signal import Day, make
from kumpel.standins.made import as_file
from kumpel.store.tables import LimitSetRow, Session
from tests.web.axe import AxeTest
from tests.web.axe_rules import violations

ABOUT = {"serial": "BP-000103", "name": "Cuff recorder 3", "token": "C-03", "model": "BP-24", "firmware": "3.0.1"}


class Pressure(AxeTest):
    def setUp(self) -> None:
        super().setUp()
        self.petter = self.person("Petter Lunde")

    def recorded(self, on: date, **day: Any) -> Session:
        start = datetime(on.year, on.month, on.day, 9, 20, tzinfo=UTC).timestamp()
        usual: dict[str, Any] = {
            "seed": on.toordinal(),
            "start": start,
            "failing": 0.04,
            "asleep": ((45_000.0, 75_000.0),),
        }
        made = make(Day(**usual | day))
        wish = {"person_id": self.petter.id, "tags": {"arm": "left", "cuff": "medium", "day": "working day"}}
        row = take_in.from_file(self.db, as_file(made, f"S{on:%y%m%d}", start, 60, ABOUT), self.who, wish)
        figures.assess(self.db, row)
        self.db.commit()
        return row

    def open(self, row: Session) -> Page:
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("region", name="Readings", exact=True)).to_be_visible()
        return page

    def decided(self, row: Session) -> list[tuple[str, str, str]]:
        self.db.rollback()
        self.db.expire_all()
        return [(d.what, d.key, d.reason) for d in decisions.of_session(self.db, row.id or 0)]

    def test_a_reading_is_left_out_with_two_keys_and_put_back_with_one(self) -> None:
        row = self.recorded(date(2026, 11, 3))
        page = self.open(row)
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        mean = found.both.reviewed.figure("all.systolic.mean").stated
        card = page.get_by_role("button", name=re.compile("^24 h mean"))
        expect(card).to_contain_text(f"{mean:.0f}/")
        page.keyboard.press("ArrowDown")
        page.keyboard.press("ArrowDown")
        second = found.both.reviewed.table("readings").rows[1]
        key = str(second[-1])
        chosen = page.locator("tr[aria-current=true]")
        expect(chosen).to_have_attribute("data-key", key)
        expect(page.get_by_role("region", name="Readings and activity")).to_contain_text(
            f"{second[2]:.0f}/{second[3]:.0f} mmHg"
        )
        page.keyboard.press("x")
        expect(chosen).to_contain_text("1 arm moved")
        page.keyboard.press("1")
        expect(chosen).to_contain_text("left out: arm moved")
        self.eventually(lambda: self.decided(row) == [("dropped", key, "arm moved")])
        review = Review(dropped=(key,))
        expected = assess(recording_of(self.db, row), review, found.limits).reviewed
        expect(card).to_contain_text(f"{expected.figure('all.valid').stated:.0f} readings")
        page.keyboard.press("x")
        expect(chosen).not_to_contain_text("left out:")
        self.eventually(lambda: self.decided(row) == [])
        page.keyboard.press("x")
        expect(chosen).to_contain_text("1 arm moved")
        page.keyboard.press("Control+z")
        self.eventually(lambda: self.decided(row) == [])

    def test_sleep_is_typed_and_goes_back_to_what_was_computed(self) -> None:
        row = self.recorded(date(2026, 11, 3))
        page = self.open(row)
        down = page.get_by_label("Asleep from")
        was = down.input_value()
        down.fill("21:30")
        down.press("Enter")
        expect(page.get_by_role("button", name="back to computed")).to_be_visible()
        self.db.rollback()
        self.db.expire_all()
        [one] = decisions.of_session(self.db, row.id or 0)
        # 09:20 UTC is 10:20 on the wall: 21:30 is 11 h 10 min later.
        self.assertEqual((one.what, one.start_s), ("asleep", 11 * 3600 + 10 * 60))
        expect(down).to_have_value("21:30")
        down.fill("25:00")
        down.press("Enter")
        expect(down).to_have_attribute("aria-invalid", "true")
        down.fill("21:30")
        down.press("Enter")
        page.get_by_role("button", name="back to computed").click()
        expect(down).to_have_value(was)
        self.assertEqual(self.decided(row), [])

    def test_what_if_recounts_and_keeps_a_set_while_the_verdicts_stay(self) -> None:
        row = self.recorded(date(2026, 11, 3), awake_systolic=131.0, awake_diastolic=79.0)
        page = self.open(row)
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        readings = page.get_by_role("region", name="Readings", exact=True)
        now = found.both.reviewed.figure("all.reached").stated
        valid = found.both.reviewed.figure("all.valid").stated
        expect(readings).to_contain_text(f"{now:.0f} of {valid:.0f} reach it")
        verdict = page.get_by_role("button", name=re.compile(r"^Awake, \d+ readings")).inner_text()
        page.get_by_label("Limit awake, systolic/diastolic").fill("120/75")
        rows = found.both.reviewed.table("readings").rows
        high = sum(
            1 for r in rows if not r[9] and (float(r[2]) >= 120 or float(r[3]) >= (75 if r[1] == "awake" else 70))
        )
        expect(readings).to_contain_text(f"{high} of {valid:.0f} would reach it, now {now:.0f} of {valid:.0f}")
        self.assertEqual(page.get_by_role("button", name=re.compile(r"^Awake, \d+ readings")).inner_text(), verdict)
        page.get_by_label("Limit awake, systolic/diastolic").fill("75/120")
        expect(page.get_by_label("Limit awake, systolic/diastolic")).to_have_attribute("aria-invalid", "true")
        page.get_by_label("Limit awake, systolic/diastolic").fill("120/75")
        page.get_by_role("button", name="keep as a limit set").click()
        expect(page.get_by_text("only looking")).to_be_visible()
        self.db.rollback()
        own = [r for r in limits.all_limit_sets(self.db, "blood_pressure") if not r.shipped]
        self.assertEqual(self.limit_of(own[0], "awake.systolic.mean"), 120)
        self.assertEqual(self.limit_of(own[0], "asleep.systolic.mean"), 120)
        expect(page.get_by_role("button", name=re.compile(r"^Awake, \d+ readings"))).to_contain_text("120/75")

    def limit_of(self, row: LimitSetRow, figure: str) -> float:
        return next(float(r["steps"][-1]["value"]) for r in row.data["rules"] if r["figure"] == figure)

    def test_too_low_is_asked_for_and_every_quantity_has_its_hours_and_its_histogram(self) -> None:
        row = self.recorded(date(2026, 11, 12))
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        table = found.both.reviewed.table("readings")
        at = {column.name: i for i, column in enumerate(table.columns)}
        awake = [r for r in table.rows if r[at["Period"]] == "awake" and r[at["State"]] == ""]
        edge = sorted(float(r[at["Systolic"]]) for r in awake)[len(awake) // 4]
        low = [r for r in awake if float(r[at["Systolic"]]) < edge or float(r[at["Diastolic"]]) < 40]
        page = self.open(row)
        page.get_by_label("Too low awake, systolic/diastolic").fill(f"{edge:.0f}/40")
        readings = page.get_by_role("region", name="Readings", exact=True)
        expect(readings).to_contain_text(f"{len(low)} of {len(awake)} below it")
        page.get_by_label("Too low awake, systolic/diastolic").fill("40/90")
        expect(page.get_by_label("Too low awake, systolic/diastolic")).to_have_attribute("aria-invalid", "true")
        pictures = page.get_by_role("region", name="By the hour")
        hours = found.both.reviewed.table("hours")
        for choice, name in (("map", "Mean arterial"), ("pulse", "Pulse")):
            pictures.get_by_label("Quantity").select_option(choice)
            means = [r for r in hours.rows if not math.isnan(float(r[[c.name for c in hours.columns].index(name)]))]
            expect(pictures.locator("svg g title")).to_have_count(len(means))
        pictures.get_by_role("radio", name="histogram").click()
        spread = found.both.reviewed.table("spread")
        pulses = [int(float(r[[c.name for c in spread.columns].index("Pulse")])) for r in spread.rows]
        titles = pictures.locator("svg rect title").all_text_contents()
        self.assertEqual(
            [int(re.findall(r"(\d+) readings", t)[0]) for t in titles if not t.endswith(": 0 readings")],
            [n for n in pulses if n],
        )

    def test_the_line_of_a_limit_is_dragged_where_it_holds_and_the_table_follows(self) -> None:
        row = self.recorded(date(2026, 11, 13))
        page = self.open(row)
        page.get_by_role("button", name="what if …").click()
        panel = page.get_by_role("region", name="What if the limits were others")
        expect(panel.get_by_role("textbox").first).to_be_visible()
        values = [each.input_value() for each in panel.get_by_role("textbox").all()]
        chart = page.get_by_role("application").first
        box = chart.locator("canvas").bounding_box()
        assert box is not None
        x = box["x"] + 40 + (box["width"] - 74) * 0.15  # by day
        at = []
        for y in range(int(box["y"]) + 40, int(box["y"] + box["height"]) - 60, 2):
            page.mouse.move(x, y)
            if chart.evaluate("e => e.style.cursor === 'ns-resize'"):
                at.append(y)
        self.assertTrue(at, "no line of a limit can be dragged")
        page.mouse.move(x, at[0] + 4)
        page.mouse.down()
        page.mouse.move(x, at[0] + 18, steps=4)
        page.mouse.up()
        now = [each.input_value() for each in panel.get_by_role("textbox").all()]
        changed = [(float(a), float(b)) for a, b in zip(values, now, strict=True) if a != b]
        self.assertEqual(len(changed), 1, "one line is one step of one rule")
        self.assertLess(changed[0][1], changed[0][0])
        expect(panel.get_by_role("status")).to_contain_text(re.compile("would (be|stay)"))

    def test_a_part_of_the_bars_filters_the_table_and_a_click_on_the_chart_chooses(self) -> None:
        row = self.recorded(date(2026, 11, 3), awake_systolic=134.0)
        page = self.open(row)
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        both = int(float(found.both.reviewed.table("classes").rows[1][5]))
        page.get_by_role("button", name=f"Awake, both: {both} readings").click()
        expect(page.locator("tr[data-key]")).to_have_count(both)
        page.get_by_role("button", name=re.compile("shown; show all")).click()
        page.get_by_role("application").scroll_into_view_if_needed()
        box = page.get_by_role("application").locator("canvas").bounding_box()
        assert box is not None
        target = next(r for r in found.both.reviewed.table("readings").rows if float(r[0]) > 30_000 and not r[9])
        x = box["x"] + 40 + float(target[0]) / row.length_s * (box["width"] - 74)
        page.mouse.click(x, box["y"] + 120)
        expect(page.locator("tr[aria-current=true]")).to_have_attribute("data-key", str(target[-1]))

    def test_medicines_are_noted_here_and_stand_in_the_chart_and_with_the_person(self) -> None:
        row = self.recorded(date(2026, 11, 3))
        page = self.open(row)
        page.get_by_role("button", name="add a medicine").click()
        dialog = page.get_by_role("dialog")
        dialog.get_by_label("Medicine").fill("ramipril")
        dialog.get_by_label("Dose").fill("5 mg")
        dialog.get_by_label("At").fill("8.10")
        dialog.get_by_role("button", name="Note it").click()
        panel = page.get_by_role("complementary", name="Decisions")
        expect(panel).to_contain_text("ramipril 5 mg")
        self.db.rollback()
        [kept] = medicines.of_person(self.db, self.petter.id or 0)
        self.assertEqual((kept.times, str(kept.since)), (["08:10"], "2026-11-03"))

    def test_nothing_on_the_sheet_is_out_of_reach_for_those_who_cannot_see_it(self) -> None:
        page = self.open(self.recorded(date(2026, 11, 3)))
        self.assertEqual(violations(page), [])

    def test_what_is_painted_follows_the_look_of_the_screen(self) -> None:
        page = self.open(self.recorded(date(2026, 11, 3)))
        painted = "() => [...document.querySelectorAll('[role=application] canvas')].map((c) => c.toDataURL()).join()"
        page.wait_for_timeout(600)
        day = page.evaluate(painted)
        page.get_by_role("button", name="RH", exact=True).click()
        page.get_by_role("menuitem", name="Night room").click()
        self.eventually(lambda: page.evaluate(painted) != day, 5)

    def test_two_recordings_compared_and_signed_into_the_report(self) -> None:
        medicines.add(self.db, self.petter.id or 0, Taken("amlodipine", "5 mg", ("21:00",), date(2026, 11, 6)))
        for figure in ("all.systolic.mean", "dip.systolic"):
            settings.keep(self.db, f"spans.{figure}", "kind", "blood_pressure", 8.0, 0)
        before = self.recorded(date(2026, 11, 3), awake_systolic=148.0, dip_percent=14.0)
        after = self.recorded(date(2026, 11, 24), awake_systolic=126.0, dip_percent=14.0)
        a, b = (figures.outcome(self.db, s.id or 0) for s in (before, after))
        assert a and b
        page = self.open(after)
        page.get_by_role("link", name="Compare with another recording").click()
        changed = page.get_by_role("region", name="What changed")
        means = [o.both.reviewed.figure("all.systolic.mean").stated for o in (a, b)]
        expect(changed).to_contain_text(f"{means[1] - means[0]:+.0f} mmHg".replace("-", "−"))
        side = page.get_by_role("complementary", name="What was different")
        expect(side).to_contain_text("amlodipine")
        expect(side).to_contain_text("Dip, systolic")
        self.assertEqual(violations(page), [])
        page.get_by_role("button", name="Change sides").click()
        expect(changed).to_contain_text(f"+{means[0] - means[1]:.0f} mmHg")
        page.get_by_role("button", name="Change sides").click()
        page.get_by_label("Conclusion", exact=True).fill("The evening dose works.")
        page.get_by_role("button", name=re.compile("^Sign off")).click()
        expect(page.get_by_text("The comparison is a page of its report.")).to_be_visible()
        self.db.rollback()
        self.db.expire_all()
        self.assertEqual(decisions.setting(decisions.of_session(self.db, after.id or 0), "compared_with"), before.id)
        signature = conclusions.signature_of(self.db, after.id or 0)
        assert signature is not None
        paper = conclusions.signed_paper(self.db, self.db.get_one(Session, after.id), signature)
        words = " ".join(
            cell for part in paper.parts["comparison"] for row in part.model_dump().get("rows", []) for cell in row
        )
        self.assertIn(f"{means[1] - means[0]:+.0f}".replace("-", "−"), words)
        self.assertIn("amlodipine", words)

    def test_one_recording_alone_and_one_too_short_say_what_is_missing(self) -> None:
        row = self.recorded(date(2026, 11, 24))
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}/compare")
        expect(page.get_by_role("heading", name="Only one recording")).to_be_visible()
        short = self.recorded(date(2026, 11, 3), length_s=6 * 3600.0, asleep=())
        page.goto(f"{self.address}/review/{row.id}/compare?with={short.id}")
        expect(page.get_by_text("No differences are told.")).to_be_visible()
        expect(page.get_by_role("region", name=re.compile("^Before"))).to_be_visible()
        expect(page.get_by_role("region", name="What changed")).to_have_count(0)
