"""Settings of the site: typed, bounded, for a team or a kind before the site, every change on record, frozen with what was signed."""

import base64
import io
import struct
import unittest
import zlib
from typing import Any

import pypdf
from sqlmodel import select

from kumpel.api import answers
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import figures, people, settings
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.report import conclusions, reports
from kumpel.store.tables import Deed, Setting
from tests.support import DatabaseTest


def png(width: int = 60, height: int = 20) -> str:
    """A grey picture as a data URL (PNG, ISO/IEC 15948)."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + name + data + struct.pack(">I", zlib.crc32(name + data))

    header = struct.pack(">IIBBBBB", width, height, 8, 0, 0, 0, 0)
    rows = zlib.compress((b"\0" + b"\x80" * width) * height)
    data = b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", header) + chunk(b"IDAT", rows) + chunk(b"IEND", b"")
    return "data:image/png;base64," + base64.b64encode(data).decode()


def damaged(url: str) -> str:
    """The same picture with a byte of its rows turned over."""
    data = bytearray(base64.b64decode(url.partition(",")[2]))
    data[45] ^= 0xFF
    return "data:image/png;base64," + base64.b64encode(bytes(data)).decode()


def emptied(url: str) -> str:
    """Its header, and no picture behind it."""
    data = base64.b64decode(url.partition(",")[2])[:33] + b"A" * 200
    return "data:image/png;base64," + base64.b64encode(data).decode()


def pictures(pdf: bytes) -> set[tuple[int, int]]:
    """Widths and heights of the pictures in a PDF."""
    reader = pypdf.PdfReader(io.BytesIO(pdf))
    found = set()
    for number in range(1, len(reader.xref_objStm) + max(reader.xref[0], default=0) + 1):
        each = reader.get_object(number)
        if isinstance(each, dict) and each.get("/Subtype") == "/Image":
            found.add((int(each["/Width"]), int(each["/Height"])))
    return found


class Settings(DatabaseTest):
    def keep(self, key: str, value: Any, scope: str = "site", of: str = "", version: int = 0) -> None:
        settings.keep(self.db, key, scope, of, value, version, self.who)

    def test_networks_are_kept_in_their_words_and_refused_in_a_sentence(self) -> None:
        self.keep("link.networks", ["192.168.10.7/24", "127.0.0.1/8", "192.168.10.0/24"])
        self.assertEqual(settings.value_of(self.db, settings.NETWORKS), ["192.168.10.0/24", "127.0.0.0/8"])
        [kept] = settings.all_kept(self.db)
        for wrong in (["dock"], ["10.0.0.0/40"], [""" ::1%lo0/128 """], "127.0.0.0/8", [7]):
            with self.assertRaisesRegex(InvalidError, "Networks to look in"):
                self.keep("link.networks", wrong, version=kept.version)
        self.assertEqual(len(settings.value_of(self.db, settings.NETWORKS)), 2)

    def test_kind_before_team_before_site_before_what_is_shipped(self) -> None:
        clock, name = settings.CLOCK, settings.NAME
        self.assertEqual(settings.value_of(self.db, clock, kind="gas"), 5.0)
        self.keep(clock.key, 30)
        self.keep(clock.key, 2, "kind", "gas")
        self.assertEqual(settings.value_of(self.db, clock, kind="gas"), 2.0)
        self.assertEqual(settings.value_of(self.db, clock, kind="noise"), 30.0)
        person = self.person()
        people.change_person(self.db, person.id or 0, {"team": "Crusher hall"})
        self.keep(name.key, "Tarnfels mine")
        self.keep(name.key, "Crusher hall of Tarnfels", "team", "Crusher hall")
        self.assertEqual(settings.value_of(self.db, name, team="Crusher hall"), "Crusher hall of Tarnfels")
        self.assertEqual(settings.value_of(self.db, name, team="other"), "Tarnfels mine")

    def test_back_to_shipped_and_every_change_stays_on_record(self) -> None:
        self.keep("link.clock_s", 30)
        row = settings.all_kept(self.db)[0]
        self.assertEqual((row.value, row.by != ""), (30.0, True))
        self.keep("link.clock_s", None, version=row.version)
        self.assertEqual(settings.value_of(self.db, settings.CLOCK), 5.0)
        self.assertEqual(len(self.db.exec(select(Setting)).all()), 2)
        deeds = self.db.exec(select(Deed).where(Deed.what == "setting changed").order_by(Deed.id)).all()
        self.assertEqual([d.after for d in deeds], [{"value": 30.0}, {"value": None}])

    def test_somebody_who_was_slower_is_told(self) -> None:
        self.keep("paper.name", "Tarnfels mine")
        with self.assertRaisesRegex(ConflictError, "Somebody else"):
            self.keep("paper.name", "Tarnfels")

    def test_what_does_not_fit_is_refused_by_name(self) -> None:
        reasons = settings.reasons_key("left out")
        for key, scope, of, value, error in (
            ("link.clock_s", "site", "", 0, InvalidError),
            ("link.clock_s", "site", "", True, InvalidError),
            ("link.clock_s", "site", "", float("nan"), InvalidError),
            ("link.clock_s", "team", "x", 6, NotFoundError),
            ("paper.name", "team", "no such team", "x", NotFoundError),
            ("paper.name", "site", "", "x" * 121, InvalidError),
            ("paper.name", "site", "", 7, InvalidError),
            ("paper.logo", "site", "", "data:image/png;base64,AAAA", InvalidError),
            ("paper.logo", "site", "", "data:image/svg+xml;base64,PHN2Zz4=", InvalidError),
            ("paper.logo", "site", "", png(4001, 1), InvalidError),
            ("paper.logo", "site", "", damaged(png()), InvalidError),
            ("paper.logo", "site", "", emptied(png()), InvalidError),
            (reasons, "kind", "noise", "one", InvalidError),
            (reasons, "kind", "noise", ["x"] * 2 + [str(i) for i in range(60)], InvalidError),
            (reasons, "site", "", ["x"], NotFoundError),
            (reasons, "kind", "nothing", ["x"], NotFoundError),
            (settings.USUAL_LIMITS, "kind", "noise", "eu-gases", InvalidError),
            ("nonsense", "site", "", 1, NotFoundError),
        ):
            with self.subTest(key=key, value=str(value)[:30]), self.assertRaises(error):
                self.keep(key, value, scope, of)
            self.db.rollback()
        self.assertEqual(settings.all_kept(self.db), [])

    def test_what_is_offered_in_a_review_is_what_the_site_set(self) -> None:
        noise = KINDS["noise"]
        shipped = answers.kind(settings.chosen(self.db), noise, {})
        self.assertIn("meter knocked", next(s.reasons for s in shipped.stretches if s.what == "left out"))
        self.keep(settings.reasons_key("left out"), [" radio ", "radio", "", "break room"], "kind", "noise")
        self.keep(settings.tag_key("place"), ["Crusher", "Mill"], "kind", "noise")
        told = answers.kind(settings.chosen(self.db), noise, {})
        self.assertEqual(next(s.reasons for s in told.stretches if s.what == "left out"), ["radio", "break room"])
        self.assertEqual(next(t.suggestions for t in told.tags if t.key == "place"), ["Crusher", "Mill"])
        self.assertNotEqual(
            answers.kind(settings.chosen(self.db), KINDS["gas"], {}).tags[1].suggestions, ["Crusher", "Mill"]
        )

    def test_name_address_and_logo_stand_on_paper_and_freeze_with_it(self) -> None:
        self.keep("paper.name", "Tarnfels mine")
        self.keep("paper.address", "Shaft road 4\n9911 Tarnfels")
        self.keep("paper.logo", png())
        session = self.session(person=self.person())
        figures.assess(self.db, session)
        self.db.commit()
        options = reports.Options(tuple(KINDS["noise"].one_page))
        conclusions.sign(self.db, session.id or 0, session.review_version, self.who)
        kept = {row.word.key: row.version for row in settings.all_kept(self.db)}
        self.keep("paper.name", "Another mine", version=kept["paper.name"])
        self.keep("paper.logo", png(90, 90), version=kept["paper.logo"])
        report = reports.issue(self.db, session.id or 0, options, self.who)
        words = pypdf.PdfReader(io.BytesIO(report.pdf)).pages[0].extract_text()
        self.assertIn("Tarnfels mine", words)
        self.assertIn("Shaft road 4, 9911 Tarnfels", words)
        self.assertNotIn("Another mine", words)
        self.assertIn((60, 20), pictures(report.pdf))
        self.assertNotIn((90, 90), pictures(report.pdf))


if __name__ == "__main__":
    unittest.main()
