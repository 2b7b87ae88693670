"""Groups of people: who is in, what counts, what changes with its sessions, what is signed and stays."""

from __future__ import annotations

import io
from datetime import date
from typing import Any

import openpyxl
import pypdf
from sqlmodel import select

from kumpel.core import groups as core
from kumpel.services.ground import people
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.groups import concluding, findings, issuing, kept, paper
from kumpel.services.groups.findings import Look
from kumpel.services.groups.kept import GroupWish, LeftOut
from kumpel.services.register import sessions
from kumpel.services.report import reports
from kumpel.store.tables import Report, ReportSession, Session
from tests.services.crusher_hall import CrusherHall


class GroupTest(CrusherHall):
    def group(self, **wish: Any) -> int:
        wish = {"team": "Crusher hall"} | wish
        return kept.create(self.db, f"Group {len(kept.groups(self.db))}", "noise", GroupWish(**wish), self.who).id or 0

    def look(self, group: int) -> Look:
        self.db.expire_all()
        return findings.look(self.db, group)

    def levels(self, group: int) -> list[float | None]:
        return [each.value for each in self.look(group).counted]


class Members(GroupTest):
    def test_everybody_of_the_team_with_those_who_were_not_measured(self) -> None:
        self.measured()
        self.shift(self.mill, 91.0)
        seen = self.look(self.group())
        self.assertEqual(
            [m.name for m in seen.found.members], ["Fenna de Wit", "Ida Brandvik", "Leila Haddad", "Oskar Nyland"]
        )
        self.assertEqual(sorted(each.value or 0 for each in seen.counted), [82.0, 83.0, 83.5, 84.0, 84.5, 85.0])
        self.assertEqual(seen.found.of(self.fenna.id or 0), [])
        self.assertEqual((seen.found.figure, seen.found.unit), ("lex8h", "dB(A)"))
        self.assertEqual([step.value for step in seen.found.steps], [80.0, 85.0])
        self.assertEqual(seen.step.value if seen.step else None, 85.0)

    def test_those_who_did_a_task_at_a_place_in_some_days(self) -> None:
        self.shift(self.hall[0], 84.0, day=0, task="liner change", place="crusher hall")
        self.shift(self.hall[1], 81.0, day=1, task="feed control", place="crusher hall")
        self.shift(self.mill, 86.0, day=2, task="Liner change", place="Crusher hall")
        self.shift(self.hall[0], 79.0, day=9, task="liner change", place="mill")
        by_task = self.group(team="", task="liner change", place="crusher hall")
        self.assertEqual(self.levels(by_task), [84.0, 86.0])
        self.assertEqual([m.name for m in self.look(by_task).found.members], ["Ida Brandvik", "Tomas Ek"])
        one_day = self.group(team="", task="liner change", since=date(2026, 9, 9), until=date(2026, 9, 9))
        self.assertEqual(self.levels(one_day), [86.0])

    def test_what_does_not_count_is_there_with_its_reason_and_can_be_taken_in_again(self) -> None:
        counted = self.shift(self.hall[0], 84.0, day=0)
        waiting = self.shift(self.hall[1], 82.0, day=1, signed=False)
        spoilt = self.shift(self.hall[2], 83.0, day=2)
        row = self.db.get_one(Session, spoilt.id)
        row.verdict = "not assessable"
        self.db.add(row)
        self.db.commit()
        group = self.group(left_out=[LeftOut(session_id=counted.id or 0, why="plugs fell out")])
        why = {each.session_id: each.why_not for each in self.look(group).found.measured}
        self.assertEqual(
            why,
            {counted.id: "plugs fell out", waiting.id: "not signed off yet", spoilt.id: "not assessable"},
        )
        kept.change(self.db, group, 1, GroupWish(team="Crusher hall", unsigned=True), who=self.who)
        self.assertEqual(self.levels(group), [84.0, 82.0])

    def test_what_is_wrong_is_said_and_nothing_kept(self) -> None:
        for wish, field in (
            ({"team": ""}, "people"),
            ({"figure": "lcpeak"}, "figure"),
            ({"since": date(2026, 9, 2), "until": date(2026, 9, 1)}, "until"),
        ):
            with self.subTest(field=field), self.assertRaises(InvalidError) as caught:
                self.group(**wish)
            self.assertEqual(caught.exception.field, field)
        with self.assertRaises(InvalidError):
            kept.create(self.db, "Cuffs", "blood_pressure", GroupWish(team="Mill"), self.who)
        with self.assertRaises(NotFoundError):
            self.group(people=[9999])
        kept.create(self.db, "Mill", "noise", GroupWish(team="Mill"), self.who)
        with self.assertRaises(ConflictError):
            kept.create(self.db, "MILL", "noise", GroupWish(team="Mill"), self.who)
        self.assertEqual([group.name for group, _ in kept.groups(self.db)], ["Mill"])


