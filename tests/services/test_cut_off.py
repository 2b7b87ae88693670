"""Handing out with trouble: a server that dies in the middle, a broken recorder, setups kept by name, facts about the person."""

import os
import subprocess
import sys
import tempfile
import time
from datetime import date, timedelta
from pathlib import Path
from typing import Any
from unittest import mock

from sqlmodel import select

from kumpel.demo.ensemble import Ensemble, Running, StandIn
from kumpel.kinds.registry import kind_of
from kumpel.link.client import RecorderLink
from kumpel.link.discovery import Announcement
from kumpel.link.errors import RefusedError
from kumpel.link.messages import Code
from kumpel.services.ground import deeds, people, personal
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import ConflictError, InvalidError, NotFoundError, RecorderError
from kumpel.services.hand_out import drafts, hand_out, kept_setups
from kumpel.services.recorders import recorders
from kumpel.services.recorders.displays import Drawn
from kumpel.services.take_in import take_in
from kumpel.store import database
from kumpel.store.tables import HandOver, Person, Recorder, Session, Writing
from tests.support import DatabaseTest

DIES = """
import os, sys
from sqlmodel import Session
from kumpel.services.hand_out import drafts, hand_out
from kumpel.store import database
url, recorder, person, who, where = sys.argv[1], *map(int, sys.argv[2:5]), sys.argv[5]
setattr(hand_out, where, lambda *rest: os._exit(9))
with Session(database.engine(url)) as db:
    draft = drafts.draft(db, recorder, person)
    wish = draft.settings | {"interval_awake_min": 20}
    hand_out.hand_out(db, hand_out.Slip(recorder, person, wish, draft.revision, tags={"setting": "at home"}), who)
"""
"""A server that dies in the middle of a hand-over: just before it writes (_write), or before it reads back (_read_wrong)."""


class CuffTest(DatabaseTest):
    def setUp(self) -> None:
        super().setUp()
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.ensemble = Ensemble(folder, 7200.0)
        self.addCleanup(self.ensemble.stop)
        cuffs = [
            StandIn(f"C-0{n}", f"BP-00000{n}", f"Cuff {n}", kind="blood_pressure", auto_start=False, clock_error_s=-72)
            for n in (1, 2)
        ]
        meter = StandIn("N-01", "NM-000001", "Meter", auto_start=False)
        self.ensemble.launch((*cuffs, meter), False)

    def cuff(self, token: str = "C-01") -> Running:
        return self.ensemble.running[token]

    def seen(self, token: str = "C-01") -> Recorder:
        serial = {"C-01": "BP-000001", "C-02": "BP-000002", "N-01": "NM-000001"}[token]
        return recorders.heard(self.db, Announcement(serial, "127.0.0.1", self.ensemble.running[token].link))

    def give(self, person: Person, token: str = "C-01", changed: dict[str, Any] | None = None, **rest: Any) -> HandOver:
        recorder = self.seen(token)
        draft = drafts.draft(self.db, recorder.id or 0, person.id)
        slip = hand_out.Slip(recorder.id or 0, person.id or 0, draft.settings | (changed or {}), draft.revision, **rest)
        return hand_out.hand_out(self.db, slip, self.who)


