"""What somebody takes, told for any day; a code in place of the name."""

import time
from datetime import UTC, date, datetime
from typing import Any

from kumpel.reports.document import TextPart
from kumpel.services.ground import decisions, deeds, figures, people, settings
from kumpel.services.ground.decisions import Wish
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.register import medicines, session_list, sessions
from kumpel.services.register.medicines import Taken
from kumpel.services.report import conclusions, paper, reports
from kumpel.services.review import comparison, deciding
from kumpel.services.take_in import take_in
from kumpel.standins.blood_pressure_signal import Day, make
from kumpel.standins.made import as_file
from kumpel.store.tables import Person, Session
from tests.support import DatabaseTest

ABOUT = {"serial": "BP-000103", "name": "Cuff recorder 3", "token": "C-03", "model": "BP-24", "firmware": "3.0.1"}


class PatientTest(DatabaseTest):
    """A test with a patient and recordings at given days."""

    def setUp(self) -> None:
        super().setUp()
        self.petter = self.person("Petter Lunde")

    def recorded(
        self, on: date, person: Person | None = None, tags: dict[str, str] | None = None, **day: Any
    ) -> Session:
        start = datetime(on.year, on.month, on.day, 9, 20, tzinfo=UTC).timestamp()
        usual: dict[str, Any] = {"seed": on.toordinal(), "start": start, "failing": 0.0}
        made = make(Day(**usual | day))
        who = person or self.petter
        wish = {"person_id": who.id, "tags": tags or {}}
        row = take_in.from_file(self.db, as_file(made, f"S{on:%y%m%d}{who.id}", start, 60, ABOUT), self.who, wish)
        figures.assess(self.db, row)
        self.db.commit()
        self.db.refresh(row)
        return row


class Taking(PatientTest):
    def test_each_recording_knows_what_was_taken_then(self) -> None:
        pid = self.petter.id or 0
        ramipril = medicines.add(self.db, pid, Taken("ramipril", "5 mg", ("8.10",), date(2026, 1, 5)))
        medicines.change(self.db, ramipril.id or 0, "10 mg", ("08:10", "20:00"), date(2026, 6, 1))
        last = deeds.of(self.db, Whom("person", pid))[-1]
        self.assertEqual((last.before or {})["until"], None, "what was, before the change ended it")
        other = medicines.add(self.db, pid, Taken("amlodipine", "5 mg", ("21:00",), date(2026, 6, 1)))
        medicines.end(self.db, other.id or 0, date(2026, 8, 1))

        def at(day: date) -> list[str]:
            return [medicines.words(m) for m in medicines.during(self.db, self.recorded(day))]

        self.assertEqual(at(date(2025, 12, 1)), [])
        self.assertEqual(at(date(2026, 3, 1)), ["ramipril 5 mg"])
        self.assertEqual(at(date(2026, 7, 1)), ["amlodipine 5 mg", "ramipril 10 mg"])
        self.assertEqual(at(date(2026, 9, 1)), ["ramipril 10 mg"])
        # From one morning to the next the dose changed: both were taken on these days.
        self.assertEqual(at(date(2026, 5, 31)), ["amlodipine 5 mg", "ramipril 5 mg", "ramipril 10 mg"])

    def test_what_is_wrong_is_said_and_nothing_kept(self) -> None:
        pid = self.petter.id or 0
        row = medicines.add(self.db, pid, Taken("ramipril", "5 mg", (), date(2026, 3, 1)))
        for wrong, error in (
            (Taken("  "), InvalidError),
            (Taken("x" * 81), InvalidError),
            (Taken("x", times=("25:00",)), InvalidError),
            (Taken("Ramipril"), ConflictError),
        ):
            with self.assertRaises(error):
                medicines.add(self.db, pid, wrong)
        with self.assertRaises(InvalidError):
            medicines.end(self.db, row.id or 0, date(2026, 2, 1))
        self.assertEqual(len(medicines.of_person(self.db, pid)), 1)
        medicines.remove(self.db, row.id or 0)
        self.assertEqual(medicines.of_person(self.db, pid), [])

    def test_signed_paper_keeps_what_was_noted_then(self) -> None:
        row = self.recorded(date(2026, 3, 1))
        pid = self.petter.id or 0
        people.change_person(self.db, pid, {"doctor": "Dr. Moe", "complaint": "dizzy", "stay": "out-patient"})
        noted = medicines.add(self.db, pid, Taken("ramipril", "5 mg", ("08:10",)))
        made, _ = reports.paper_of(self.db, row, reports.Options(("medicines",)))
        self.assertEqual(made.parts["medicines"][0].model_dump()["text"], "ramipril 5 mg at 08:10")
        self.assertIn(("Doctor", "Dr. Moe"), [(f.label, f.value) for f in made.who])
        conclusions.sign(self.db, row.id or 0, row.review_version, self.who)
        medicines.remove(self.db, noted.id or 0)
        self.db.refresh(row)
        signed, _ = reports.paper_of(self.db, row, reports.Options(("medicines",)))
        self.assertEqual(signed.parts["medicines"], made.parts["medicines"])


