"""A report for a health record: what the independent models say of it, and every check of our own made to fail."""

import base64
import copy
import unittest
from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import Any

from fhir.resources.R4B.bundle import Bundle

from kumpel.core.review import Review
from kumpel.formats import fhir_checks
from kumpel.formats.fhir_document import Issued, Subject, document, write
from kumpel.kinds.registry import KINDS
from kumpel.standins.signals import SIGNALS

REPORT = Issued(
    "R-2026-00017",
    "Blood pressure, Tue 03 Nov 2026",
    datetime(2026, 11, 4, 15, 0, tzinfo=UTC),
    "Runa Halvorsen",
    "Tarnfels mine",
    "Too high by day & night.\nSecond line.",
    b"%PDF-1.7 made up",
)
PETTER = Subject("TF-0412", "Petter Lunde", date(1971, 2, 12), "male")


def made(kind: str = "blood_pressure", subject: Subject = PETTER, left_out: tuple[float, ...] = ()) -> dict[str, Any]:
    recording = SIGNALS[kind](2).recording
    found = KINDS[kind].assess(recording, Review(), KINDS[kind].limit_sets[0]).reviewed
    return document(recording, found, subject, REPORT, left_out)


class Documents(unittest.TestCase):
    def test_independent_models_and_our_own_checks_take_it(self) -> None:
        for kind in ("blood_pressure", "oximetry"):
            for subject in (PETTER, Subject("urn:uuid:0d0f8b52-6f0f-4d4e-8a8a-0d0f8b526f0f")):
                with self.subTest(kind=kind, named=bool(subject.name)):
                    found = made(kind, subject)
                    self.assertEqual(fhir_checks.problems(found), [])
                    bundle = Bundle.model_validate_json(write(found))
                    self.assertEqual(bundle.entry[0].resource.get_resource_type(), "Composition")

    def test_readings_means_and_pages_are_in_it(self) -> None:
        recording = SIGNALS["blood_pressure"](2).recording
        bundle = Bundle.model_validate_json(write(made()))
        of: dict[str, list[Any]] = {}
        for entry in bundle.entry:
            of.setdefault(entry.resource.get_resource_type(), []).append(entry.resource)
        panels = [o for o in of["Observation"] if o.code.coding and o.code.coding[0].code == "85354-9"]
        tries = [e for e in recording.events if e.code == "reading"]
        self.assertEqual(len(panels), len(tries))
        for panel, event in zip(panels, tries, strict=True):
            values = {c.code.coding[0].code: c.valueQuantity for c in panel.component}
            if "systolic" in event.data:
                self.assertEqual(float(values["8480-6"].value), event.data["systolic"])
                self.assertEqual(values["8480-6"].code, "mm[Hg]")
            else:
                self.assertIsNone(values["8480-6"])
        found = KINDS["blood_pressure"].assess(recording, Review(), KINDS["blood_pressure"].limit_sets[0]).reviewed
        means = {o.code.text: float(o.valueQuantity.value) for o in of["Observation"] if not o.code.coding}
        self.assertEqual(means["24 h, systolic mean"], found.figure("all.systolic.mean").stated)
        [report] = of["DiagnosticReport"]
        kept = next(e["resource"] for e in made()["entry"] if e["resource"]["resourceType"] == "DiagnosticReport")
        self.assertEqual(base64.b64decode(kept["presentedForm"][0]["data"]), REPORT.pdf)
        self.assertEqual(report.conclusion, REPORT.conclusion)

    def test_a_reading_that_was_left_out_is_not_in_it(self) -> None:
        recording = SIGNALS["blood_pressure"](2).recording
        at = next(e.at_s for e in recording.events if e.code == "reading" and "systolic" in e.data)
        panels = [sum("component" in e["resource"] for e in made(left_out=out)["entry"]) for out in ((), (at,))]
        self.assertEqual(panels[0] - panels[1], 1)

    def test_without_a_name_nothing_leads_to_the_person(self) -> None:
        text = write(made(subject=Subject("urn:uuid:0d0f8b52-6f0f-4d4e-8a8a-0d0f8b526f0f"))).decode()
        for word in ("Petter", "Lunde", "1971", "TF-0412", "male"):
            self.assertNotIn(word, text)

    def test_what_has_no_words_in_it_is_refused(self) -> None:
        with self.assertRaisesRegex(ValueError, "nothing to write"):
            made("noise")


class EveryCheckFails(unittest.TestCase):
    """For each check a document that is wrong in just this."""

    def spoilt(self, change: Callable[[dict[str, Any]], None]) -> list[str]:
        found = copy.deepcopy(made())
        change(found)
        return fhir_checks.problems(found)

    def resource(self, bundle: dict[str, Any], kind: str) -> dict[str, Any]:
        found: dict[str, Any] = next(e["resource"] for e in bundle["entry"] if e["resource"]["resourceType"] == kind)
        return found

    def test_each(self) -> None:
        def swap(b: dict[str, Any]) -> None:
            b["entry"][0], b["entry"][1] = b["entry"][1], b["entry"][0]

        def dangling(b: dict[str, Any]) -> None:
            self.resource(b, "Composition")["section"][1]["entry"][0]["reference"] = "urn:uuid:gone"

        def twice(b: dict[str, Any]) -> None:
            b["entry"][2]["fullUrl"] = b["entry"][3]["fullUrl"]

        def first(b: dict[str, Any], change: Callable[[dict[str, Any]], Any]) -> None:
            change(self.resource(b, "Observation"))

        def kilopascal(o: dict[str, Any]) -> None:
            o["component"][0]["valueQuantity"]["code"] = "kPa"

        def no_unit(o: dict[str, Any]) -> None:
            del o["component"][0]["valueQuantity"]["system"]

        def no_value(o: dict[str, Any]) -> None:
            del o["component"][0]["valueQuantity"]

        cases: list[tuple[str, Callable[[dict[str, Any]], Any]]] = [
            ("type document", lambda b: b.update(type="collection")),
            ("bdl-11", swap),
            ("bdl-9", lambda b: b.pop("identifier")),
            ("bdl-10", lambda b: b.update(timestamp="2026-11-04T15:00:00")),
            ("bdl-7", twice),
            ("nothing here has the address", dangling),
            ("in kPa, not mm[Hg]", lambda b: first(b, kilopascal)),
            ("without a UCUM unit", lambda b: first(b, no_unit)),
            ("not of the category vital-signs", lambda b: first(b, lambda o: o.pop("category"))),
            ("its subject is not the Patient", lambda b: first(b, lambda o: o.pop("subject"))),
            ("no moment with its time zone", lambda b: first(b, lambda o: o.pop("effectiveDateTime"))),
            ("neither a value nor why", lambda b: first(b, no_value)),
            (
                "does not carry its pages",
                lambda b: self.resource(b, "DiagnosticReport")["presentedForm"][0].update(data="JVBE"),
            ),
            ("has no name, but", lambda b: self.resource(b, "Patient").pop("name")),
        ]
        for words, change in cases:
            with self.subTest(words):
                said = self.spoilt(change)
                self.assertTrue(any(words in each for each in said), said)
        self.assertGreaterEqual(len(cases), len(fhir_checks.CHECKS))