class CutOff(CuffTest):
    def dies(self, where: str, person: Person) -> Recorder:
        recorder = self.seen()
        arguments = [self.url, recorder.id, person.id, self.who, where]
        done = subprocess.run(
            [sys.executable, "-c", DIES, *map(str, arguments)], capture_output=True, text=True, env=os.environ
        )
        self.assertEqual(done.returncode, 9, done.stderr)
        self.db.rollback()
        self.db.expire_all()
        return self.seen()

    def test_one_that_was_written_is_finished_as_it_was_begun(self) -> None:
        petter = self.person("Petter Lunde")
        recorder = self.dies("_read_wrong", petter)
        self.assertEqual(hand_out.out_now(self.db), [])
        left = drafts.draft(self.db, recorder.id or 0, petter.id).unfinished
        assert left is not None
        self.assertEqual((left.person, left.on_it), ("Petter Lunde", "all of it"))
        given = hand_out.finish(self.db, left.id)
        [(slip, _, person)] = hand_out.out_now(self.db)
        self.assertEqual((slip.id, person.name, slip.tags), (left.id, "Petter Lunde", {"setting": "at home"}))
        self.assertAlmostEqual(given.clock_error_s or 0, -72, delta=1.5)
        self.assertAlmostEqual(float(str(self.seen().clock_error_s)), 0.0, delta=1.5)
        self.assertIsNone(drafts.draft(self.db, recorder.id or 0, petter.id).unfinished)
        with self.assertRaises(NotFoundError):
            hand_out.finish(self.db, left.id)

    def test_one_that_never_reached_the_recorder_says_so_and_cannot_be_finished(self) -> None:
        petter = self.person("Petter Lunde")
        recorder = self.dies("_write", petter)
        left = drafts.draft(self.db, recorder.id or 0, petter.id).unfinished
        assert left is not None
        self.assertEqual(left.on_it, "nothing of it")
        with self.assertRaisesRegex(ConflictError, "hand it out anew"):
            hand_out.finish(self.db, left.id)
        self.db.rollback()
        hand_out.forget(self.db, left.id)
        self.assertIsNone(drafts.draft(self.db, recorder.id or 0, petter.id).unfinished)

    def test_handing_out_anew_settles_what_was_begun(self) -> None:
        self.dies("_write", self.person("Petter Lunde"))
        self.give(self.person("Ruth Amsel"))
        self.assertEqual(self.db.exec(select(Writing)).all(), [])

    def test_what_was_recorded_meanwhile_goes_to_the_person_of_the_slip_on_the_recorder(self) -> None:
        petter = self.person("Petter Lunde")
        recorder = self.dies("_read_wrong", petter)
        name = str(self.cuff().tell("record", start=time.time() - 90_000, length_s=86_400)["session"])
        recorder = self.seen()
        [session_id] = take_in.begin(self.db, [take_in.Wish(recorder.id or 0, name)], self.who, lambda i: None)
        self.assertTrue(take_in.run(database.engine(self.url), session_id))
        self.db.expire_all()
        session = self.db.get_one(Session, session_id)
        self.assertEqual(session.person_id, petter.id)
        given = self.db.get_one(HandOver, session.hand_over_id)
        self.assertIsNotNone(given.returned_at)
        self.assertEqual(self.db.exec(select(Writing)).all(), [])

    def test_a_refusal_leaves_nothing_to_finish_a_lost_recorder_does(self) -> None:
        petter = self.person("Petter Lunde")
        recorder = self.seen()
        draft = drafts.draft(self.db, recorder.id or 0, petter.id)
        stale = hand_out.Slip(recorder.id or 0, petter.id or 0, draft.settings, draft.revision + 1)
        with self.assertRaises(ConflictError):
            hand_out.hand_out(self.db, stale, self.who)
        self.db.rollback()
        self.assertEqual(self.db.exec(select(Writing)).all(), [])
        self.cuff().tell("vanish")
        slip = hand_out.Slip(recorder.id or 0, petter.id or 0, draft.settings, draft.revision)
        with self.assertRaises(RecorderError):
            hand_out.hand_out(self.db, slip, self.who)
        self.db.rollback()
        self.assertEqual(len(self.db.exec(select(Writing)).all()), 1)

    def test_what_was_refused_after_it_was_written_can_still_be_finished(self) -> None:
        petter = self.person("Petter Lunde")
        refused = RefusedError(Code.RECORDING, "it has begun to record")
        with mock.patch.object(RecorderLink, "set_clock", side_effect=refused), self.assertRaises(ConflictError):
            self.give(petter)
        self.db.rollback()
        left = drafts.draft(self.db, self.seen().id or 0, petter.id).unfinished
        assert left is not None
        self.assertEqual(left.on_it, "all of it")
        self.assertEqual(hand_out.finish(self.db, left.id).person_id, petter.id)

    def test_what_is_no_picture_leaves_nothing_to_finish(self) -> None:
        with self.assertRaises(InvalidError):
            self.give(self.person("Petter Lunde"), picture=Drawn(2, 2, 2, "no base64!"))
        self.db.rollback()
        self.assertEqual(self.db.exec(select(Writing)).all(), [])


