"""The leaflet for the wearer: one A5 page in every kind, read back."""

import io
import uuid
from datetime import UTC, datetime

import pypdf

from kumpel.kinds.registry import KINDS
from kumpel.services.ground import settings
from kumpel.services.ground.problems import InvalidError, NotFoundError
from kumpel.services.hand_out import leaflet
from kumpel.store.tables import HandOver, Recorder, Setup
from tests.support import DatabaseTest

A5_POINTS = (148 / 25.4 * 72, 210 / 25.4 * 72)


class Leaflet(DatabaseTest):
    def given(
        self, kind: str, name: str = "Ida Brandvik", person_setup: dict[str, object] | None = None, **rest: object
    ) -> HandOver:
        person = self.person(name, number=f"L-{kind}")
        recorder = Recorder(serial=f"X-{kind}", kind=kind, token="X-01", name="The first")
        setup = Setup(kind=kind, name="Usual", settings=person_setup or {})
        self.db.add(recorder)
        self.db.add(setup)
        self.db.flush()
        given = HandOver(recorder_id=recorder.id, person_id=person.id, setup_id=setup.id, **rest)
        self.db.add(given)
        self.db.commit()
        return given

    def page(self, given: HandOver, **wish: bool) -> tuple[str, str]:
        name, pdf = leaflet.leaflet(self.db, given.id, **wish)
        [page] = pypdf.PdfReader(io.BytesIO(pdf)).pages
        for is_, wanted in zip((page.mediabox.width, page.mediabox.height), A5_POINTS, strict=True):
            self.assertAlmostEqual(float(is_), wanted, delta=0.5)
        return name, " ".join(page.extract_text().split())

    def test_every_kind_has_its_words_on_one_page(self) -> None:
        for key, kind in KINDS.items():
            with self.subTest(kind=key):
                self.assertTrue(kind.leaflet)
                _, text = self.page(self.given(key, f"Ida Brandvik {key}"))
                for line in kind.leaflet.splitlines():
                    self.assertIn(line, text)
                for words in (kind.recorder_name, "Ida Brandvik", "X-01", "What was going on"):
                    self.assertIn(words, text)

    def test_a_start_at_home_is_warned_of_on_the_leaflet(self) -> None:
        for kind in ("oximetry", "resuscitation"):
            given = self.given(kind)
            self.assertNotIn("keeps one recording only", self.page(given)[1])
            recorder = self.db.get_one(Recorder, given.recorder_id)
            recorder.keeps_one = True
            self.db.commit()
            self.assertIn("switched on again after it has recorded, the new recording overwrites", self.page(given)[1])

    def test_who_when_and_what_was_noted(self) -> None:
        at = datetime(2026, 11, 26, 5, 30, tzinfo=UTC)
        given = self.given("noise", given_at=at, expected_at=at.replace(hour=13), tags={"place": "crusher hall"})
        name, text = self.page(given)
        here = at.astimezone()
        self.assertIn(f"Given Thu 26 Nov, {here:%H:%M}", text)
        self.assertIn(f"bring it back Thu 26 Nov, {at.replace(hour=13).astimezone():%H:%M}", text)
        self.assertIn("Place crusher hall", text)
        self.assertEqual(name, "Leaflet X-01 Ida Brandvik.pdf")

    def test_a_number_in_place_of_the_name(self) -> None:
        given = self.given("blood_pressure")
        name, text = self.page(given, named=False)
        self.assertNotIn("Brandvik", name + text)
        self.assertRegex(text, r"Worn by \S+ Recorder The first \(X-01\)")

    def test_the_site_writes_its_own_words(self) -> None:
        settings.keep(self.db, "leaflet.words", "kind", "noise", "Ring 17.\nThank you.", 0, self.who)
        settings.keep(self.db, "paper.name", "site", "", "Tarnfels mine", 0, self.who)
        _, text = self.page(self.given("noise"))
        self.assertIn("Ring 17. • Thank you.", text)
        self.assertIn("Tarnfels mine", text)
        self.assertNotIn("shoulder", text)
        with self.assertRaisesRegex(InvalidError, "1500 characters"):
            settings.keep(self.db, "leaflet.words", "kind", "dust", "x" * 1501, 0, self.who)

    def test_the_longest_words_and_names_are_printed_whole(self) -> None:
        words = " ".join(f"w{i}" for i in range(310))[:1500]
        settings.keep(self.db, "leaflet.words", "kind", "noise", words, 0, self.who)
        given = self.given("noise", "Maria Theresia Walburga von und zu Hohenstein-Langenburg " * 3)
        _, pdf = leaflet.leaflet(self.db, given.id)
        text = " ".join(" ".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(pdf)).pages).split())
        self.assertIn(words, text.replace("Kumpel page 1 of 2 ", ""))

    def test_what_the_setup_will_do_is_told_beforehand_and_afterwards(self) -> None:
        own = {"interval_awake_min": 20, "asleep_from": "23:00", "awake_from": "08:00", "button": False}
        own["quiet"] = [{"start": "19:00", "end": "20:00", "why": "choir"}]
        given = self.given("blood_pressure", person_setup=own)
        wanted = "The cuff fills every 20 min by day, and every 60 min from 23:00 to 08:00, while you sleep."
        _, text = self.page(given)
        made = leaflet.beforehand(self.db, given.recorder_id, given.person_id, own, {"place": "clinic"})
        [page] = pypdf.PdfReader(io.BytesIO(made.pdf)).pages
        self.assertEqual(made.name, "Leaflet X-01 Ida Brandvik.pdf")
        for words in (text, " ".join(page.extract_text().split())):
            self.assertIn(wanted, words)
            self.assertIn("It stays quiet from 19:00 to 20:00 (choir).", words)
            self.assertNotIn("round button", words)
        with self.assertRaises(InvalidError):
            leaflet.beforehand(self.db, given.recorder_id, given.person_id, {"interval_awake_min": 1}, {})

    def test_one_that_is_not_on_record(self) -> None:
        with self.assertRaises(NotFoundError):
            leaflet.leaflet(self.db, uuid.uuid4())
