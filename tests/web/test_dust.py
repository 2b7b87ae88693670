"""Many runs of a dust monitor: one on top, the rule above them tried and kept, a factor from a filter, twelve runs on one page of paper."""

from __future__ import annotations

import io
import re
from dataclasses import replace

import pypdf
from playwright.sync_api import Page, expect
from sqlmodel import col, select

from kumpel.core.assessment import Table
from kumpel.demo.ensemble import StandIn
from kumpel.formats import krec
from kumpel.services.ground import figures
from kumpel.standins import dust_signal
from kumpel.standins.dust_signal import Runs
from kumpel.store.tables import FilterFactor, LimitSetRow, Recorder, Session, SpotNote
from tests.web.browser import BrowserTest

HOUR, DAY = 3600.0, 86_400.0
PLAN = Runs(
    seed=4, run_s=DAY, count=12, interval_s=60.0, level=0.0085, spread=0.05, factor=1.34, fraction="PM2.5",
    above=((7 * HOUR, 4000, 0.03), (2 * DAY, DAY, 0.02), (11 * DAY + 2 * HOUR, 4800, 0.031), (11 * DAY + 9 * HOUR, 3300, 0.024)),
)  # fmt: skip


class DustSheet(BrowserTest):
    watch = "0"

    def recorded(self) -> Session:
        made = dust_signal.make(PLAN)
        self.db.add(Recorder(serial=str(made.recording.recorder["serial"]), kind="dust", token="D-01", name="Dust 1"))
        self.db.commit()
        return self.stored(krec.write_recording(made.recording), self.person("Mill control room", is_place=True))

    def open(self, row: Session) -> Page:
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("tab", name="All 12 runs of this placing")).to_be_visible()
        return page

    def runs(self, row: Session) -> Table:
        self.db.rollback()
        self.db.expire_all()
        outcome = figures.outcome(self.db, row.id or 0)
        assert outcome is not None
        return outcome.both.reviewed.table("runs")

    def test_a_run_is_loaded_by_a_press_and_another_laid_over_it(self) -> None:
        row = self.recorded()
        page = self.open(row)
        wanted = self.runs(row).rows
        table = page.get_by_role("tabpanel")
        expect(table.get_by_role("row")).to_have_count(13)
        mean = [f"{float(run[3]):.3f}" for run in wanted]
        # The newest stands first, and is on top.
        expect(table.get_by_role("row").nth(1)).to_contain_text(mean[11])
        expect(page.get_by_text("2 of 3 reached")).to_be_visible()
        table.get_by_role("button", name=re.compile("Highest")).click()
        expect(table.get_by_role("row").nth(1)).to_contain_text(f"{max(float(r[4]) for r in wanted):.3f}")
        table.get_by_role("button", name=re.compile("Start")).click()
        with page.expect_response(re.compile(r"/view\?.*mass")):
            table.get_by_role("row").nth(10).get_by_role("button").click()
        expect(page.get_by_text("1 of 3 reached")).to_be_visible()
        table.get_by_role("row").nth(1).get_by_role("button").click(modifiers=["Shift"])
        expect(page.get_by_text("dotted: the other run")).to_be_visible()

    def test_the_rule_is_tried_kept_as_a_set_of_the_house_and_holds(self) -> None:
        row = self.recorded()
        page = self.open(row)
        page.get_by_role("button", name="change the rule").click()
        page.get_by_label("Stretches that need action").fill("2")
        expect(page.get_by_text("2 of 2 reached")).to_be_visible()
        page.get_by_label("Shortest stretch, min").fill("80")
        expect(page.get_by_text("1 of 2 reached")).to_be_visible()
        page.get_by_label("Shortest stretch, min").fill("abc")
        expect(page.get_by_role("alert")).to_contain_text("min")
        page.get_by_label("Shortest stretch, min").fill("30")
        page.get_by_role("button", name="Keep as a set of the house").click()
        expect(page.get_by_text("is on record")).to_be_visible()
        self.db.rollback()
        made = self.db.exec(select(LimitSetRow).where(col(LimitSetRow.shipped).is_(False))).one()
        rule = next(
            r for r in made.data["rules"] if r["figure"] == "stretches_24h" and r["parameters"]["fraction"] == "PM2.5"
        )
        self.assertEqual((rule["parameters"]["shortest_min"], rule["steps"][0]["value"]), (30, 2))

    def test_a_rule_on_top_of_a_limit_for_respirable_dust_is_kept_for_that_alone(self) -> None:
        plan = replace(PLAN, fraction="PM4", level=0.1, count=1, above=((2 * HOUR, 2 * HOUR, 1.6),))
        made = dust_signal.make(plan)
        page = self.sign_in()
        page.goto(f"{self.address}/review/{self.stored(krec.write_recording(made.recording), self.person('Emil')).id}")
        page.get_by_role("button", name="change the rule").click()
        page.get_by_label("Stretches that need action").fill("1")
        expect(page.get_by_text("1 of 1 reached")).to_be_visible()
        page.get_by_role("button", name="Keep as a set of the house").click()
        expect(page.get_by_text("is on record")).to_be_visible()
        self.db.rollback()
        kept = self.db.exec(select(LimitSetRow).where(col(LimitSetRow.shipped).is_(False))).one()
        on_top = [r for r in kept.data["rules"] if r["figure"] == "stretches_24h"]
        self.assertEqual([(r["parameters"]["fraction"], r["steps"][0]["value"]) for r in on_top], [("PM4", 1)])

    def test_a_factor_from_a_filter_is_computed_kept_and_decided_for_what_is_there(self) -> None:
        row = self.recorded()
        page = self.open(row)
        page.get_by_role("button", name="from a filter").click()
        dialog = page.get_by_role("dialog")
        for label, value in (
            ("Loaded filter, mg", "0.24"),
            ("Blank, mg", "0.25"),
            ("Air drawn, m³", "5.8"),
            ("Read, before", "0.0164"),
        ):
            dialog.get_by_label(label).fill(value)
        expect(dialog.get_by_role("status")).to_contain_text("heavier than the blank")
        dialog.get_by_label("Blank, mg").fill("0.05")
        # 0.19 / 5.8 / 0.0164 = 1.9975; 2 sqrt(2 (0.01/0.19)^2 + 0.05^2) of it: 0.358
        expect(dialog.get_by_role("status")).to_contain_text("2.00 ± 0.36")
        dialog.get_by_role("button", name="Keep for D-01").click()
        page.get_by_role("button", name="Decide it for it").click()
        expect(page.get_by_text("applied here 2.00")).to_be_visible()
        self.assertEqual(self.db.exec(select(FilterFactor)).one().note, "")
        page.locator("h1").first.click()
        page.keyboard.press("Control+z")
        expect(page.get_by_text("applied here 1.34")).to_be_visible()

    def test_twelve_runs_on_one_page_of_paper(self) -> None:
        row = self.recorded()
        page = self.open(row)
        presses = 0
        for name in ("Sign off", "To the report"):
            page.get_by_role("button", name=name).click()
            presses += 1
        with page.expect_download() as waiting:
            page.get_by_role("button", name="Issue, PDF").click()
        presses += 1
        self.assertLess(presses, 6)
        text = pypdf.PdfReader(io.BytesIO(waiting.value.path().read_bytes())).pages[0].extract_text()
        for run in self.runs(row).rows:
            line = " ".join(f"{float(run[i]):.3f}" for i in (2, 3, 4))
            self.assertIn(line, " ".join(text.split()))
        self.assertIn("24:00", text)


