"""A reader's own units: chosen once, on every screen, typed, printed; nothing that is kept changes."""

from __future__ import annotations

import re
from typing import Any

from playwright.sync_api import Page, expect
from sqlmodel import col, select

from kumpel.core.assessment import Figure
from kumpel.formats import krec
from kumpel.kinds.limit_sets import limit_set_from
from kumpel.services.ground import accounts, people
from kumpel.services.report import conclusions, reports
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import LimitSetRow, Session, Signature
from tests.web.browser import BrowserTest

MILE_KM, LB_KG = 1.609344, 0.45359237


def number_in(words: str) -> float:
    found = re.search(r"-?\d[\d,]*(\.\d+)?", words)
    assert found, words
    return float(found[0].replace(",", ""))


class ReadersUnits(BrowserTest):
    watch = "0"

    def choose(self, page: Page, *words: str) -> None:
        page.goto(f"{self.address}/settings")
        page.get_by_role("button", name="Units").click()
        for each in words:
            page.get_by_role("radio", name=each).click()
            expect(page.get_by_role("radio", name=each)).to_be_checked()

    def recorded(self, kind: str) -> Session:
        recording = SIGNALS[kind](2).recording
        return self.stored(
            krec.write_recording(recording), self.person("Ida Brandvik", weight_kg=70.0, height_cm=180.0)
        )

    def figure(self, row: Session, key: str) -> Figure:
        found = conclusions.standing(self.db, row)
        assert found is not None
        return found.both.reviewed.figure(key)

    def test_miles_on_the_sheet_in_the_register_and_on_the_signed_page(self) -> None:
        row = self.recorded("training")
        distance = self.figure(row, "distance")
        page = self.sign_in()
        page.goto(f"{self.address}/review/{row.id}")
        key = page.get_by_title("Why this number?").filter(has_text="Distance")
        expect(key).to_contain_text("km")
        self.choose(page, "feet, miles, mph", "pounds, inches")
        page.goto(f"{self.address}/review/{row.id}")
        expect(key).to_contain_text("mi")
        self.assertAlmostEqual(number_in(key.inner_text().split("\n", 1)[1]), distance.stated / MILE_KM, delta=0.0006)
        expect(page.get_by_role("region", name="Figures").or_(page.locator("main")).first).not_to_contain_text("km/h")
        self.db.rollback()
        self.db.expire_all()
        # Paper is what its reader signs, and says so; what was kept is what it was.
        conclusions.sign(self.db, row.id or 0, row.review_version, self.who, None)
        shown = reports.issue(self.db, row.id or 0, reports.Options(("checks", "figures")), self.who)
        words = str(shown.document)
        self.assertIn("mi (kept in km)", words)
        self.assertIn("'unit': 'mi'", words)
        self.db.expire_all()
        self.assertEqual(self.figure(row, "distance").unit, "km")

    def test_weight_and_height_are_typed_in_pounds_and_inches(self) -> None:
        person = self.person("Ida Brandvik", weight_kg=70.0, height_cm=180.0)
        page = self.sign_in()
        self.choose(page, "pounds, inches")
        page.goto(f"{self.address}/people/{person.id}")
        weight, height = page.get_by_label("Weight, lb"), page.get_by_label("Height, in")
        expect(weight).to_have_value("154.3")
        expect(height).to_have_value("70.9")
        # Looked at and left: what is kept stays as it was, to the last digit.
        weight.fill("154.3")
        weight.press("Enter")
        page.wait_for_timeout(300)
        self.assertEqual(self.of(person.id).weight_kg, 70.0)
        for field, typed, key, kept in (
            (weight, "165", "weight_kg", 165 * LB_KG),
            (weight, "71 kg", "weight_kg", 71.0),
            (height, "5'11\"", "height_cm", 180.34),
            (height, "72", "height_cm", 182.88),
            (height, "183 cm", "height_cm", 183.0),
        ):
            with self.subTest(typed=typed):
                field.fill(typed)
                field.press("Enter")
                self.eventually(lambda key=key, kept=kept: abs(getattr(self.of(person.id), key) - kept) < 0.051)

    def of(self, person_id: int | None) -> Any:
        self.db.rollback()
        self.db.expire_all()
        return people.person_of(self.db, person_id or 0)

    def test_a_limit_of_a_temperature_in_fahrenheit(self) -> None:
        page = self.sign_in()
        self.choose(page, "°F")
        page.goto(f"{self.address}/limits?set=vehicle")
        before = self.vehicle_rules()
        oil = next(r for r in before if r.unit == "°C")
        other = [r for r in before if r.unit == "°C" and r.figure != oil.figure]
        scale = page.get_by_role("article", name=oil.name, exact=True)
        expect(scale).to_contain_text("°F")
        page.get_by_role("button", name="Copy and change").click()
        page.get_by_role("button", name=f"Steps of {oil.name}").click()
        first = page.get_by_label(f"{oil.name}, step 1: value")
        expect(first).to_have_value(f"{oil.steps[0].value * 1.8 + 32:g}")
        first.fill("212")
        page.get_by_role("button", name=re.compile("^Keep")).click()
        self.eventually(lambda: len(self.sets()) > 0)
        kept = {r.figure: r for r in limit_set_from(self.sets()[-1].data).rules}
        self.assertEqual(kept[oil.figure].steps[0].value, 100.0)
        # What nobody touched goes back as it was, not as it was read.
        self.assertEqual(kept[oil.figure].steps[1:], oil.steps[1:])
        for rule in other:
            self.assertEqual(kept[rule.figure].steps, rule.steps)

    def sets(self) -> list[LimitSetRow]:
        self.db.rollback()
        self.db.expire_all()
        own = select(LimitSetRow).where(LimitSetRow.kind == "vehicle", col(LimitSetRow.shipped).is_(False))
        return list(self.db.exec(own.order_by(col(LimitSetRow.id))).all())

    def vehicle_rules(self) -> Any:
        row = self.db.exec(select(LimitSetRow).where(LimitSetRow.kind == "vehicle")).first()
        assert row is not None
        return limit_set_from(row.data).rules

    def test_another_reader_reads_as_it_is_kept(self) -> None:
        row = self.recorded("training")
        accounts.keep_units(self.db, self.who, ["distance"])
        client = self.client()
        self.assertEqual(client.get("/api/state").json()["me"]["units"], ["distance"])
        # The server answers everybody in what is kept: programs, and who has chosen nothing.
        told = client.get(f"/api/sessions/{row.id}/review").json()
        figures = {f["key"]: f for f in told["reviewed"]["figures"]}
        self.assertEqual(figures["distance"]["unit"], "km")
        wrong = client.put("/api/me/units", json={"units": ["furlongs"]})
        self.assertEqual((wrong.status_code, wrong.json()["detail"]), (422, "There are no other units of “furlongs”."))
        conclusions.sign(self.db, row.id or 0, row.review_version, self.who, None)
        signed = self.db.exec(select(Signature)).one()
        self.assertIn("mi", str(signed.pages))
        accounts.keep_units(self.db, self.who, [])
        shown = reports.issue(self.db, row.id or 0, reports.Options(("figures",)), self.who)
        self.assertIn("'unit': 'mi'", str(shown.document), "a page stays as it was signed")
