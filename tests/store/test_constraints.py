"""What the database itself refuses, and the schema against the models."""

from typing import Any

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError

from kumpel.kinds.registry import KINDS
from kumpel.store import database
from kumpel.store.tables import Conclusion, HandOver, Person, Recorder, Report, Setup, Stretch, metadata
from tests.support import DatabaseTest


class Constraints(DatabaseTest):
    def refused(self, *rows: Any) -> None:
        with self.assertRaises(IntegrityError):
            self.db.add_all(rows)
            self.db.commit()
        self.db.rollback()

    def test_a_recorder_has_one_open_hand_over(self) -> None:
        person, recorder = self.person(), Recorder(serial="x", kind="noise", token="N", name="n")
        setup = Setup(kind="noise", name="s", settings={})
        self.db.add_all([recorder, setup])
        self.db.commit()
        both = [HandOver(recorder_id=recorder.id, person_id=person.id, setup_id=setup.id) for _ in range(2)]
        self.refused(*both)

    def test_a_stretch_ends_after_it_begins_and_has_a_reason(self) -> None:
        row = self.session(3600)
        self.refused(Stretch(session_id=row.id, what="left out", start_s=5, end_s=5, label="x"))
        self.refused(Stretch(session_id=row.id, what="left out", start_s=5, end_s=6, label=" "))
        self.refused(Stretch(session_id=row.id, what="moved", start_s=5, end_s=6, label="x"))

    def test_a_person_has_a_name_and_a_number_of_its_own(self) -> None:
        self.refused(Person(number="1", name=" "))
        self.person(number="7")
        self.refused(Person(number="7", name="Somebody"))

    def test_a_signature_belongs_to_somebody(self) -> None:
        row = self.session(3600)
        from kumpel.store.tables import now

        self.refused(Conclusion(session_id=row.id, signed_at=now()))

    def test_an_issued_report_cannot_be_changed_unnoticed(self) -> None:
        row = self.session(3600)
        self.refused(
            Report(
                number="R", session_id=row.id, title="t", document={}, limits={}, pages=1, pdf=b"a", sha256=bytes(32)
            )
        )

    def test_migrations_make_what_the_models_say(self) -> None:
        with database.engine(self.url).connect() as connection:
            found = compare_metadata(MigrationContext.configure(connection), metadata)
        ours = set(metadata.tables)
        differences = [
            d
            for d in found
            if not str(d).count("procrastinate")
            and any(t in str(d) for t in ours)
            and "person_name_lower" not in str(d)
        ]
        self.assertEqual(differences, [])

    def test_migrating_again_is_harmless(self) -> None:
        database.migrate(self.url)
        shipped = sum(len(kind.limit_sets) for kind in KINDS.values())
        self.assertEqual(self.db.connection().execute(text("select count(*) from limit_set")).scalar_one(), shipped)
