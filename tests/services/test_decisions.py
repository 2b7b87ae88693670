"""Decisions: every figure follows, everything can be undone, two people do not overwrite each other, nothing wrong is kept."""

import json
from dataclasses import replace
from unittest import mock

from sqlmodel import select

from kumpel.core.assessment import BothWays, LimitSet
from kumpel.core.recording import Recording
from kumpel.core.review import Review
from kumpel.formats import krec
from kumpel.kinds.registry import KINDS
from kumpel.services.ground import decisions, figures, limits
from kumpel.services.ground.decisions import Wish
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError
from kumpel.services.ground.recordings import recording_of
from kumpel.services.register import sessions
from kumpel.services.report import conclusions
from kumpel.services.review import deciding
from kumpel.services.yard import course_register
from kumpel.standins.jaw_muscle_signal import Burst, Group, Night
from kumpel.standins.jaw_muscle_signal import make as make_night
from kumpel.standins.signals import SIGNALS
from kumpel.store.tables import Decision, Result, Session
from tests.services.reviewing import ReviewTest
from tests.support import DatabaseTest


class Steps(ReviewTest):
    def state(self) -> tuple[str, object]:
        rows = decisions.of_session(self.db, self.id)
        return repr(decisions.review_of(rows)), decisions.setting(rows, decisions.LIMIT_SET)

    def test_leaving_out_changes_the_reviewed_figures_only_and_undo_brings_them_back(self) -> None:
        before = self.value()
        self.mark()
        after = self.value()
        self.assertNotAlmostEqual(before, after)
        self.assertEqual(self.value(recorded=True), before)
        self.undo()
        self.assertEqual(self.value(), before)
        self.redo()
        self.assertEqual(self.value(), after)

    def test_every_step_can_be_undone_in_order_and_done_again(self) -> None:
        us = limits.all_limit_sets(self.db, "noise")[1].id
        states = [self.state()]

        def done() -> None:
            states.append(self.state())

        self.mark()
        done()
        self.mark(10_000, 12_000, "liner change", "task")
        done()
        first = decisions.of_session(self.db, self.id)[0].id or 0
        self.decide(Wish("left out", start_s=100, end_s=200, reason="rain"), remove=(first,))
        done()
        for key, value in (("working_day_s", 27_000.0), ("attenuation_db", 12.0), ("limit_set_id", us)):
            self.set(key, value)
            done()
        self.decide(Wish("accepted", "coverage", reason="short shift"))
        done()
        self.set("working_day_s", 25_200.0)
        done()
        self.set("working_day_s", None)
        done()
        self.decide(remove=tuple(r.id or 0 for r in decisions.of_session(self.db, self.id)))
        done()
        self.assertEqual(states[-1], states[0])
        for state in reversed(states[:-1]):
            self.undo()
            self.assertEqual(self.state(), state)
        with self.assertRaisesRegex(ConflictError, "nothing to undo"):
            self.undo()
        for state in states[1:]:
            self.redo()
            self.assertEqual(self.state(), state)

    def test_a_new_step_ends_redo(self) -> None:
        self.mark()
        self.undo()
        self.mark(0, 60, "another")
        with self.assertRaises(ConflictError):
            self.redo()

    def test_two_people_at_once_the_second_is_told(self) -> None:
        stale = self.row.review_version
        self.mark()
        with self.assertRaises(ConflictError) as caught:
            deciding.decide(self.db, self.id, stale, [Wish("left out", start_s=0, end_s=9, reason="x")])
        self.assertEqual(caught.exception.code, "stale-review")
        self.assertEqual(len(decisions.of_session(self.db, self.id)), 1)

    def test_many_at_once_are_one_step(self) -> None:
        self.decide(*(Wish("left out", start_s=10 * i, end_s=10 * i + 5, reason="rain") for i in range(300)))
        self.assertEqual(len(decisions.of_session(self.db, self.id)), 300)
        self.assertEqual(deciding.next_steps(self.db, self.id)[0], "300 decisions")
        self.undo()
        self.assertEqual(decisions.of_session(self.db, self.id), [])

    def test_what_is_wrong_is_named_and_nothing_is_kept(self) -> None:
        before = self.row.review_version
        for wish, words, field in (
            (Wish("left out", start_s=0, end_s=10, reason="  "), "why", "reason"),
            (Wish("left out", start_s=10, end_s=10, reason="x"), "end after", "end_s"),
            (Wish("left out", start_s=30_000, end_s=40_000, reason="x"), "within the session", "end_s"),
            (Wish("left out", start_s=0, end_s=float("nan"), reason="x"), "start_s, end_s", "start_s"),
            (Wish("asleep", start_s=0, end_s=10), "asleep", "what"),
            (Wish("moved", start_s=0, end_s=10, reason="x"), "what", "what"),
            (Wish("setting", "factor", value=2.0, reason="x"), "factor", "key"),
            (Wish("setting", "working_day_s", value=0), "working_day_s", "working_day_s"),
            (Wish("setting", "working_day_s", value=True), "working_day_s", "working_day_s"),
            (Wish("setting", "attenuation_db", value="much"), "attenuation_db", "attenuation_db"),
            (Wish("setting", "limit_set_id", value=1.5), "limit_set_id", "limit_set_id"),
            (Wish("accepted", "coverage"), "reason", "reason"),
            (Wish("dropped", "lap@3.0", reason="x"), "key", "key"),
        ):
            with self.subTest(wish=wish):
                with self.assertRaisesRegex(InvalidError, words) as refused:
                    self.decide(wish)
                self.assertEqual(refused.exception.field, field)
            self.db.rollback()
        with self.assertRaises(NotFoundError):
            self.decide(remove=(9_999,))
        self.db.rollback()
        self.db.refresh(self.row)
        self.assertEqual(self.row.review_version, before)
        self.assertEqual(self.db.exec(select(Decision)).all(), [])

    def test_what_is_only_supposed_is_not_kept(self) -> None:
        us = limits.all_limit_sets(self.db, "noise")[1]
        results = len(self.db.exec(select(Result)).all())
        looked = deciding.supposed(self.db, self.row, (), (), us.id).reviewed
        self.assertIn("TWA", looked.figure(looked.judgements[0].figure).name)
        half = [Wish("left out", start_s=0, end_s=9000, reason="x")]
        supposed = deciding.supposed(self.db, self.row, half, ()).reviewed.figure("laeq").value
        self.assertNotEqual(supposed, self.value())
        self.assertEqual(len(self.db.exec(select(Result)).all()), results)
        self.mark()
        self.assertEqual(self.value(), supposed)

    def test_registers_follow_the_review(self) -> None:
        self.set("working_day_s", 1800.0)
        row = self.db.exec(select(Session)).one()
        self.assertIn(f"{self.value('lex8h'):.1f}", row.key_figure)

    def test_shifting_the_clock_moves_the_hours_of_the_dose(self) -> None:
        def hours() -> list[float]:
            return [float(r[0]) for r in self.both().reviewed.table("hours").rows]

        before = hours()
        self.row = sessions.change(self.db, self.id, {"clock_shift_s": 600.0})
        self.assertAlmostEqual(before[1] - hours()[1], 600)


