"""The sheet of a gas monitor: sensors in lanes of their own, against their limits, those that act alike added up, a span as a file."""

from __future__ import annotations

import csv
import io
import math
import re
from dataclasses import replace
from urllib.parse import parse_qs, urlsplit

import numpy as np
from playwright.sync_api import Page, expect

from kumpel.core.assessment import Figure
from kumpel.core.geo import Plane
from kumpel.demo.other_kinds import MAKERS
from kumpel.formats import krec
from kumpel.services.report import conclusions
from kumpel.standins import gas_signal
from kumpel.standins.gas_signal import Episode, Shift
from kumpel.store.tables import Session
from tests.web.browser import BrowserTest


class GasSheet(BrowserTest):
    watch = "0"

    def recorded(self, shift: Shift | None = None) -> Session:
        made = gas_signal.make(shift) if shift else MAKERS["gas"](2)
        return self.stored(krec.write_recording(made.recording), self.person("Asha Rao"))

    def open(self, row: Session) -> Page:
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        expect(page.get_by_role("region", name="Each sensor on its own scale")).to_be_visible()
        return page

    def figure(self, row: Session, key: str) -> Figure:
        self.db.rollback()
        self.db.expire_all()
        found = conclusions.standing(self.db, self.db.get_one(Session, row.id))
        assert found is not None
        return found.both.reviewed.figure(key)

    def test_every_sensor_in_a_row_with_what_was_computed_and_the_mean_of_15_min_is_read(self) -> None:
        row = self.recorded()
        page = self.sign_in()
        with page.expect_response(re.compile(r"/view\?.*co\.mean15")) as told:
            page.goto(f"{self.address}/review/{row.id}")
        means = next(each for each in told.value.json() if each["key"] == "co.mean15")
        highest = max(value for value in means["high"] if value is not None)
        self.assertAlmostEqual(highest, self.figure(row, "co.stel").value, places=6)
        table = page.get_by_role("tabpanel", name="Sensors against limits")
        for gas, name in (("co", "CO"), ("no2", "NO2"), ("h2s", "H2S")):
            cells = table.get_by_role("row", name=re.compile(f"^{name} ")).get_by_role("button")
            for cell, key in zip(cells.all(), ("twa_shift", "stel", "peak"), strict=True):
                figure = self.figure(row, f"{gas}.{key}")
                self.assertEqual(cell.inner_text().strip("*> "), f"{figure.stated:.{figure.decimals}f}")
        # What the wearer did stands with the alarm.
        events = page.get_by_role("region", name="Events", exact=True)
        events.get_by_role("searchbox", name="Search the events").fill("confirmed")
        expect(events.get_by_role("listitem").first).to_contain_text(
            re.compile("confirmed after \\d+ s|never confirmed")
        )

    def test_those_that_act_alike_are_added_up_by_a_press_and_taken_back(self) -> None:
        row = self.recorded()
        page = self.open(row)
        together = page.get_by_role("region", name="Acting together")
        together.get_by_role("button", name="CO, H2S: keep oxygen from the body").click()
        expect(together).to_contain_text("of 1")
        index = self.figure(row, "additive_index")
        expect(together.get_by_role("button", name=f"{index.stated:.2f}")).to_be_visible()
        by_hand = self.figure(row, "co.twa_shift").value / 20 + self.figure(row, "h2s.twa_shift").value / 5
        self.assertAlmostEqual(index.value, by_hand, places=9)
        # Another that acts otherwise: the sum is there, and what it is worth is said.
        another = together.get_by_role("button", name="NO2", exact=True)
        another.click()
        expect(another).to_have_attribute("aria-pressed", "true")
        expect(together).to_contain_text("do not all act alike")
        for name in ("CO", "H2S", "NO2"):
            chip = together.get_by_role("button", name=name, exact=True)
            chip.click()
            expect(chip).to_have_attribute("aria-pressed", "false")
        expect(together.get_by_role("button", name="CO, H2S: keep oxygen from the body")).to_be_visible()

    def test_one_switched_off_and_one_that_failed_its_test_are_told_apart(self) -> None:
        shift = Shift(3, 7200.0, 10.0, ("o2", "co", "h2s"), (Episode("co", 1800, 1200, 70.0),), failed_bump=("h2s",))
        made = gas_signal.make(shift).recording
        fitted = [{"gas": gas, "on": True} for gas in shift.gases]
        sensors = [*fitted, {"gas": "so2", "on": False, "off_because": "broken"}]
        recording = krec.write_recording(
            type(made)(
                made.kind, made.start, 60, made.channels, made.events, {**made.setup, "sensors": sensors}, made.recorder
            )
        )
        row = self.stored(recording, self.person("Asha Rao"))
        page = self.open(row)
        table = page.get_by_role("tabpanel", name="Sensors against limits")
        expect(table.get_by_role("row", name=re.compile("^SO2"))).to_contain_text("off")
        expect(table.get_by_role("row", name=re.compile("^H2S"))).to_contain_text("not assessable")
        expect(table.get_by_role("row", name=re.compile("^CO "))).to_contain_text("within")
        # The 15 minutes lie within the episode of 70 ppm: 100 ppm is the limit.
        expect(table.get_by_role("row", name=re.compile("^CO "))).to_contain_text("70.0")

    def test_the_span_that_is_seen_as_a_file(self) -> None:
        row = self.recorded()
        page = self.open(row)
        page.get_by_role("application").focus()
        for _ in range(4):
            page.keyboard.press("+")
        link = page.get_by_role("link", name="this span as CSV")
        with page.expect_download() as got:
            link.click()
        address = link.get_attribute("href") or ""
        start, end = (float(parse_qs(urlsplit(address).query)[key][0]) for key in ("start_s", "end_s"))
        text = got.value.path().read_text("utf-8-sig")
        rows = list(csv.reader(io.StringIO(text), delimiter=";"))
        head = next(i for i, cells in enumerate(rows) if any("co avg" in cell for cell in cells))
        column = next(i for i, cell in enumerate(rows[head]) if "co avg" in cell)
        written = [cells[column] for cells in rows[head + 1 :] if len(cells) > column and cells[column]]
        self.assertAlmostEqual(len(written), (end - start) / 10, delta=2)
        self.assertLess(len(written), 2880)

    def test_where_the_front_passed_a_crew_with_receivers(self) -> None:
        """Five at known places; carbon monoxide comes to each when a front at 24 m/min towards 60 degrees does (closed form)."""
        plane, towards, ids = Plane(47.31, 8.54), math.radians(60.0), []
        spots = {
            "Asha Rao": (0, 0),
            "Kofi Badu": (70, 20),
            "Dagny Holt": (40, 110),
            "Emil Farkas": (150, 60),
            "Ylva Stenmark": (120, 160),
        }
        for n, (name, (x, y)) in enumerate(spots.items()):
            lat, lon = plane.lat_lon(np.array([float(x)]), np.array([float(y)]))
            after = 600.0 + (x * math.sin(towards) + y * math.cos(towards)) / 24.0 * 60
            shift = Shift(
                n, 1800.0, 2.0, episodes=(Episode("co", after, 300.0, 60.0),), place=(float(lat[0]), float(lon[0]))
            )
            made = gas_signal.make(shift).recording
            made = replace(made, recorder={"serial": f"GM-{n:06d}", "model": "made up"})
            ids.append(self.stored(krec.write_recording(made), self.person(name)).id)
        page = self.sign_in()
        page.goto(f"{self.address}/compare?sessions={','.join(map(str, ids))}")
        front = page.get_by_role("region", name="Where the front passed")
        expect(front).to_contain_text("5 of 5 places are known")
        expect(front).to_contain_text(re.compile(r"towards the north-east \((59|60|61)°\) at (23|24|25) m/min"))
        expect(front.get_by_role("img")).to_have_accessible_name(re.compile("in the order it came to them: 1 "))
