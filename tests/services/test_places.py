"""Places where recorders stand: what belongs to them as to a person, and what is refused of them."""

from __future__ import annotations

from typing import Any

import sqlalchemy.exc

from kumpel.kinds.registry import KINDS
from kumpel.kinds.setup_fields import personal_facts
from kumpel.services.ground import limits, people
from kumpel.services.ground.problems import ConflictError, InvalidError
from kumpel.services.register import line, medicines, sessions
from kumpel.services.report import conclusions, reports
from kumpel.services.review.years import years_of
from kumpel.store.tables import Person
from tests.support import DatabaseTest, MeterTest


class Places(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        limits.put_shipped(self.db)
        self.room = people.create_person(self.db, "Mill control room", team="Mill", is_place=True)
        self.ida = self.person("Ida Brandvik", team="Mill")

    def test_registers_find_places_people_or_both(self) -> None:
        expected: list[tuple[people.Which, list[str]]] = [
            ("", ["Ida Brandvik", "Mill control room"]),
            ("people", ["Ida Brandvik"]),
            ("places", ["Mill control room"]),
        ]
        for which, names in expected:
            rows, total = people.list_people(self.db, "mill", which=which)
            self.assertEqual(([row.person.name for row in rows], total), (names, len(names)))
        [hit] = [hit for hit in line.find(self.db, "control") if hit.what == "person"]
        self.assertTrue(hit.about.startswith("place "), hit.about)

    def test_nothing_personal_is_kept_of_a_place(self) -> None:
        room = self.room.id or 0
        personal: dict[str, Any] = {"weight_kg": 80.0, "complaint": "headache", "gets_up": "05:30"}
        for key, value in personal.items():
            with self.subTest(key=key), self.assertRaises(InvalidError) as caught:
                people.change_person(self.db, room, {key: value})
            self.assertEqual(caught.exception.field, key)
        for deed in (
            lambda: people.put_code(self.db, room, True),
            lambda: medicines.add(self.db, room, medicines.Taken("ramipril")),
        ):
            with self.assertRaises(ConflictError):
                deed()
        with self.assertRaises(InvalidError):
            people.create_person(self.db, "Pit head", is_place=True, weight_kg=70.0)
        people.change_person(self.db, room, {"notes": "the door stands open", "team": "Mill"})
        # The database refuses it, too, whoever asks.
        for column, value in personal.items():
            with self.subTest(column=column), self.assertRaises(sqlalchemy.exc.IntegrityError):
                setattr(self.db.get_one(Person, room), column, value)
                self.db.commit()
            self.db.rollback()

    def test_a_session_its_years_and_its_report_belong_to_the_place(self) -> None:
        session = self.session(22_000, self.room)
        [lane] = years_of(self.db, self.room.id or 0).lanes
        self.assertEqual([mark.session_id for mark in lane.marks], [session.id])
        self.assertEqual(years_of(self.db, self.room.id or 0).taken, ())
        conclusions.conclude(self.db, session.id or 0, "Nothing to be done.", self.who)
        conclusions.sign(self.db, session.id or 0, session.review_version, self.who)
        report = reports.issue(self.db, session.id or 0, reports.Options(KINDS["noise"].one_page), self.who)
        facts = report.document["parts"][0]["facts"]
        self.assertEqual(facts[0], {"label": "Place", "value": "Mill control room"})

    def test_kinds_that_are_worn_are_refused_and_say_so(self) -> None:
        standing = {key for key, kind in KINDS.items() if kind.stands}
        self.assertEqual(standing, {"noise", "gas", "dust"})
        for key in standing:
            self.assertFalse(personal_facts(KINDS[key].setup_model), f"{key} wants facts of a person")
        session = self.session(22_000)
        sessions.change(self.db, session.id or 0, {"person_id": self.room.id})
        session.kind = "blood_pressure"
        self.db.add(session)
        self.db.commit()
        with self.assertRaisesRegex(ConflictError, "is a place, and .* is recorded of people only"):
            sessions.change(self.db, session.id or 0, {"person_id": self.room.id})

    def test_the_same_name_is_asked_about_as_a_place(self) -> None:
        with self.assertRaisesRegex(ConflictError, "the same place"):
            people.create_person(self.db, "mill control ROOM", is_place=True)


class HandedToAPlace(MeterTest):
    def test_a_recorder_is_put_up_and_what_it_records_belongs_to_the_place(self) -> None:
        room = people.create_person(self.db, "Mill control room", is_place=True)
        self.give(room)
        [row], _ = people.list_people(self.db, which="places")
        self.assertTrue(row.has_recorder)
        self.take_in(self.record(3600))
        [row], _ = people.list_people(self.db, which="places")
        self.assertEqual(row.sessions, 1)
