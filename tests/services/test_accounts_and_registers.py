"""Accounts; the register of sessions: filters, sorting, pages, tags; finding anything; the counts on the line."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import text
from sqlmodel import select

from kumpel.core.samples import ArraySamples
from kumpel.formats import krec
from kumpel.services.ground import accounts, figures, people, recordings
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError, SignInError, TooManyTriesError
from kumpel.services.register import line, many, session_list, sessions
from kumpel.services.register.session_list import Filter
from kumpel.services.report import conclusions, reports
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Account, Recorder, Session, SignIn, Tag, now
from tests.support import DatabaseTest


class Accounts(DatabaseTest):
    def test_a_token_opens_and_its_hash_alone_is_kept(self) -> None:
        account, token = accounts.sign_in(self.db, "officer", "long enough")
        self.assertEqual(accounts.account_of(self.db, token), account)
        stored = self.db.exec(select(SignIn)).one()
        self.assertNotIn(token, stored.token_hash)
        self.assertIsNone(accounts.account_of(self.db, stored.token_hash))

    def test_an_expired_token_opens_nothing(self) -> None:
        _, token = accounts.sign_in(self.db, "officer", "long enough")
        self.db.connection().execute(text("update sign_in set expires_at = now() - interval '1 second'"))
        self.db.commit()
        self.assertIsNone(accounts.account_of(self.db, token))

    def test_no_token_a_wrong_one_and_a_signed_out_one_open_nothing(self) -> None:
        _, token = accounts.sign_in(self.db, "officer", "long enough")
        accounts.sign_out(self.db, token)
        for wrong in (None, "", "x", token):
            self.assertIsNone(accounts.account_of(self.db, wrong))

    def test_names_are_not_sensitive_to_case_and_passwords_are(self) -> None:
        accounts.sign_in(self.db, " Officer ", "long enough")
        for login, password in (
            ("officer", "Long enough"),
            ("officer", "long enough "),
            ("nobody", "long enough"),
            ("officer", ""),
        ):
            with self.subTest(login=login, password=password), self.assertRaises(SignInError):
                accounts.sign_in(self.db, login, password)

    def test_guessing_is_slowed_down_and_forgiven_after_the_right_one(self) -> None:
        for _ in range(accounts.FREE_TRIES):
            with self.assertRaises(SignInError):
                accounts.sign_in(self.db, "officer", "wrong wrong")
        with self.assertRaisesRegex(TooManyTriesError, "Try again in 1 s"):
            accounts.sign_in(self.db, "officer", "long enough")  # even the right one has to wait
        self.db.rollback()
        self.db.connection().execute(text("update account set failed_at = now() - interval '2 seconds'"))
        self.db.commit()
        self.db.expire_all()
        accounts.sign_in(self.db, "officer", "long enough")
        self.assertEqual(self.officer.failures, 0)

    def test_the_pause_doubles_and_ends_at_five_minutes(self) -> None:
        account = Account(login="x", name="X", password_hash="", failed_at=now())
        for failures, pause in ((4, 0), (5, 1), (6, 2), (9, 16), (13, 256), (14, 300), (5000, 300)):
            account.failures = failures
            self.assertAlmostEqual(accounts.waiting_s(account), pause, delta=0.1)

    def test_short_passwords_and_taken_names_are_refused(self) -> None:
        with self.assertRaises(InvalidError):
            accounts.create_account(self.db, "new", "New", "short")
        with self.assertRaises(ConflictError):
            accounts.create_account(self.db, "OFFICER", "Other", "long enough")
        with self.assertRaises(InvalidError):
            accounts.create_account(self.db, " ", "Other", "long enough")

    def test_passwords_are_stored_hashed(self) -> None:
        self.assertTrue(self.officer.password_hash.startswith("$argon2id$"))
        self.assertNotIn("long enough", self.officer.password_hash)


class Register(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        self.ida, self.leila = (
            self.person("Ida Brandvik", number="TF-0401", team="Crusher hall"),
            self.person("Leila Haddad"),
        )
        self.recorder = Recorder(serial="NM-000199", kind="noise", token="N-99", name="Noise meter 99")
        self.db.add(self.recorder)
        self.db.commit()
        day = 86_400
        self.rows = [
            self.session(28_000, self.ida, start=1_795_000_000.0, session="A", loud_db=96.0),
            self.session(27_000, self.leila, start=1_795_000_000.0 + day, session="B", loud_db=76.0, base_db=70.0),
            self.session(3_600, None, start=1_795_000_000.0 + 2 * day, session="C"),
            self.session(20, self.ida, start=1_795_000_000.0 + 3 * day, session="D"),
        ]
        sessions.change(self.db, self.rows[0].id or 0, {"tags": {"place": "crusher hall", "task": "liner change"}})

    def found(self, **wanted: object) -> str:
        rows, total = session_list.list_sessions(self.db, Filter(**wanted))
        self.assertEqual(len(rows), total)
        return "".join(row.facts["recorder_session"] for row in rows)

    def test_filters(self) -> None:
        start = self.rows[0].started_at
        cases = [
            ({}, "CBA"),
            ({"search": "brandvik"}, "A"),
            ({"search": "TF-0401"}, "A"),
            ({"search": "liner"}, "A"),
            ({"search": "N-99"}, "CBA"),
            ({"search": "%"}, ""),
            ({"search": "_"}, ""),
            ({"person_id": self.leila.id}, "B"),
            ({"kind": "noise"}, "CBA"),
            ({"kind": "hats"}, ""),
            ({"verdict": "above limit"}, "A"),
            ({"standing": "unclaimed"}, "C"),
            ({"standing": "aside"}, "D"),
            ({"standing": "waiting"}, "CBA"),
            ({"standing": "signed"}, ""),
            ({"standing": "deleted"}, ""),
            ({"since": start + timedelta(hours=1)}, "CB"),
            ({"until": start + timedelta(hours=1)}, "A"),
            ({"since": start, "until": start}, ""),
            ({"search": "brandvik", "verdict": "within"}, ""),
        ]
        for wanted, expected in cases:
            with self.subTest(wanted=wanted):
                self.assertEqual(self.found(**wanted), expected)

    def test_sorting_both_ways(self) -> None:
        for sort, rising in (("started", "ABC"), ("length", "CBA"), ("person", "ABC")):
            with self.subTest(sort=sort):
                self.assertEqual(self.found(sort=sort, falling=False), rising)

    def test_pages_cover_everything_once(self) -> None:
        seen = []
        for offset in range(4):
            rows, total = session_list.list_sessions(self.db, Filter(), 1, offset)
            self.assertEqual(total, 3)
            seen += [row.facts["recorder_session"] for row in rows]
        self.assertEqual(seen, ["C", "B", "A"])

    def test_deleted_is_out_of_the_way_and_comes_back_as_it_was(self) -> None:
        row = self.rows[0]
        sessions.delete_session(self.db, row.id or 0)
        self.assertEqual((self.found(), self.found(standing="deleted")), ("CB", "A"))
        sessions.restore_session(self.db, row.id or 0)
        [first] = [r for r in session_list.list_sessions(self.db, Filter())[0] if r.id == row.id]
        self.assertEqual(first.tags, {"place": "crusher hall", "task": "liner change"})

    def test_a_tag_that_is_named_changes_and_an_empty_one_goes(self) -> None:
        row = self.rows[0].id or 0
        sessions.change(self.db, row, {"tags": {"place": "mill"}})
        tags = sorted((t.key, t.value) for t in self.db.exec(select(Tag)).all())
        self.assertEqual(tags, [("place", "mill"), ("task", "liner change")])
        sessions.change(self.db, row, {"tags": {"task": "  "}})
        self.assertEqual([(t.key, t.value) for t in self.db.exec(select(Tag)).all()], [("place", "mill")])

    def test_kept_aside_can_be_brought_in(self) -> None:
        sessions.change(self.db, self.rows[3].id or 0, {"aside": ""})
        self.assertEqual(self.found(), "DCBA")
        self.assertEqual(self.db.get_one(Session, self.rows[3].id).verdict, "not assessable")

    def test_those_with_one_record_are_found_set_aside_together_and_brought_back(self) -> None:
        made = SIGNALS["gas"](1).recording
        one = {
            key: replace(c, samples=ArraySamples(c.values[:1]), interval_s=600.0) for key, c in made.channels.items()
        }
        row = self.stored(krec.write_recording(replace(made, channels=one), "W"), self.ida)
        self.assertEqual(row.aside, "one record: only switched on")
        back = many.change(self.db, {row.id or 0: {"aside": ""}})
        self.assertEqual(self.found(standing="worthless"), "W")
        many.change(self.db, {row.id or 0: {"aside": "test"}})
        self.assertEqual((self.found(standing="worthless"), self.found(standing="aside")), ("", "DW"))
        many.change(self.db, back.before)
        self.assertEqual(self.db.get_one(Session, row.id).aside, "one record: only switched on")

    def test_a_shift_beyond_a_year_is_a_slip_of_the_finger(self) -> None:
        with self.assertRaises(InvalidError):
            sessions.change(self.db, self.rows[0].id or 0, {"clock_shift_s": 4e7})

    def test_what_is_not_there(self) -> None:
        for call in (recordings.session_of, sessions.delete_session, sessions.restore_session):
            with self.assertRaises(NotFoundError):
                call(self.db, 999)
        with self.assertRaises(NotFoundError):
            sessions.change(self.db, self.rows[0].id or 0, {"person_id": 999})

    def test_finding_anything_by_a_few_letters(self) -> None:
        self.assertEqual(
            [(h.what, h.title) for h in line.find(self.db, "leila")],
            [("person", "Leila Haddad"), ("session", "Leila Haddad")],
        )
        self.assertIn(("recorder", "N-99"), [(h.what, h.title) for h in line.find(self.db, "n-99")])
        self.assertEqual(line.find(self.db, "   "), [])
        self.assertEqual(line.find(self.db, "zzz"), [])

    def test_the_counts_on_the_line_follow_the_work(self) -> None:
        self.assertEqual((line.waiting(self.db).review, line.waiting(self.db).report), (3, 0))
        row = self.db.get_one(Session, self.rows[0].id)
        conclusions.sign(self.db, row.id or 0, row.review_version, self.who)
        self.assertEqual((line.waiting(self.db).review, line.waiting(self.db).report), (2, 1))
        reports.issue(self.db, row.id or 0, reports.Options(("figures",)), self.who)
        self.assertEqual(line.waiting(self.db).report, 0)
        conclusions.open_again(self.db, row.id or 0, self.who, "a task was missing")
        row = self.db.get_one(Session, row.id)
        conclusions.sign(self.db, row.id or 0, row.review_version, self.who)
        self.assertEqual(line.waiting(self.db).report, 1)  # signed anew: the old page no longer says it

    def test_people_show_their_sessions_and_their_recorder(self) -> None:
        rows, total = people.list_people(self.db)
        by_name = {row.person.name: row for row in rows}
        self.assertEqual(total, 2)
        self.assertEqual(by_name["Leila Haddad"].sessions, 1)
        self.assertEqual(by_name["Ida Brandvik"].team, "Crusher hall")
        self.assertFalse(by_name["Ida Brandvik"].has_recorder)

    def test_a_change_of_a_person_keeps_the_rest(self) -> None:
        changed = people.change_person(
            self.db, self.ida.id or 0, {"team": "Mill", "born": datetime(1984, 2, 11, tzinfo=UTC).date()}
        )
        self.assertEqual((changed.name, changed.number), ("Ida Brandvik", "TF-0401"))
        with self.assertRaises(ConflictError):
            people.change_person(self.db, self.leila.id or 0, {"number": "TF-0401"})
        with self.assertRaises(InvalidError):
            people.change_person(self.db, self.leila.id or 0, {"name": "  "})


class ByNumber(DatabaseTest):
    """The register of a figure: by its value, not by a sentence."""

    def test_sessions_are_listed_by_a_figure_of_theirs(self) -> None:
        rows = [self.session(600, session=f"S-{i}", seed=i, base_db=70.0 + 3 * i) for i in range(5)]
        values = {}
        for row in rows:
            found = figures.outcome(self.db, row.id or 0)
            assert found is not None
            values[row.id or 0] = found.both.reviewed.figure("laeq").stated
        expected = sorted(values, key=lambda i: values[i])

        def listed(**wanted: Any) -> list[int]:
            found, total = session_list.list_sessions(self.db, session_list.Filter(figure="laeq", **wanted))
            self.assertEqual(total, len(found))
            for row in found:
                number = row.numbers["laeq"]
                self.assertEqual((number.value, number.unit), (values[row.id], "dB(A)"))
            return [row.id for row in found]

        self.assertEqual(listed(sort="figure", falling=False), expected)
        self.assertEqual(listed(sort="figure"), expected[::-1])
        middle = values[expected[2]]
        self.assertEqual(set(listed(at_least=middle)), set(expected[2:]))
        self.assertEqual(set(listed(at_most=middle, kind="noise")), set(expected[:3]))
        self.assertEqual(len(listed()), 5)
        self.assertIn(
            ("laeq", "LAeq", "dB(A)"), [(k, n[:4], u) for k, n, u in session_list.figures_of(self.db, "noise")]
        )
        _, none = session_list.list_sessions(self.db, session_list.Filter(figure="nothing", sort="figure"))
        self.assertEqual(none, 0)
