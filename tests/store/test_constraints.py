"""What the database itself refuses, and the schema against the models."""

from typing import Any

from alembic.autogenerate import compare_metadata
from alembic.migration import MigrationContext
from sqlalchemy import text
from sqlalchemy.exc import IntegrityError

from kumpel.kinds.registry import KINDS
from kumpel.store import database
from kumpel.store.tables import Decision, HandOver, Person, Recorder, Report, Setup, Signature, metadata, now
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

        def decision(what: str, **rest: Any) -> Decision:
            return Decision(session_id=row.id, what=what, version=1, **rest)

        self.refused(decision("left out", start_s=5, end_s=5, reason="x"))
        self.refused(decision("left out", start_s=5, end_s=6, reason=" "))
        self.refused(decision("left out", start_s=5, reason="x"))
        self.refused(decision("moved", start_s=5, end_s=6, reason="x"))
        self.refused(decision("dropped", key="reading@1.0"))
        self.refused(decision("setting", value=3.0))

    def test_a_setting_has_one_value_at_a_time(self) -> None:
        row = self.session(3600)
        two = [Decision(session_id=row.id, what="setting", key="factor", value=v, version=1) for v in (1.0, 2.0)]
        self.refused(*two)

    def test_a_person_has_a_name_and_a_number_of_its_own(self) -> None:
        self.refused(Person(number="1", name=" "))
        self.person(number="7")
        self.refused(Person(number="7", name="Somebody"))

    def test_a_signature_belongs_to_somebody_one_is_in_force_and_opening_needs_a_reason(self) -> None:
        row = self.session(3600)

        def signature(**rest: Any) -> Signature:
            return Signature(session_id=row.id, review_version=0, **({"signed_by": self.who} | rest))

        self.refused(signature(signed_by=None))
        self.refused(signature(), signature())
        self.refused(signature(opened_at=now(), opened_by=self.who, opened_why=" "))
        self.refused(signature(opened_at=now(), opened_why="x"))

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