class Said(GroupTest):
    def test_the_numbers_are_those_of_the_core(self) -> None:
        self.measured()
        seen = self.look(self.group(step="lower action value"))
        assert seen.findings is not None and seen.step is not None
        self.assertEqual(seen.step.value, 80.0)
        wanted = core.findings([_of(84.0, 85.0), _of(82.0, 83.0), _of(83.5, 84.5)], 80.0, logarithmic=False)
        self.assertEqual(seen.findings.words, wanted.words)
        self.assertEqual(seen.findings.group, wanted.group)
        rows = dict(map(tuple, paper.numbers(seen)))
        self.assertEqual(rows["Measurements, people"], "6, 3")
        self.assertEqual(rows["Verdict"], "not below the limit")

    def test_who_is_not_alike_is_split_and_both_are_named(self) -> None:
        self.measured()
        for number, level in enumerate((71.0, 72.0)):
            self.shift(self.fenna, level, day=20 + number)
        group = self.group()
        seen = self.look(group)
        assert seen.findings is not None and seen.findings.split is not None
        self.assertEqual(seen.findings.verdict, core.NOT_ALIKE)
        members = seen.found.members
        self.assertEqual([members[i].name for i in seen.findings.split.lower], ["Fenna de Wit"])
        stay = [members[i].id for i in seen.findings.split.upper]
        other = kept.split(self.db, group, 1, [self.fenna.id or 0], stay, "Control room", self.who)
        self.assertEqual(self.levels(other.id or 0), [71.0, 72.0])
        self.assertEqual(len(self.levels(group)), 6)
        again = self.look(group).findings
        self.assertTrue(again is not None and again.verdict != core.NOT_ALIKE)

    def test_a_split_of_a_name_that_is_taken_changes_nothing(self) -> None:
        self.measured()
        group = self.group()
        kept.create(self.db, "Control room", "noise", GroupWish(team="Mill"), self.who)
        with self.assertRaises(ConflictError):
            kept.split(self.db, group, 1, [self.hall[0].id or 0], [self.hall[1].id or 0], "Control room", self.who)
        self.assertEqual(len(self.levels(group)), 6)

    def test_two_people_at_once(self) -> None:
        group = self.group()
        kept.change(self.db, group, 1, GroupWish(team="Mill"), who=self.who)
        with self.assertRaises(ConflictError) as caught:
            kept.change(self.db, group, 1, GroupWish(team="Crusher hall", floor=1.0), who=self.who)
        self.assertEqual(caught.exception.code, "stale-group")
        self.assertEqual(kept.wish_of(kept.version_of(self.db, group)).team, "Mill")

    def test_removed_and_brought_back(self) -> None:
        group = self.group()
        kept.remove(self.db, group, self.who)
        self.assertEqual(kept.groups(self.db), [])
        with self.assertRaises(NotFoundError):
            self.look(group)
        kept.bring_back(self.db, group, self.who)
        self.assertEqual(len(kept.groups(self.db)), 1)


