"""A database from before results were kept, with signed, reopened and undone sessions, brought to today.

`fixtures/before-results.sql.gz` was written by pg_dump from Kumpel at schema 0004, `before-results.json.gz` by that Kumpel
itself: its figures, decisions, documents and what undo and redo led to.
"""

import gzip
import hashlib
import json
import os
import re
import subprocess
import unittest
from dataclasses import replace
from decimal import Decimal
from typing import Any

import psycopg
from alembic import command
from alembic.config import Config
from sqlalchemy import text
from sqlmodel import Session as Db
from sqlmodel import col, select

from kumpel.config import ROOT
from kumpel.core.review import Review
from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import decisions, figures, limits
from kumpel.services.ground.as_json import for_screen
from kumpel.services.ground.problems import ConflictError
from kumpel.services.ground.recordings import session_of
from kumpel.services.report import conclusions, paper, reports
from kumpel.services.review import deciding
from kumpel.standins.signals import SIGNALS
from kumpel.store import database
from kumpel.store.cluster import programs
from kumpel.store.tables import FigureValue, Report, Session
from tests.support import DatabaseTest, cluster

FIXTURES = ROOT / "tests" / "store" / "fixtures"


def as_numbers(review: str) -> str:
    """Decisions in words, "0" and "0.0" alike."""
    return re.sub(r"(?<=_s=)(\d+)(?=[,)])", r"\1.0", review)


def as_was(review: Review) -> str:
    """A review without what was not there then: nothing was doubted, checked, split or typed."""
    return repr(review).replace(", doubts=(), checks=(), edges=(), typed=())", ")")


def said(both: Any) -> Any:
    """Results without what is said since of figures that repeat: beside which others they stand."""
    figures_of = [figure for way in both.values() for figure in way["figures"]]
    for figure in figures_of:
        figure.pop("over", None)
    return both


def as_then(text: str) -> str:
    """Nothing is called "under protection" any more where none was worn."""
    return text.replace("Daily exposure, no protection", "Daily exposure under protection")


def without_empty(doc: dict[str, Any]) -> dict[str, Any]:
    """A document without facts that say nothing."""
    parts = [
        p | {"facts": [f for f in p["facts"] if f["value"].strip(" (),?") not in ("", "min")]} if "facts" in p else p
        for p in doc["parts"]
    ]
    return doc | {"parts": parts}


def alike(one: Any, two: Any) -> bool:
    """The same, but for numbers whose last digit moved by one: a half that went to the even neighbour once."""
    if isinstance(one, dict):
        return one.keys() == two.keys() and all(alike(one[k], two[k]) for k in one)
    if isinstance(one, list):
        return len(one) == len(two) and all(alike(a, b) for a, b in zip(one, two, strict=True))
    if one == two or not (isinstance(one, str) and isinstance(two, str)):
        return bool(one == two)
    if as_then(one) == two:
        return True
    try:
        return abs(Decimal(one) - Decimal(two)) <= Decimal(1).scaleb(int(Decimal(two).as_tuple().exponent))
    except ArithmeticError:
        return False