class OnTheSpot(BrowserTest):
    def test_mean_since_the_start_is_read_and_a_note_kept_while_nothing_is_recorded(self) -> None:
        about = StandIn("D-01", "DM-000001", "Dust 1", kind="dust", auto_start=False, rest={"setup": {"factor": 2.0}})
        ensemble = self.launch(about)
        ensemble.running["D-01"].tell("set", raw={"mass": 0.2})
        self.eventually(
            lambda: self.db.rollback() or self.db.exec(select(Recorder).where(Recorder.in_reach)).first(), 30
        )
        recorder = self.db.exec(select(Recorder)).one()
        page = self.sign_in()
        page.goto(f"{self.address}/recorders/{recorder.id}/look")
        expect(page.get_by_role("status").first).to_contain_text("Nothing is stored")
        # 0.2 as the sensor gives it, with the factor of 2.
        mean = page.get_by_text("Mean since the start", exact=True).locator("..")
        expect(mean).to_contain_text(re.compile(r"0\.(39|40)\d"))
        page.get_by_label("Place").fill("mill floor")
        page.get_by_role("button", name="Keep a note").click()
        expect(page.get_by_role("region", name="Notes")).to_contain_text("mill floor")
        note = self.db.exec(select(SpotNote)).one()
        self.assertLessEqual(note.lowest, note.mean)
        self.assertAlmostEqual(note.mean, 0.4, delta=0.02)
        self.assertEqual(len(list((ensemble.running["D-01"].folder / "sessions").glob("*.krec"))), 0)
        page.get_by_role("button", name="Start again").click()
        expect(page.get_by_role("heading", name=re.compile(r"Since the start, [0-5] s"))).to_be_visible()


class TwoDay(BrowserTest):
    watch = "0"

    def test_worthless_ones_are_set_aside_in_one_go_and_come_back(self) -> None:
        made = dust_signal.make(Runs(run_s=600.0, interval_s=300.0))
        short = dust_signal.make(Runs(seed=2, run_s=400.0, interval_s=300.0))
        kept = self.stored(krec.write_recording(made.recording, "K"), self.person("Asha Rao"))
        none = self.stored(krec.write_recording(short.recording, "N"), self.person("Kofi Badu"))
        self.assertEqual(none.aside, "one record: only switched on")
        none.aside = ""
        self.db.add(none)
        self.db.commit()
        page = self.sign_in()
        page.goto(f"{self.address}/review/{kept.id}")
        page.get_by_role("button", name="Set it aside").click()
        expect(page.get_by_text("1 set aside")).to_be_visible()
        expect(page.get_by_role("button", name="Set it aside")).to_have_count(0)
        self.db.refresh(none)
        self.assertIn("only switched on", none.aside)
        page.get_by_role("button", name="Undo", exact=True).last.click()
        expect(page.get_by_role("button", name="Set it aside")).to_be_visible()