class Follows(GroupTest):
    """Sessions that are new, deleted, restored, given away: the group follows, what was signed does not."""

    def signed_group(self) -> int:
        self.measured()
        group = self.group()
        concluding.conclude(self.db, group, "Liner first.", self.who, 0)
        concluding.sign(self.db, group, 1, 1, self.who)
        return group

    def differs(self, group: int) -> tuple[str, ...]:
        since = findings.since_signed(self.db, self.look(group))
        assert since is not None
        return since.differs

    def test_what_changed_since_the_conclusion_is_said(self) -> None:
        group = self.signed_group()
        self.assertEqual(self.differs(group), ())
        self.shift(self.hall[0], 88.0, day=30)
        self.assertEqual(self.differs(group), ("Ida Brandvik, 07 Oct 2026: new, 88",))
        first = self.look(group).counted[0]
        sessions.delete_session(self.db, first.session_id)
        self.assertIn("Ida Brandvik, 08 Sep 2026: counts no more", self.differs(group))
        sessions.restore_session(self.db, first.session_id)
        self.assertEqual(len(self.differs(group)), 1)
        people.change_person(self.db, self.hall[1].id or 0, {"team": "Mill"})
        self.assertEqual(len(self.differs(group)), 3)

    def test_what_was_signed_stays_on_paper(self) -> None:
        group = self.signed_group()
        before = paper.document(issuing.paper_of(self.db, group), named=True).model_dump()
        self.shift(self.hall[0], 95.0, day=30)
        people.change_person(self.db, self.hall[0].id or 0, {"name": "Ida Somebody-Else"})
        self.assertEqual(paper.document(issuing.paper_of(self.db, group), named=True).model_dump(), before)
        with self.assertRaises(ConflictError):
            kept.change(self.db, group, 1, GroupWish(team="Mill"), who=self.who)
        with self.assertRaises(ConflictError):
            concluding.conclude(self.db, group, "Other words", self.who, 1)
        concluding.open_again(self.db, group, self.who, "a shift was missing")
        self.assertEqual(len(self.levels(group)), 7)

    def test_only_what_was_seen_is_signed(self) -> None:
        self.measured()
        group = self.group()
        concluding.conclude(self.db, group, "Liner first.", self.who, 0)
        for version, conclusion in ((1, 0), (2, 1)):
            with self.assertRaises(ConflictError):
                concluding.sign(self.db, group, version, conclusion, self.who)
        empty = kept.create(self.db, "Nobody yet", "noise", GroupWish(team="Mill"), self.who).id or 0
        with self.assertRaisesRegex(ConflictError, "nothing to conclude"):
            concluding.sign(self.db, empty, 1, 0, self.who)


class OnPaper(GroupTest):
    def test_issued_with_names_and_without(self) -> None:
        self.measured()
        group = self.group()
        with self.assertRaisesRegex(ConflictError, "Sign the conclusion"):
            issuing.issue(self.db, group, True, self.who)
        concluding.conclude(self.db, group, "The liner carries the week.", self.who, 0)
        concluding.sign(self.db, group, 1, 1, self.who)
        seen = self.look(group)
        for named in (True, False):
            report = issuing.issue(self.db, group, named, self.who)
            text = " ".join("".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(report.pdf)).pages).split())
            with self.subTest(named=named):
                self.assertEqual("Ida Brandvik" in text, named)
                self.assertEqual("P2" in text, not named)
                for words in ("The liner carries the week.", "Runa Halvorsen", "6, 3", "84 dB(A)", report.number):
                    self.assertIn(words, text)
                # What is printed is what was computed.
                assert seen.findings is not None
                self.assertIn(f"{seen.findings.group.centre:.1f} dB(A)", text)
                self.assertIn(seen.findings.words, text)
        self.assertEqual(self.db.exec(select(ReportSession)).all(), [])
        listed, total = reports.list_reports(self.db)
        self.assertEqual((total, {row.group_id for row, _, _ in listed}), (2, {group}))
        self.assertIsNone(self.db.exec(select(Report.session_id)).first())

    def test_as_a_workbook(self) -> None:
        self.measured()
        name, data = issuing.table(self.db, self.group(), True)
        book = openpyxl.load_workbook(io.BytesIO(data))
        self.assertEqual((name.split(" ")[0], book.sheetnames), ("Group", ["Group", "Measurements"]))
        rows = list(book["Measurements"].iter_rows(min_row=2, values_only=True))
        self.assertEqual(len(rows), 6)
        self.assertEqual((rows[0][0], rows[0][2], rows[0][4]), ("Ida Brandvik", 84.0, "yes"))


def _of(*values: float) -> Any:
    import numpy as np

    return np.array(values)