class Codes(PatientTest):
    def test_the_code_stands_wherever_the_name_would(self) -> None:
        row = self.recorded(date(2026, 3, 1))
        coded = people.put_code(self.db, self.petter.id or 0, True)
        self.assertRegex(coded.name, r"^K-[2-9A-Z]{5}$")
        made, _ = reports.paper_of(self.db, row, reports.Options(("figures",)))
        self.assertNotIn("Petter", made.model_dump_json())
        self.assertIn(coded.name, made.model_dump_json())
        self.assertEqual(
            [
                s.facts["person"]
                for s in session_list.list_sessions(self.db, session_list.Filter())[0]
                if s.facts["person"]
            ],
            [coded.name],
        )
        self.assertEqual([p.person.id for p in people.list_people(self.db, "petter")[0]], [self.petter.id])
        with self.assertRaises(ConflictError):
            people.change_person(self.db, self.petter.id or 0, {"name": "Somebody"})
        self.assertEqual(people.put_code(self.db, self.petter.id or 0, False).name, "Petter Lunde")


class Comparing(PatientTest):
    def test_before_and_after_a_treatment(self) -> None:
        pid = self.petter.id or 0
        medicines.add(self.db, pid, Taken("ramipril", "5 mg", ("08:10",), date(2026, 1, 1)))
        medicines.add(self.db, pid, Taken("amlodipine", "5 mg", ("21:00",), date(2026, 11, 6)))
        same = {"arm": "left", "cuff": "medium", "day": "working day"}
        before = self.recorded(date(2026, 11, 3), awake_systolic=150.0, tags=same)
        after = self.recorded(date(2026, 11, 24), awake_systolic=130.0, tags=same)
        made = comparison.compare(self.db, before.id or 0, after.id or 0)
        change = made.found.changes[0]
        a, b = (figures.outcome(self.db, s.id or 0) for s in (before, after))
        assert a and b
        first, second = (o.both.reviewed.figure("all.systolic.mean").stated for o in (a, b))
        self.assertEqual((change.before, change.after, change.difference), (first, second, second - first))
        self.assertEqual((change.span.origin, change.standing), ("none", "not known"))
        self.assertEqual(
            [(m.name, m.before, m.after, m.changed) for m in made.medicines],
            [("ramipril", "5 mg 08:10", "5 mg 08:10", False), ("amlodipine", "", "5 mg 21:00", True)],
        )
        self.assertEqual(made.changed_on, date(2026, 11, 6))
        settings.keep(self.db, "spans.all.systolic.mean", "kind", "blood_pressure", 8.0, 0)
        settings.keep(self.db, "spans.from", "kind", "blood_pressure", "our own repeats, 2026", 0)
        again = comparison.compare(self.db, before.id or 0, after.id or 0)
        self.assertEqual((again.found.changes[0].standing, again.spans_from), ("beyond", "our own repeats, 2026"))

    def test_own_recordings_tell_the_span_before_the_house_does(self) -> None:
        settings.keep(self.db, "spans.all.systolic.mean", "kind", "blood_pressure", 8.0, 0)
        for month, level in ((1, 148.0), (3, 150.0), (5, 152.0)):
            self.recorded(date(2026, month, 2), awake_systolic=level)
        before = self.recorded(date(2026, 7, 2), awake_systolic=150.0)
        after = self.recorded(date(2026, 9, 2), awake_systolic=148.0)
        span = comparison.compare(self.db, before.id or 0, after.id or 0).found.changes[0].span
        self.assertEqual((span.origin, span.recordings), ("own", 4))
        # The other way round, too, the one that is compared does not tell how far it may lie off.
        span = comparison.compare(self.db, after.id or 0, before.id or 0).found.changes[0].span
        self.assertEqual((span.origin, span.recordings), ("own", 4))

    def test_other_people_and_other_kinds_are_refused(self) -> None:
        mine, other = self.recorded(date(2026, 3, 1)), self.recorded(date(2026, 3, 2), self.person("Ruth Amsel"))
        with self.assertRaises(ConflictError):
            comparison.compare(self.db, other.id or 0, mine.id or 0)
        with self.assertRaises(InvalidError):
            comparison.compare(self.db, mine.id or 0, mine.id or 0)
        noise = self.session(person=self.petter, start=time.time() - 90_000)
        with self.assertRaises(InvalidError):
            comparison.compare(self.db, noise.id or 0, mine.id or 0)

    def test_up_to_five_others_stand_on_a_page_and_what_cannot_is_refused(self) -> None:
        rows = [self.recorded(date(2026, month, 1)) for month in (1, 2, 3)]
        ids = [row.id or 0 for row in rows]
        last = rows[-1]

        def wish(words: str) -> None:
            self.db.refresh(last)
            asked = [Wish("setting", "compared_with", value=words)]
            deciding.decide(self.db, last.id or 0, last.review_version, asked, (), self.who)

        wish(f"{ids[1]},{ids[0]}")
        kept = decisions.setting(decisions.of_session(self.db, last.id or 0), "compared_with")
        self.assertEqual(kept, f"{ids[0]},{ids[1]}", "the oldest first")
        stranger = self.recorded(date(2026, 3, 5), self.person("Ruth Amsel"))
        for words, refusal in (
            (f"{ids[0]},{stranger.id}", ConflictError),
            (f"{ids[0]},{last.id}", InvalidError),
            (f"{ids[0]},999999", NotFoundError),
            (f"{ids[0]},99999999999", InvalidError),
            ("1,2,3,4,5,6", InvalidError),
            (f"{ids[0]},{ids[0]}", InvalidError),
            ("1;drop", InvalidError),
        ):
            with self.subTest(words=words), self.assertRaises(refusal):
                wish(words)
        # One that was deleted since is said on the page in place of numbers.
        sessions.delete_session(self.db, ids[0])
        self.db.refresh(last)
        made, _ = paper.now_of(self.db, last, ["comparison"])
        [said] = made.parts["comparison"]
        assert isinstance(said, TextPart)
        self.assertIn("not on record", said.text)

    def test_what_the_report_compares_with_changes_no_figure(self) -> None:
        before, after = self.recorded(date(2026, 3, 1)), self.recorded(date(2026, 4, 1))
        was = figures.outcome(self.db, after.id or 0)
        wish = Wish("setting", "compared_with", value=float(before.id or 0))
        deciding.decide(self.db, after.id or 0, after.review_version, [wish], (), self.who)
        now = figures.outcome(self.db, after.id or 0)
        assert was and now
        self.assertEqual(now.both.reviewed.figures, was.both.reviewed.figures)
        kept = deeds.of(self.db, Whom("session", after.id))
        self.assertEqual(kept[-1].what, "decided")
        with self.assertRaises(NotFoundError):
            self.db.refresh(after)
            half = Wish("setting", "compared_with", value=(before.id or 0) + 0.5)
            deciding.decide(self.db, after.id or 0, after.review_version, [half], (), self.who)
        with self.assertRaises(ConflictError):
            stranger = self.recorded(date(2026, 3, 5), self.person("Ruth Amsel"))
            self.db.refresh(after)
            wrong = Wish("setting", "compared_with", value=float(stranger.id or 0))
            deciding.decide(self.db, after.id or 0, after.review_version, [wrong], (), self.who)