class Events(DatabaseTest):
    """Events of other kinds: dropped, kept, and no longer found."""

    def test_a_dropped_event_is_gone_from_the_figures_and_comes_back(self) -> None:
        row = self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording))
        assert row.id is not None
        found = figures.outcome(self.db, row.id)
        assert found is not None
        falls = [e for e in found.both.reviewed.events if e.code == "desaturation4"]
        wishes = [Wish("dropped", e.key, value=e.end_s - e.at_s, reason="movement") for e in falls[:5]]
        row = deciding.decide(self.db, row.id, row.review_version, wishes, (), self.who)
        after = figures.outcome(self.db, row.id or 0)
        assert after is not None
        before_index, index = (o.both.reviewed.figure("odi4").value for o in (found, after))
        hours = before_index and len(falls) / before_index
        self.assertAlmostEqual(index, (len(falls) - 5) / hours)
        self.assertEqual(after.both.recorded.figure("odi4").value, before_index)
        row = deciding.undo(self.db, row.id or 0, row.review_version)
        undone = figures.outcome(self.db, row.id or 0)
        assert undone is not None
        self.assertEqual(undone.both.reviewed.figure("odi4").value, before_index)

    def test_keeping_takes_dropping_back(self) -> None:
        row = self.stored(krec.write_recording(SIGNALS["vehicle"](2).recording))
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None
        laps = found.both.reviewed.table("laps")
        key = next(str(r[-1]) for r in laps.rows if str(r[-1]).startswith("lap@"))
        row = deciding.decide(self.db, row.id or 0, 0, [Wish("dropped", key, reason="traffic")])
        row = deciding.decide(self.db, row.id or 0, 1, [Wish("kept", key)])
        self.assertEqual([d.what for d in decisions.of_session(self.db, row.id or 0)], ["kept"])

    def test_an_event_that_is_no_longer_found_stays_is_said_and_blocks_signing_until_seen(self) -> None:
        row = self.stored(krec.write_recording(SIGNALS["oximetry"](2).recording))
        found = figures.outcome(self.db, row.id or 0)
        assert found is not None and row.id is not None
        event = next(e for e in found.both.reviewed.events if e.code == "desaturation4")
        moved = Wish("dropped", event.key, value=event.end_s - event.at_s, reason="movement")
        row = deciding.decide(self.db, row.id, 0, [moved], (), self.who)
        self.assertEqual(conclusions.unseen_losses(self.db, row), [])

        def without(recording: Recording, review: Review, limit_set: LimitSet) -> BothWays:
            both = old(recording, review, limit_set)
            kept = tuple(e for e in both.recorded.events if abs(e.at_s - event.at_s) > 600)
            return replace(both, recorded=replace(both.recorded, events=kept))

        old = KINDS["oximetry"].assess
        newer = replace(KINDS["oximetry"], assess=without, method="newer")
        with mock.patch.dict(KINDS, {"oximetry": newer}):
            self.assertEqual(figures.outdated(self.db, ["oximetry"]), [row.id])
            figures.assess(self.db, row)
            self.db.commit()
            self.assertEqual(figures.outdated(self.db, ["oximetry"]), [])
            (lost,) = conclusions.unseen_losses(self.db, row)
            self.assertEqual(lost, decisions.of_session(self.db, row.id)[0].id)
            with self.assertRaisesRegex(ConflictError, "no longer found"):
                conclusions.sign(self.db, row.id, row.review_version, self.who)
            self.db.rollback()
            seen = Wish("accepted", f"{decisions.LOST}{event.key}", reason="seen")
            row = deciding.decide(self.db, row.id, row.review_version, [seen], (), self.who)
            self.assertIsNotNone(conclusions.sign(self.db, row.id, row.review_version, self.who).signed_at)
            signature = conclusions.signature_of(self.db, row.id)
            assert signature is not None
            pages = conclusions.signed_paper(self.db, row, signature)
            [by_hand] = [p for p in pages.parts["left-out"] if getattr(p, "title", "") == "Events by hand"]
            self.assertIn("movement; no longer found", str(by_hand))
            self.assertEqual(pages.accepted, [])

    def test_everything_that_a_kind_declares_can_be_set_and_nothing_else(self) -> None:
        for kind in KINDS.values():
            if kind.key == "jaw_muscle":
                continue  # a night takes long to store; its declaration is checked below
            row = self.stored(krec.write_recording(SIGNALS[kind.key](2).recording))
            for word in kind.decisions:
                with self.subTest(kind=kind.key, decision=word.key):
                    self.db.refresh(row)
                    good: float | str = (
                        word.choices[-1][0] if word.choices else "co,no2" if word.type == "text" else 60.0
                    )
                    if word.type == "course":
                        courses = recording_of(self.db, row).setup["courses"]
                        assert isinstance(courses, list)
                        added = course_register.add(self.db, "", json.dumps(courses[0]))
                        wish = Wish("setting", word.key, value=added.id)
                        row = deciding.decide(self.db, row.id or 0, row.review_version, [wish])
                        kept = decisions.setting(decisions.of_session(self.db, row.id or 0), word.key)
                        self.assertEqual(json.loads(kept)["name"], added.name)
                        continue
                    if word.high is not None:
                        good = (max(word.low or 0.0, 0.5) + min(word.high, 10_000)) / 2
                    wish = Wish("setting", word.key, value=good, reason="measured")
                    row = deciding.decide(self.db, row.id or 0, row.review_version, [wish])
                    self.assertEqual(decisions.setting(decisions.of_session(self.db, row.id or 0), word.key), good)
            with self.subTest(kind=kind.key), self.assertRaises(InvalidError):
                deciding.decide(self.db, row.id or 0, row.review_version, [Wish("setting", "anything", value=1.0)])
            self.db.rollback()