class Swapped(CuffTest):
    def test_the_second_gets_everything_and_the_first_comes_back(self) -> None:
        petter = self.person("Petter Lunde")
        first = self.give(petter, changed={"interval_awake_min": 20}, tags={"setting": "at home"})
        self.cuff().tell("vanish")
        second = self.seen("C-02")
        given = hand_out.swap(self.db, first.id, second.id or 0, "hose leaks", self.who)
        [(slip, recorder, person)] = hand_out.out_now(self.db)
        self.assertEqual((recorder.token, person.name, slip.instead_of), ("C-02", "Petter Lunde", first.id))
        self.assertEqual((given.tags, given.expected_at), (first.tags, first.expected_at))
        with RecorderLink("127.0.0.1", self.cuff("C-02").link) as link:
            state = link.setup()
        self.assertEqual((state.setup["interval_awake_min"], state.slip), (20, {"hand_over": str(given.id)}))
        deed = deeds.of(self.db, Whom("recorder", first.recorder_id))[-1]
        self.assertEqual((deed.what, (deed.after or {})["why"]), ("swapped", "hose leaks"))

    def test_a_swap_that_was_cut_off_is_finished_whole(self) -> None:
        petter = self.person("Petter Lunde")
        first = self.give(petter)
        refused = RefusedError(Code.RECORDING, "it has begun to record")
        second = self.seen("C-02")
        with mock.patch.object(RecorderLink, "set_clock", side_effect=refused), self.assertRaises(ConflictError):
            hand_out.swap(self.db, first.id, second.id or 0, "hose leaks", self.who)
        self.db.rollback()
        self.assertEqual([r.token for _, r, _ in hand_out.out_now(self.db)], ["C-01"])
        left = drafts.draft(self.db, self.seen("C-02").id or 0, petter.id).unfinished
        assert left is not None
        hand_out.finish(self.db, left.id)
        self.assertEqual([r.token for _, r, _ in hand_out.out_now(self.db)], ["C-02"])

    def test_nothing_changes_when_the_second_cannot_be_written(self) -> None:
        first = self.give(self.person("Petter Lunde"))
        second = self.seen("C-02")
        self.cuff("C-02").tell("vanish")
        for recorder_id, why, error in (
            (second.id or 0, "broken", RecorderError),
            (second.id or 0, " ", InvalidError),
            (self.seen("N-01").id or 0, "broken", ConflictError),
        ):
            with self.subTest(why=why), self.assertRaises(error):
                hand_out.swap(self.db, first.id, recorder_id, why, self.who)
            self.db.rollback()
            self.assertEqual([slip.id for slip, _, _ in hand_out.out_now(self.db)], [first.id])


class OfThePerson(CuffTest):
    def test_times_come_from_the_person_and_go_back_only_when_changed_here(self) -> None:
        petter, ruth = self.person("Petter Lunde"), self.person("Ruth Amsel")
        given = self.give(petter, changed={"awake_from": "08:00"})
        self.assertIsNone(petter.gets_up)
        hand_out.take_back(self.db, given.id)
        given = self.give(petter, changed={"awake_from": "08:10"}, personal=("awake_from", "interval_awake_min"))
        self.assertEqual((petter.gets_up, petter.goes_to_bed), ("08:10", None))
        hand_out.take_back(self.db, given.id)
        draft = drafts.draft(self.db, given.recorder_id, ruth.id)
        self.assertEqual(draft.settings["awake_from"], "06:30", "his times never become hers")
        draft = drafts.draft(self.db, given.recorder_id, petter.id)
        self.assertEqual((draft.settings["awake_from"], draft.known), ("08:10", {"awake_from": "08:10"}))
        petter.gets_up = "05:00"
        self.db.add(petter)
        self.db.commit()
        draft = drafts.draft(self.db, given.recorder_id, petter.id)
        self.assertEqual(draft.settings["awake_from"], "05:00", "what is known now counts, not the last slip")

    def test_settings_of_one_person_are_fitted_to_another(self) -> None:
        recorder = self.seen()
        ruth = self.person("Ruth Amsel", number="TF-0419", gets_up="05:20")
        his = drafts.draft(self.db, recorder.id or 0, self.person("Petter Lunde").id).settings
        his |= {"interval_awake_min": 20, "goes_to_bed": "21:00", "asleep_from": "21:00", "wearer": "Petter"}
        hers = drafts.draft(self.db, recorder.id or 0, ruth.id, drafts.Start(his, fit=True)).settings
        self.assertEqual(
            [hers[key] for key in ("interval_awake_min", "awake_from", "asleep_from", "wearer")],
            [20, "05:20", "22:30", "TF-0419"],
        )

    def test_facts_that_contradict_each_other_are_refused_and_never_keep_a_slip_shut(self) -> None:
        ida = self.person()
        people.change_person(self.db, ida.id or 0, {"heart_rate_resting": 105})
        with self.assertRaisesRegex(InvalidError, "has to lie above"):
            people.change_person(self.db, ida.id or 0, {"heart_rate_highest": 100})
        ida.heart_rate_resting, ida.heart_rate_highest = 105, 100
        made = personal.fitted(kind_of("training"), {}, ida, False)
        self.assertEqual((made["heart_rate_highest"], made["heart_rate_resting"]), (100, None))

    def test_age_counts_whole_years(self) -> None:
        self.assertEqual(personal.age_years(date(1984, 3, 1), date(2026, 2, 28)), 41)
        self.assertEqual(personal.age_years(date(1984, 3, 1), date(2026, 3, 1)), 42)
        self.assertEqual(personal.age_years(date(1984, 2, 29), date(2026, 2, 28)), 41)