class FromBeforeResults(unittest.TestCase):
    url: str
    before: dict[str, Any]

    @classmethod
    def setUpClass(cls) -> None:
        cls.before = json.loads(gzip.decompress((FIXTURES / "before-results.json.gz").read_bytes()))
        name = f"before_{os.getpid()}"
        with psycopg.connect(cluster().keeper_url, autocommit=True) as connection:
            connection.execute(f"drop database if exists {name}")
            connection.execute(f"create database {name} owner kumpel")
        cls.url = cluster().url.rsplit("/", 1)[0] + f"/{name}"
        dump = gzip.decompress((FIXTURES / "before-results.sql.gz").read_bytes())
        done = subprocess.run(
            [str(programs() / "psql"), "-q", "-v", "ON_ERROR_STOP=1", "-d", cls.url],
            input=dump,
            capture_output=True,
            check=False,
        )
        assert done.returncode == 0, done.stderr.decode()[-2000:]
        database.migrate(cls.url)
        with Db(database.engine(cls.url)) as db:
            limits.put_shipped(db)

    @classmethod
    def tearDownClass(cls) -> None:
        database.engine(cls.url).dispose()

    def setUp(self) -> None:
        self.db = Db(database.engine(self.url), expire_on_commit=False)
        self.addCleanup(self.db.close)

    def session(self, name: str) -> Session:
        return session_of(self.db, self.before[name]["id"])

    @property
    def names(self) -> list[str]:
        return [name for name in self.before if name not in ("reports", "steps")]

    def decided(self, session_id: int) -> str:
        return as_was(decisions.review_of(decisions.of_session(self.db, session_id)))

    def test_every_session_says_what_it_said(self) -> None:
        for name in self.names:
            then, row = self.before[name], self.session(name)
            with self.subTest(session=name):
                self.assertEqual([row.verdict, row.verdict_step, row.key_figure], then["verdict"])
                self.assertEqual((row.figures, row.signed_at is not None), ("assessed", then["signed"]))
                found = conclusions.standing(self.db, row)
                assert found is not None
                self.assertEqual(said(json.loads(as_then(json.dumps(for_screen(found.both))))), then["figures"])
                self.assertEqual(found.limits.version, then["limits"])
                self.assertEqual(as_was(found.review), then["decisions"])
                self.assertEqual(self.decided(row.id or 0), then["decisions"])
                self.assertEqual(list(deciding.next_steps(self.db, row.id or 0)), then["undo"])

    def test_computing_anew_gives_the_very_same_results(self) -> None:
        for name in self.names:
            row = self.session(name)
            before = conclusions.standing(self.db, row)
            with self.subTest(session=name):
                figures.assess(self.db, row)
                after = figures.outcome(self.db, row.id or 0)
                assert before is not None and after is not None
                self.assertEqual(
                    as_then(repr(said(for_screen(after.both)))), as_then(repr(said(for_screen(before.both))))
                )
                figures.assess(self.db, row)
                again = figures.outcome(self.db, row.id or 0)
                assert again is not None
                self.assertEqual(again.reviewed_id, after.reviewed_id, "nothing has to be appended twice")
            self.db.rollback()

    def test_the_pages_are_those_of_before(self) -> None:
        for name in self.names:
            row, then = self.session(name), self.before[name]["document"]
            with self.subTest(session=name):
                signature = conclusions.signature_of(self.db, row.id or 0)
                pages = (
                    conclusions.signed_paper(self.db, row, signature) if signature else paper.now_of(self.db, row)[0]
                )
                made = json.loads(paper.document(row.kind, pages, tuple(KINDS["noise"].report_parts)).model_dump_json())
                # Whose paper it is was not known then, and nobody has said so since.
                self.assertEqual([made.pop(key) for key in ("house", "address", "logo", "paper")], ["", "", "", "a4"])
                self.assertEqual(made.pop("tight"), 1.0)
                # What recorded it stands behind its hash since.
                made["footer"], recorded_by, _ = made["footer"].partition(" (")
                self.assertEqual(recorded_by, " (")
                # That columns may be of one width, and a picture true to scale, was not known either.
                self.assertFalse(any(part.pop(key, False) for key in ("even", "to_scale") for part in made["parts"]))
                # Then a sign before the title said what stands beside its neighbour.
                sizes = {part.get("title", ""): part.pop("size") for part in made["parts"]}
                beside = [part["title"][1:] for part in then["parts"] if part.get("title", "").startswith("~")]
                self.assertEqual([title for title, size in sizes.items() if size == "half"], beside)
                parts = [
                    part | {"title": part["title"].removeprefix("~")} if "title" in part else part
                    for part in then["parts"]
                ]
                wanted = then | {"parts": parts}
                # What was made since: halves go away from zero, what is not known of a recorder is left away.
                made, wanted = without_empty(made), without_empty(wanted)
                self.assertTrue(alike(made, wanted), f"{made}\n{wanted}")

    def test_issued_reports_have_the_same_bytes(self) -> None:
        found = {r.number: hashlib.sha256(r.pdf).hexdigest() for r in self.db.exec(select(Report)).all()}
        self.assertEqual({number: found[number] for number in self.before["reports"]}, self.before["reports"])

    def test_figures_are_there_as_numbers(self) -> None:
        row = self.session("undone")
        rows = self.db.exec(select(FigureValue).where(FigureValue.session_id == row.id)).all()
        then = {f["key"]: f for f in self.before["undone"]["figures"]["reviewed"]["figures"]}
        self.assertEqual({r.key for r in rows}, set(then))
        for each in rows:
            value = then[each.key]["value"]
            self.assertEqual(each.value, None if value is None else round(value, then[each.key]["decimals"]), each.key)

    def test_undo_and_redo_lead_where_they_led(self) -> None:
        row = self.session("undone")
        for way, expected in (("undo", self.before["steps"]["undo"]), ("redo", self.before["steps"]["redo"])):
            for state in expected:
                row = getattr(deciding, way)(self.db, row.id or 0, row.review_version)
                self.assertEqual(as_numbers(self.decided(row.id or 0)), as_numbers(state), way)
            with self.assertRaises(ConflictError):
                getattr(deciding, way)(self.db, row.id or 0, row.review_version)
            self.db.rollback()
        # Back to where the session stood, for the other tests.
        for _ in range(3):
            row = deciding.undo(self.db, row.id or 0, row.review_version)

    def test_a_signature_from_before_is_in_force_and_prints(self) -> None:
        row = self.session("renamed")
        signature = conclusions.signature_of(self.db, row.id or 0)
        assert signature is not None
        who = signature.signed_by
        report = reports.issue(self.db, row.id or 0, reports.Options(KINDS["noise"].one_page), who)
        self.assertEqual(report.limits["version"], self.before["renamed"]["limits"])
        with self.assertRaisesRegex(ConflictError, "signed off"):
            deciding.undo(self.db, row.id or 0, row.review_version)
        self.db.rollback()
        reopened = conclusions.open_again(self.db, self.before["silent"]["id"], who, "to look at it again")
        self.assertIsNone(reopened.signed_at)
        then = conclusions.signatures(self.db, reopened.id or 0)[0].signed_at
        # Signed on the day it was signed before: the other tests compare its page with the page of then.
        conclusions.sign(self.db, reopened.id or 0, reopened.review_version, who, at=then)
        history = conclusions.signatures(self.db, reopened.id or 0)
        self.assertEqual([bool(s.opened_at) for s in history], [False, True])

    def test_nothing_is_left_of_the_older_form(self) -> None:
        tables = self.db.connection().execute(text("select tablename from pg_tables where schemaname = 'public'"))
        self.assertFalse({"stretch", "assessment"} & {name for (name,) in tables})
        waiting = self.db.exec(select(Session).where(col(Session.figures) != "assessed")).all()
        self.assertEqual(waiting, [])


class FromBeforeCourses(DatabaseTest):
    """Databases of the schema before (0012) named the course of a session only in the words of a finding."""

    def back_to(self, revision: str) -> None:
        config = Config()
        config.set_main_option("script_location", str(ROOT / "src" / "kumpel" / "store" / "migrations"))
        self.db.close()
        with database.engine(self.url).begin() as connection:
            config.attributes["connection"] = connection
            command.downgrade(config, revision)

    def courses(self) -> list[str]:
        with database.engine(self.url).connect() as connection:
            return list(connection.execute(text("select course from session order by id")).scalars())

    def test_the_course_is_read_from_what_was_found(self) -> None:
        known = SIGNALS["vehicle"](2).recording
        unknown = replace(known, setup={k: v for k, v in known.setup.items() if k not in ("courses", "course")})
        for number, made in enumerate((known, unknown)):
            self.stored(krec.write_recording(replace(made, start=made.start + 3600 * number), f"S-{number}"))
        noise = self.session(3600)
        self.assertEqual(noise.course, "")
        found = self.courses()
        self.assertTrue(found[0])
        self.assertEqual(found[1:], ["", ""])
        self.back_to("0012")
        database.migrate(self.url)
        self.assertEqual(self.courses(), found)