class EdgesAndTypes(DatabaseTest):
    """Episodes of a night split, joined, given another type."""

    def setUp(self) -> None:
        super().setUp()
        bursts = tuple(Burst("left", 300.0 + 1.5 * i, 0.5, 0.6) for i in range(3))
        groups = (Group("phasic", bursts), Group("tonic", (Burst("left", 309.0, 3.0, 0.6),)))
        made = make_night(Night(length_s=700.0, interval_s=0.002, groups=groups))
        self.id = self.stored(krec.write_recording(made.recording)).id or 0
        self.first, self.second = (at for _, at in self.found())

    def found(self) -> list[tuple[str, float]]:
        outcome = figures.outcome(self.db, self.id)
        assert outcome is not None
        return [(e.code, e.at_s) for e in outcome.both.reviewed.events if e.kept and e.code[:4] in ("left", "righ")]

    def decide(self, *wishes: Wish) -> None:
        deciding.decide(self.db, self.id, self.db.get_one(Session, self.id).review_version, wishes)

    def codes(self) -> list[str]:
        return [code for code, _ in self.found()]

    def test_joined_typed_and_undone_step_by_step(self) -> None:
        self.decide(Wish("edge", f"left@{self.second}", value="goes on"))
        self.assertEqual(self.codes(), ["left.mixed"])
        self.decide(Wish("type", f"left.mixed@{self.first}", value="tonic"))
        self.assertEqual(self.codes(), ["left.tonic"])
        words = [decisions.of_session(self.db, self.id)[0].key, deciding.next_steps(self.db, self.id)[0]]
        self.assertEqual(words, [f"left@{self.second:.3f}", "episode left: tonic"])
        self.decide(Wish("type", f"left@{self.first}", value="single"))
        self.assertEqual(len([d for d in decisions.of_session(self.db, self.id) if d.what == "type"]), 1)
        self.decide(Wish("type", f"left@{self.first}", value=None))
        self.assertEqual(self.codes(), ["left.mixed"])
        for wanted in (["left.single"], ["left.tonic"], ["left.mixed"], ["left.phasic", "left.tonic"]):
            deciding.undo(self.db, self.id, self.db.get_one(Session, self.id).review_version)
            self.assertEqual(self.codes(), wanted)

    def test_what_is_no_longer_found_is_said(self) -> None:
        """A threshold that nothing reaches takes the episodes away: as recorded they are still there, so that nothing is lost by that."""
        self.decide(
            Wish("type", f"left@{self.first}", value="tonic"), Wish("edge", f"left@{self.second}", value="goes on")
        )
        recorded = figures.outcome(self.db, self.id)
        assert recorded is not None
        rows = decisions.of_session(self.db, self.id)
        self.assertEqual(decisions.lost(rows, recorded.both.recorded), [])
        none = replace(recorded.both.recorded, events=())
        self.assertEqual({row.what for row in decisions.lost(rows, none)}, {"type", "edge"})

    def test_what_was_decided_of_one_holds_when_its_type_changes(self) -> None:
        """Dropped as phasic, typed tonic, kept again by its new name: one decision about it, not two that contradict."""
        self.decide(Wish("dropped", f"left.phasic@{self.first}", reason="talking"))
        self.decide(Wish("type", f"left@{self.first}", value="tonic"))
        self.assertEqual(self.codes(), ["left.tonic"])
        self.decide(Wish("kept", f"left.tonic@{self.first}"))
        about = [d.what for d in decisions.of_session(self.db, self.id) if d.what != "type"]
        self.assertEqual(about, ["kept"])
        self.assertEqual(self.codes(), ["left.tonic", "left.tonic"])

    def test_what_is_refused(self) -> None:
        for wish in (
            Wish("type", f"left@{self.first}", value="purple"),
            Wish("edge", f"left@{self.first}", value=1.0),
            Wish("edge", f"clench.left@{self.first}", value="begins"),
            Wish("type", "left", value="tonic"),
            Wish("type", "left@1e300", value="tonic"),
            Wish("edge", "left@-1", value="begins"),
        ):
            with self.assertRaises(InvalidError):
                self.decide(wish)
        self.assertEqual(decisions.of_session(self.db, self.id), [])