class KeptByName(CuffTest):
    def test_a_setup_is_kept_for_a_team_without_the_person_and_comes_back_after_taking_it_away(self) -> None:
        recorder, kind = self.seen(), kind_of("blood_pressure")
        settings = drafts.draft(self.db, recorder.id or 0, None).settings
        settings |= {"interval_awake_min": 20, "awake_from": "04:00", "wearer": "Petter"}
        kept = kept_setups.keep(self.db, kind, "Close", "Works clinic", settings, self.who)
        with self.assertRaisesRegex(ConflictError, "“Close” for Works clinic already"):
            kept_setups.keep(self.db, kind, " Close ", "Works clinic", settings, self.who)
        kept_setups.keep(self.db, kind, "Close", "", settings, self.who)
        with self.assertRaisesRegex(ConflictError, "comes with Kumpel"):
            kept_setups.keep(self.db, kind, "24 h", "", settings, self.who)
        draft = drafts.draft(self.db, recorder.id or 0, self.person().id, drafts.Start(kept=kept.id))
        self.assertEqual([(k.name, k.team) for k in draft.kept], [("Close", ""), ("Close", "Works clinic")])
        self.assertEqual(
            (draft.settings["interval_awake_min"], draft.settings["awake_from"], draft.settings["wearer"]),
            (20, "06:30", self.db.exec(select(Person.number)).one()),
        )
        kept_setups.remove(self.db, kept.id)
        with self.assertRaises(NotFoundError):
            drafts.draft(self.db, recorder.id or 0, None, drafts.Start(kept=kept.id))
        kept_setups.bring_back(self.db, kept.id)
        self.assertEqual(len(kept_setups.of_kind(self.db, "blood_pressure")), 2)


class Expected(CuffTest):
    def test_one_that_starts_by_itself_is_back_after_its_run_from_then(self) -> None:
        given = self.give(self.person(), changed={"start_at": "10:30", "run_length_min": 1440})
        assert given.expected_at is not None
        back = given.expected_at.astimezone()
        self.assertEqual((back.hour, back.minute), (10, 30))
        self.assertLessEqual(timedelta(hours=24), given.expected_at - given.given_at)
        self.assertLess(given.expected_at - given.given_at, timedelta(hours=48))


class Strange(CuffTest):
    def test_a_recorder_with_settings_that_no_form_can_hold_is_opened_and_says_what_is_on_it(self) -> None:
        self.seen()
        with RecorderLink("127.0.0.1", self.cuff().link) as link:
            state = link.setup()
            strange = {"highest_cuff_mmhg": 999, "quiet": [{"start": "25:99", "end": "20:00"}], "of_old": 7}
            link.write_setup(state.setup | strange, {}, state.revision)
        recorder = self.seen()
        draft = drafts.draft(self.db, recorder.id or 0, self.person().id)
        told = {f.path: f.on_recorder for f in draft.fields if f.differs}
        self.assertEqual((draft.settings["highest_cuff_mmhg"], told["highest_cuff_mmhg"]), (280, "999"))
        self.assertEqual(draft.others, {"of_old": "7"})
        given = self.give(self.person("Petter Lunde"))
        self.assertEqual(self.seen().setup["highest_cuff_mmhg"], 280)
        self.assertIsNone(given.returned_at)
