"""A further sensor as the mechanic meets it: declared with the vehicle, on the slip, on the sensors' page, proved."""

from __future__ import annotations

import re

from playwright.sync_api import expect

from kumpel.core.readers_units import CHOICES
from kumpel.demo.ensemble import StandIn
from kumpel.link.client import RecorderLink
from kumpel.services.ground import accounts
from kumpel.services.yard import vehicles
from tests.web.axe import AxeTest

STOOD = StandIn("V-02", "VL-000204", "Logger 2", kind="vehicle", auto_start=False, rest={"moved": False})


class Declared(AxeTest):
    def test_declared_handed_out_calibrated(self) -> None:
        ensemble = self.launch(STOOD)
        wire = ensemble.running["V-02"]
        self.person("Hedda Morke")
        vehicles.put(self.db, {"name": "kart K-1", "profile": "kart"})
        # Somebody who reads in psi and feet declares and proves a sensor in the unit of its certificate.
        accounts.keep_units(self.db, self.who, [choice.key for choice in CHOICES])
        page = self.sign_in()
        page.goto(f"{self.address}/vehicles")
        page.get_by_role("button", name="kart K-1", exact=True).click()
        page.get_by_role("button", name="Add a sensor").click()
        keep = page.get_by_role("button", name="Keep", exact=True)
        keep.click()
        expect(page.get_by_role("alert")).to_contain_text("Further sensor 1 needs a name")
        page.get_by_label("Name of further sensor 1").fill("Brake line pressure")
        page.get_by_label("Quantity of further sensor 1").fill("pressure")
        page.get_by_label("Unit of further sensor 1").fill("bar")
        page.get_by_label("To, bar of further sensor 1").fill("80,5")
        page.get_by_role("button", name="Add a derived channel").click()
        page.get_by_label("Name of derived channel 1").fill("Line per g")
        page.get_by_label("Formula 1").fill("brake_line_pressure / lateral_g")
        expect(page.get_by_text("reads brake_line_pressure, lateral_g")).to_be_visible()
        page.get_by_label("Brake line pressure", exact=True).fill("30")
        self.check("vehicle with a further sensor")
        keep.click()
        expect(page.get_by_role("dialog")).to_be_hidden()
        self.db.expire_all()
        [kart] = vehicles.all_vehicles(self.db)
        [declared] = kart.sensors
        self.assertEqual((declared["high"], declared["input"], declared["points"]), (80.5, 1, 2))
        self.assertEqual(kart.check_days, {"brake_line_pressure": 30})

        page.goto(f"{self.address}/hand-out")
        page.get_by_role("button", name=re.compile("^Hedda Morke")).click()
        page.get_by_role("button", name=re.compile("^V-02, ")).click()
        slip = page.get_by_role("region", name="Slip")
        slip.get_by_label("Vehicle", exact=True).select_option("kart K-1")
        sensors = slip.get_by_role("region", name="Further sensors")
        expect(sensors.get_by_role("row", name=re.compile("Brake line pressure"))).to_contain_text("10")
        expect(sensors.get_by_label("Further sensor 1, on")).to_be_checked()
        expect(sensors.get_by_role("button", name=re.compile("add a"))).to_have_count(0)
        self.check("slip with a further sensor")
        page.get_by_role("button", name="Write and hand out").click()
        expect(page.get_by_text("V-02 is with Hedda Morke.")).to_be_visible()
        with RecorderLink("127.0.0.1", wire.link) as link:
            [there] = link.setup().setup["further"]
        self.assertEqual((there["name"], there["on"], there["high"]), ("Brake line pressure", True, 80.5))

        page.goto(f"{self.address}/recorders?as=list")
        page.get_by_role("row", name=re.compile("Logger 2")).get_by_role("link", name=re.compile("due|Sensors")).click()
        page.get_by_role("button", name="Brake line pressure").click()
        positions = page.get_by_role("region", name="Brake line pressure, positions")
        self.check("sensors with a further one")
        # 0.5 V and 4.5 V by the sheet; the simulated one gives 0.062 V more and 0.041 V less, with 3 mV of noise.
        for words, true, raw in (("lowest", 0.0, r"0\.5[567]\d"), ("highest", 80.5, r"4\.4[456]\d")):
            wire.tell("set", held={"brake_line_pressure": true})
            row = positions.get_by_role("row", name=re.compile(words))
            expect(row).to_contain_text(re.compile(rf"{raw}.*steady"), timeout=15_000)
            page.keyboard.press("Space")
            expect(row).to_contain_text("captured")
        page.get_by_role("button", name="Write brake line pressure").click()
        expect(page.get_by_role("region", name="Write to recorder")).to_contain_text("read back equal")
        proof = page.get_by_role("region", name="Proof")
        expect(proof.get_by_role("heading")).to_have_text("Move it")
        for held in (40.0, 0.2):
            wire.tell("set", held={"brake_line_pressure": held})
            expect(proof.get_by_role("listitem").filter(has_text="seen")).to_have_count(1 if held > 1 else 2)
        proof.get_by_role("button", name=re.compile("^Checked, valid to")).click()
        expect(page.get_by_text("Brake line pressure: checked.")).to_be_visible()

        page.goto(f"{self.address}/limits?set=vehicle")
        expect(page.get_by_role("heading", name="Vehicle and driver", exact=True)).to_be_visible()
        page.get_by_role("button", name="Copy and change").click()
        offered = page.get_by_label("Add a rule")
        expect(offered.get_by_role("option", name="Brake line pressure", exact=True)).to_have_count(1)
        offered.select_option(label="Brake line pressure")
        expect(page.get_by_label("Brake line pressure, step 1: value")).to_have_value("80.5")


if __name__ == "__main__":
    import unittest

    unittest.main()
