"""The plan: rules with whom they are for, who is due when, recorders that are scarce, days that somebody chose, the calendar feed."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Any

import icalendar
from sqlmodel import select

from kumpel.services.ground import people, tokens
from kumpel.services.ground.problems import ForbiddenError, InvalidError, NotFoundError
from kumpel.services.plan import ahead, feed, rules
from kumpel.services.plan.ahead import Plan
from kumpel.services.plan.rules import Chosen, Wish
from kumpel.services.register import medicines, sessions
from kumpel.services.report import conclusions, reports
from kumpel.store.tables import HandOver, Recorder, SensorCheck, Session, Setup, Token, now
from tests.services.crusher_hall import CrusherHall

TODAY = date(2026, 12, 1)
YEAR = 365


class PlanTest(CrusherHall):
    def rule(self, **wish: Any) -> int:
        wish = {"kind": "noise", "every_days": YEAR, "team": "Crusher hall", "starts": date(2025, 12, 20)} | wish
        return rules.make(self.db, Wish(**wish), TODAY, self.who).id or 0

    def plan(self, today: date = TODAY) -> Plan:
        self.db.expire_all()
        return ahead.ahead(self.db, today)

    def names(self, plan: Plan) -> list[tuple[str, str]]:
        return sorted((item.name, item.due.state) for item in plan.items)

    def recorder(self, token: str, kind: str = "noise", **rest: Any) -> Recorder:
        row = Recorder(
            serial=f"S-{token}", kind=kind, token=token, name=token, in_reach=True, status={"mode": "ready"}, **rest
        )
        self.db.add(row)
        self.db.commit()
        return row


class Rules(PlanTest):
    def test_in_words(self) -> None:
        for wish, words in (
            ({"count": 3}, "3 each, every 12 months"),
            ({"every_days": 14}, "1 each, every 2 weeks"),
            ({"team": "", "person_id": self.mill.id}, "every 12 months"),
            ({"kind": "blood_pressure", "after": "medicine", "every_days": 42}, "6 weeks after a change of medicine"),
        ):
            rule_id = self.rule(**wish)
            [found] = [rules.words(rule) for rule, _ in rules.rules(self.db) if rule.id == rule_id]
            self.assertEqual(found, words)

    def test_what_is_wrong_is_said(self) -> None:
        for wish, field in (
            ({"team": ""}, "team"),
            ({"person_id": self.mill.id}, "team"),
            ({"kind": "phrenology"}, "kind"),
            ({"after": "medicine"}, "after"),
            ({"after": "lunch"}, "after"),
        ):
            with self.subTest(wish=wish), self.assertRaises(InvalidError) as caught:
                self.rule(**wish)
            self.assertEqual(caught.exception.field, field)
        with self.assertRaises(NotFoundError):
            self.rule(team="Nobody's")
        self.assertEqual(rules.rules(self.db), [])

    def test_removed_and_brought_back(self) -> None:
        rule_id = self.rule()
        rules.remove(self.db, rule_id, self.who)
        self.assertEqual(self.plan().items, ())
        rules.bring_back(self.db, rule_id, self.who)
        self.assertEqual(len(self.plan().items), 4)


class WhoIsDue(PlanTest):
    def test_only_what_is_signed_and_assessable_is_done(self) -> None:
        self.rule()
        done = self.shift(self.hall[0], 84.0)
        self.shift(self.hall[1], 84.0, signed=False)
        spoilt = self.shift(self.hall[2], 84.0)
        row = self.db.get_one(Session, spoilt.id)
        row.verdict = "not assessable"
        self.db.add(row)
        self.db.commit()
        waiting = ["Fenna de Wit", "Leila Haddad", "Oskar Nyland"]
        self.assertEqual(self.names(self.plan()), [(name, "due") for name in waiting])
        [rule] = self.plan().rules
        self.assertEqual((rule.people, rule.done, rule.due, rule.overdue, rule.measured), (4, 1, 3, 0, 1))
        # Opened again it counts no more; deleted neither; somebody else's is theirs.
        conclusions.open_again(self.db, done.id or 0, self.who, "a task was missing")
        self.assertEqual(len(self.plan().items), 4)
        conclusions.sign(self.db, done.id or 0, self.db.get_one(Session, done.id).review_version, self.who)
        sessions.delete_session(self.db, done.id or 0)
        self.assertEqual(len(self.plan().items), 4)
        sessions.restore_session(self.db, done.id or 0)
        self.assertEqual(len(self.plan().items), 3)

    def test_what_is_signed_and_stands_on_no_report_yet(self) -> None:
        rule_id = self.rule()
        first, second = self.shift(self.hall[0], 84.0), self.shift(self.hall[1], 85.0)
        self.shift(self.hall[2], 84.0, signed=False)
        self.shift(self.mill, 84.0)
        both = sorted([first.id, second.id])
        self.assertEqual(sorted(ahead.unprinted(self.db, rule_id, TODAY)), both)
        reports.issue(self.db, first.id or 0, reports.Options(("figures",)), self.who)
        self.assertEqual(ahead.unprinted(self.db, rule_id, TODAY), [second.id])
        with self.assertRaises(NotFoundError):
            ahead.unprinted(self.db, rule_id + 99, TODAY)

    def test_overdue_is_counted_by_person_and_said_beside_them(self) -> None:
        self.rule(starts=date(2025, 11, 1))
        self.rule(starts=date(2025, 11, 1), kind="dust")
        self.shift(self.hall[0], 84.0)
        self.assertEqual(ahead.overdue(self.db, TODAY), 4)
        found = {rule.kind: due.state for rule, _, due in ahead.of_person(self.db, self.hall[0].id or 0, TODAY)}
        self.assertEqual(found, {"noise": "done", "dust": "overdue"})
        self.assertEqual(ahead.of_person(self.db, self.mill.id or 0, TODAY), [])

    def test_after_a_change_of_medicine(self) -> None:
        self.rule(kind="blood_pressure", after="medicine", every_days=42, starts=date(2026, 10, 1))
        self.assertEqual(self.plan().items, ())
        ida = self.hall[0].id or 0
        medicines.add(self.db, ida, medicines.Taken("ramipril", "5 mg", since=date(2026, 10, 27)))
        [item] = self.plan().items
        self.assertEqual((item.name, item.due.deadline), ("Ida Brandvik", date(2026, 12, 8)))
        medicines.change(
            self.db, medicines.of_person(self.db, ida)[0].id or 0, "10 mg", (), date(2026, 11, 20), self.who
        )
        self.assertEqual([item.due.deadline for item in self.plan().items], [date(2027, 1, 1)])
        # What was changed before the rule began is not asked for.
        medicines.add(self.db, self.hall[1].id or 0, medicines.Taken("aspirin", since=date(2026, 9, 1)))
        self.assertEqual(len(self.plan().items), 1)

    def test_who_left_is_due_no_more_and_who_comes_is(self) -> None:
        self.rule()
        people.delete_person(self.db, self.fenna.id or 0)
        people.change_person(self.db, self.mill.id or 0, {"team": "Crusher hall"})
        self.assertEqual(
            [name for name, _ in self.names(self.plan())], ["Ida Brandvik", "Leila Haddad", "Oskar Nyland", "Tomas Ek"]
        )


class Scarce(PlanTest):
    def test_too_many_on_a_day_are_told_and_others_proposed(self) -> None:
        self.rule(starts=date(2025, 11, 1))  # all four are late: all want today
        self.recorder("N-01")
        self.recorder("N-02")
        self.recorder("N-03", trouble="no battery")
        found = self.plan()
        [kind] = [row for row in found.kinds if row.kind == "noise"]
        self.assertEqual((kind.recorders, kind.there[0], kind.wanted[0]), (3, 2, 4))
        self.assertEqual(sum(item.recorder is not None for item in found.items), 2)
        self.assertEqual({item.recorder.token for item in found.items if item.recorder}, {"N-01", "N-02"})

    def test_what_can_wait_is_moved_and_the_choice_holds(self) -> None:
        rule_id = self.rule(starts=date(2025, 12, 18))  # due on the 18th: proposed for the 11th
        self.recorder("N-01")
        found = self.plan()
        self.assertEqual({item.day for item in found.items}, {date(2026, 12, 11)})
        moved = {item.person_id: item.moved_to for item in found.items if item.moved_to}
        self.assertEqual(sorted(moved.values()), [date(2026, 12, day) for day in (14, 15, 16)])
        rules.choose_days(self.db, [Chosen(rule_id, person, day) for person, day in moved.items()], self.who)
        after = self.plan()
        self.assertEqual({item.moved_to for item in after.items}, {None})
        self.assertEqual(sorted(item.day for item in after.items), [date(2026, 12, day) for day in (11, 14, 15, 16)])
        rules.choose_days(self.db, [Chosen(rule_id, person, None) for person in moved], self.who)
        self.assertEqual({item.day for item in self.plan().items}, {date(2026, 12, 11)})
        with self.assertRaises(NotFoundError):
            rules.choose_days(self.db, [Chosen(999, self.hall[0].id or 0, TODAY)], self.who)

    def test_who_has_one_already_needs_none_and_it_is_not_there(self) -> None:
        self.rule(starts=date(2025, 11, 1))
        recorder = self.recorder("N-01")
        setup = Setup(kind="noise", name="Usual", settings={})
        self.db.add(setup)
        self.db.flush()
        back = datetime(2026, 12, 2, 14, tzinfo=UTC)
        self.db.add(HandOver(recorder_id=recorder.id, person_id=self.hall[0].id, setup_id=setup.id, expected_at=back))
        self.db.commit()
        found = self.plan()
        [kind] = [row for row in found.kinds if row.kind == "noise"]
        self.assertEqual(kind.there[:4], (0, 0, 1, 1))
        out = {item.name: item.out for item in found.items}
        self.assertEqual(out["Ida Brandvik"], "N-01")
        self.assertEqual({item.recorder for item in found.items}, {None})

    def test_checks_come_in_by_themselves(self) -> None:
        recorder = self.recorder("D-01", kind="dust")
        made = now() - timedelta(days=400)
        self.db.add(
            SensorCheck(recorder_id=recorder.id, what="laboratory check", at=made, due_at=made + timedelta(days=365))
        )
        self.db.commit()
        found = [check for check in self.plan(ahead.here_today()).checks if "laboratory" in check.label.lower()]
        self.assertEqual([(check.token, check.overdue) for check in found], [("D-01", True)])


class Feeds(PlanTest):
    def events(self, named: bool) -> list[Any]:
        data = feed.calendar(self.plan(), "Tarnfels", named=named, at=datetime(2026, 12, 1, tzinfo=UTC))
        made = icalendar.Calendar.from_ical(data)
        self.assertEqual((str(made["version"]), made.errors), ("2.0", []))
        return list(made.walk("VEVENT"))

    def test_names_only_where_they_are_wished(self) -> None:
        self.rule(starts=date(2025, 11, 1))
        self.assertEqual(len(self.events(True)), 4)
        self.assertIn("Noise, Ida Brandvik (overdue)", [str(event["summary"]) for event in self.events(True)])
        for event in self.events(False):
            self.assertEqual(str(event["summary"]), "Noise, Crusher hall (overdue)")
            self.assertNotIn("Ida", event.to_ical().decode())

    def test_an_event_keeps_its_name_when_its_day_changes(self) -> None:
        rule_id = self.rule(starts=date(2025, 12, 18))
        before = {str(event["uid"]): event["dtstart"].dt for event in self.events(True)}
        rules.choose_days(self.db, [Chosen(rule_id, self.hall[0].id or 0, date(2026, 12, 3))], self.who)
        after = {str(event["uid"]): event["dtstart"].dt for event in self.events(True)}
        self.assertEqual(before.keys(), after.keys())
        self.assertEqual([after[uid] for uid in after if after[uid] != before[uid]], [date(2026, 12, 3)])
        for event in self.events(True):
            self.assertEqual(event["dtend"].dt - event["dtstart"].dt, timedelta(days=1))

    def test_long_and_foreign_names_are_folded_and_come_back(self) -> None:
        name = "Ærøskøbing, Þórdís; 王秀英 " + "x" * 120
        people.create_person(self.db, name, team="Crusher hall")
        self.rule(starts=date(2025, 11, 1))
        self.assertIn(f"Noise, {name} (overdue)", [str(event["summary"]) for event in self.events(True)])
        data = feed.calendar(self.plan(), "", named=True)
        self.assertLessEqual(max(len(line) for line in data.split(b"\r\n")), 75)

    def test_a_word_opens_once_made_and_never_when_taken_back(self) -> None:
        row, word = tokens.make(self.db, tokens.CALENDAR, self.who, named=False, name="phone")
        self.assertEqual(tokens.opened_by(self.db, tokens.CALENDAR, word).id, row.id)
        kept = self.db.exec(select(Token)).one()
        self.assertNotIn(word.encode(), kept.hash)
        for wrong in (word[:-1], word + "x", "", kept.hash.hex()):
            with self.assertRaises(ForbiddenError):
                tokens.opened_by(self.db, tokens.CALENDAR, wrong)
        with self.assertRaises(ForbiddenError):
            tokens.opened_by(self.db, "something else", word)
        tokens.remove(self.db, row.id or 0, self.who)
        with self.assertRaises(ForbiddenError):
            tokens.opened_by(self.db, tokens.CALENDAR, word)
