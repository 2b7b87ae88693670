"""Calibrating a logger on its page: with the keyboard alone and three refusals, written, proved; the link lost meanwhile."""

from __future__ import annotations

import re
import threading
from datetime import timedelta

from playwright.sync_api import Locator, expect

from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.link.client import RecorderLink
from kumpel.services.ground import sensor_checks
from kumpel.services.recorders import checks
from kumpel.store.tables import Recorder, SensorCheck, now
from tests.web.axe import AxeTest
from tests.web.browser import BrowserTest

STOOD = StandIn("V-02", "VL-000204", "Logger 2", kind="vehicle", auto_start=False, rest={"moved": False})


class Calibrating(BrowserTest):
    ensemble: Ensemble

    def setUp(self) -> None:
        super().setUp()
        self.ensemble = self.launch(STOOD)

    def tell(self, **about: object) -> None:
        self.ensemble.running["V-02"].tell("set", **about)

    def opened(self) -> Locator:
        """The sensors of the logger, its live values coming."""
        page = self.sign_in()
        page.goto(f"{self.address}/recorders?as=list")
        page.get_by_role("row", name=re.compile("Logger 2")).get_by_role("link", name=re.compile("due|Sensors")).click()
        expect(page.get_by_role("region", name="Live now")).to_contain_text("ten times a second")
        return page.get_by_role("region", name="Steering angle, positions")

    def on_recorder(self) -> list[tuple[float, float]]:
        with RecorderLink("127.0.0.1", self.ensemble.running["V-02"].link) as link:
            return [(p.raw, p.true) for c in link.calibrations() if c.channel == "steering" for p in c.points]

    def hold(self, angle: float, raw: str) -> None:
        """Hold the wheel until the page has seen it still."""
        self.tell(held={"steering": angle}, raw={})
        region = self.page.get_by_role("region", name="Steering angle, positions")
        expect(region.get_by_role("row").filter(has_text="steady")).to_contain_text(re.compile(raw), timeout=15_000)

    def test_three_positions_with_the_keyboard_three_refusals_written_and_proved(self) -> None:
        steering, page = self.opened(), self.page
        refused = page.get_by_role("log", name="Refused captures")
        self.hold(0, r"2\.48\d")
        page.keyboard.press("Space")
        expect(steering.get_by_role("row", name=re.compile("straight ahead"))).to_contain_text("captured")
        # Not moved yet: too near the first point.
        self.hold(0, r"2\.48\d")
        page.keyboard.press("Space")
        expect(refused).to_contain_text(re.compile(r"only \d mV from “straight ahead”; 0.30 V is the least"))
        # Moved while it is held.
        self.hold(90, r"3\.9[34]\d")
        threading.Timer(0.5, self.tell, kwargs={"held": {"steering": -30.0}}).start()
        page.keyboard.press("Space")
        expect(refused).to_contain_text(re.compile(r"it moved: .* spread by \d\d\d mV"))
        # The wire is off.
        self.tell(raw={"steering": 0.04})
        expect(steering.get_by_role("row").filter(has_text="steady")).to_contain_text(
            re.compile(r"0\.0\d\d"), timeout=15_000
        )
        page.keyboard.press("Space")
        expect(refused).to_contain_text(re.compile(r"under 0.20 V: its wire is off or broken"))
        self.hold(90, r"3\.9[34]\d")
        page.keyboard.press("Space")
        expect(steering.get_by_role("row", name=re.compile("turned right"))).to_contain_text("captured")
        expect(page.get_by_role("button", name="Write steering angle")).to_be_disabled()
        self.assertEqual(self.on_recorder(), [])
        self.hold(-90, r"1\.0[56]\d")
        page.keyboard.press("Space")
        write = page.get_by_role("button", name="Write steering angle")
        expect(write).to_be_enabled()
        page.get_by_label("Serial number of the sensor").fill("ST-118")
        page.keyboard.press("Control+Enter")
        expect(page.get_by_role("region", name="Write to recorder")).to_contain_text("read back equal")
        points = self.on_recorder()
        for (raw, true), (gives, meant) in zip(points, ((1.058, -90), (2.487, 0), (3.942, 90)), strict=True):
            self.assertAlmostEqual(raw, gives, delta=0.003)
            self.assertEqual(true, meant)
        shown = page.get_by_role("region", name="Earlier checks, steering angle")
        expect(shown).to_contain_text(" / ".join(f"{raw:.3f}" for raw, _ in points))
        expect(shown).to_contain_text("ST-118")
        proof = page.get_by_role("region", name="Proof")
        checked = proof.get_by_role("button", name=re.compile("^Checked, valid to"))
        expect(checked).to_be_disabled()
        for angle, step in ((95, "full right"), (-93, "full left"), (0, "hands off")):
            self.tell(held={"steering": angle}, raw={})
            expect(proof.get_by_role("listitem").filter(has_text=step)).to_contain_text("seen")
        page.get_by_label("Holds for, days").fill("30")
        page.get_by_label("Certificate").fill("C-14")
        checked.focus()
        page.keyboard.press("Enter")
        expect(shown).to_contain_text("certificate C-14")
        self.db.expire_all()
        recorder = self.db.query(Recorder).one()
        [standing] = [
            s
            for s in sensor_checks.standings(recorder, checks.of_recorder(self.db, recorder.id or 0))
            if s.sensor == "steering"
        ]
        self.assertEqual(standing.state, "right")
        assert standing.due_at is not None
        self.assertEqual((standing.due_at - now()).days, 29)

    def test_captured_points_outlive_a_lost_link_and_one_press_zeroes(self) -> None:
        steering, page = self.opened(), self.page
        self.hold(0, r"2\.48\d")
        page.keyboard.press("Space")
        row = steering.get_by_role("row", name=re.compile("straight ahead"))
        expect(row).to_contain_text("captured")
        self.ensemble.running["V-02"].tell("vanish")
        live = page.get_by_role("region", name="Live now")
        expect(live).not_to_contain_text("ten times a second", timeout=15_000)
        # Long enough for its sensors to be asked for while it does not answer.
        expect(page.get_by_role("button", name="Ask again")).to_be_visible(timeout=30_000)
        self.ensemble.running["V-02"].tell("come back")
        expect(live).to_contain_text("ten times a second", timeout=30_000)
        expect(row).to_contain_text("captured")
        self.tell(raw={"rpm": 1500.0})
        page.get_by_role("button", name="Zero", exact=True).click()
        expect(page.get_by_role("alert")).to_contain_text("Engine speed is 1500 rpm: switch the engine off")
        self.tell(raw={})
        page.get_by_role("button", name="Zero", exact=True).click()
        expect(page.get_by_role("region", name="Accelerations, one press")).to_contain_text("zeroed Today")

    def test_what_is_overdue_is_said_at_hand_out(self) -> None:
        self.person("Hedda Morke", team="Haulage")
        self.sign_in()
        recorder = self.db.query(Recorder).one()
        at = now() - timedelta(days=200)
        for sensor in ("steering", "throttle", "brake", "accelerations"):
            made = SensorCheck(recorder_id=0, what="calibration", sensor=sensor, at=at, due_at=at + timedelta(days=92))
            checks.keep(self.db, recorder, made)
        self.db.commit()
        page = self.page
        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Hedda Morke")).click()
        page.get_by_role("button", name=re.compile("^V-02, ")).click()
        slip = page.get_by_role("region", name="Slip")
        expect(slip).to_contain_text(f"Steering angle: due since {sensor_checks.day(at + timedelta(days=92))}")
        slip.get_by_role("link", name="Calibrate").click()
        expect(page.get_by_role("region", name="Steering angle, positions")).to_be_visible()


class CalibratingForEverybody(AxeTest):
    """The page of sensors in every look, held against WCAG 2.2, and at 768 px."""

    def test_sensors_in_every_look(self) -> None:
        self.launch(STOOD)
        page = self.sign_in()
        recorder = self.db.query(Recorder).one()
        for theme in ("", "night", "contrast"):
            page.goto(f"{self.address}/recorders/{recorder.id}/sensors")
            page.evaluate(f"document.documentElement.dataset.theme = '{theme}'")
            expect(page.get_by_role("region", name="Live now")).to_contain_text("ten times a second")
            self.check(f"sensors {theme}".strip())
        page.get_by_role("button", name="Keep a check made elsewhere").click()
        self.check("a check made elsewhere")
        page.keyboard.press("Escape")
        page.set_viewport_size({"width": 768, "height": 1024})
        page.wait_for_timeout(300)
        self.assert_nothing_cut_off("sensors")
