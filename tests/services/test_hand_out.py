"""Handing out: drafts, differences, writing and reading back, two people at once."""

import tempfile
import threading
import time
import unittest
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, ClassVar

from sqlmodel import Session as Db
from sqlmodel import select

from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.kinds.noise import NoiseSetup
from kumpel.link.client import RecorderLink
from kumpel.link.discovery import Announcement
from kumpel.services.ground import deeds, people, settings
from kumpel.services.ground.deeds import Whom
from kumpel.services.ground.problems import (
    ConflictError,
    InvalidError,
    PasscodeNeededError,
    ProblemError,
    RecorderError,
)
from kumpel.services.hand_out import drafts, hand_out
from kumpel.services.recorders import checks, recorders
from kumpel.services.take_in import take_in
from kumpel.store import database
from kumpel.store.tables import HandOver, Person, Recorder, SensorCheck, now
from tests.support import DatabaseTest, MeterTest


class People(DatabaseTest):
    def test_a_name_is_enough_and_numbers_are_never_used_twice(self) -> None:
        first, second = self.person("Ida Brandvik"), self.person("Leila Haddad")
        self.assertNotEqual(first.number, second.number)
        people.delete_person(self.db, second.id or 0)
        with self.assertRaises(ConflictError):
            self.person("Somebody", number=second.number)
        self.assertNotIn(self.person("Asha Rao").number, (first.number, second.number))

    def test_blank_names_are_refused(self) -> None:
        for name in ("", "   ", "\t\n"):
            with self.assertRaises(InvalidError):
                self.person(name)

    def test_searching_takes_signs_literally(self) -> None:
        self.person("Ida 100% Brandvik")
        self.person("Ida Brandvik", team="Crusher_hall")
        for words, count in (("100%", 1), ("%", 1), ("_", 1), ("BRAND", 2), ("crusher", 1), ("nobody", 0), ("\\", 0)):
            with self.subTest(words=words):
                self.assertEqual(people.list_people(self.db, words)[1], count)


class ExpectedBack(unittest.TestCase):
    """After its run, which begins at once or at the next such time of day: 6:00 after 5:59 is today, after 6:01 it is tomorrow."""

    def test_the_day_it_is_back(self) -> None:
        for given, start_at, minutes, back in (
            ("2026-03-10 05:59", "06:00", 480, "2026-03-10 14:00"),
            ("2026-03-10 06:01", "06:00", 480, "2026-03-11 14:00"),
            ("2026-03-10 16:00", "22:30", 600, "2026-03-11 08:30"),
            ("2026-03-10 23:00", "22:30", 600, "2026-03-12 08:30"),
            ("2026-03-31 20:00", "06:00", 60, "2026-04-01 07:00"),
            ("2026-03-10 16:00", None, 480, "2026-03-11 00:00"),
        ):
            with self.subTest(given=given, start_at=start_at):
                model = NoiseSetup(run_length_min=minutes, start_at=start_at)
                found = hand_out._expected(model, datetime.fromisoformat(given).astimezone())
                self.assertEqual(found, datetime.fromisoformat(back).astimezone())


class HandOut(MeterTest):
    def test_differences_field_by_field(self) -> None:
        recorder = self.seen()
        wanted = NoiseSetup(run_length_min=300, display="shown", keypad_lock=False, name="Factory").model_dump(
            mode="json"
        )
        wanted["weightings"][1]["threshold_db"] = 75
        draft = drafts.draft(self.db, recorder.id or 0, None, drafts.Start(wanted))
        found = {f.path: (f.draft, f.on_recorder) for f in draft.fields if f.differs}
        self.assertEqual(found, {"run_length_min": ("300", "480"), "weightings.1.threshold_db": ("75", "80")})

    def test_one_whose_check_is_overdue_stays_where_the_house_says_so(self) -> None:
        recorder, ida = self.seen(), self.person("Ida Brandvik")
        at = now() - timedelta(days=800)
        late = SensorCheck(recorder_id=0, what="laboratory check", at=at, due_at=at + timedelta(days=730))
        checks.keep(self.db, recorder, late)
        self.db.commit()
        settings.keep(self.db, "checks.overdue", "kind", "noise", "blocks", 0, self.who)
        with self.assertRaisesRegex(ConflictError, "N-07 stays here: Laboratory check: due since") as refused:
            self.give(ida)
        self.assertEqual(refused.exception.code, "check-due")
        self.assertEqual(self.db.exec(select(HandOver)).all(), [])
        done = SensorCheck(recorder_id=0, what="laboratory check", at=now(), due_at=now() + timedelta(days=730))
        checks.keep(self.db, recorder, done)
        self.db.commit()
        self.assertEqual(self.give(ida).person_id, ida.id)

    def test_one_with_sessions_that_were_not_taken_in_goes_out_only_with_a_reason_that_is_kept(self) -> None:
        name = self.record(3600)
        self.record(20, start=time.time() - 30)  # of seconds: nobody would miss it
        ida = self.person("Ida Brandvik")
        with self.assertRaisesRegex(ConflictError, "N-07 holds a session that was not taken in") as refused:
            self.give(ida, despite="  ")
        self.assertEqual(refused.exception.code, "not-taken-in")
        self.assertEqual(hand_out.out_now(self.db), [])
        given = self.give(ida, despite="taken in later today")
        [deed] = [d for d in deeds.of(self.db, Whom("recorder", given.recorder_id)) if d.what == "handed out"]
        assert deed.after is not None
        self.assertEqual((deed.after["not_taken_in"], deed.after["despite"]), (1, "taken in later today"))
        hand_out.take_back(self.db, given.id)
        recorder = self.seen()
        [session_id] = take_in.begin(self.db, [take_in.Wish(recorder.id or 0, name)], self.who, lambda i: None)
        self.assertTrue(take_in.run(database.engine(self.url), session_id))
        self.db.expire_all()
        again = self.give(ida)
        [_, deed] = [d for d in deeds.of(self.db, Whom("recorder", given.recorder_id)) if d.what == "handed out"]
        self.assertNotIn("despite", deed.after or {})
        self.assertEqual([slip.id for slip, _, _ in hand_out.out_now(self.db)], [again.id])

    def test_a_transfer_that_was_cut_is_not_taken_in(self) -> None:
        """Half of a session here is none: the recorder still holds the only whole one."""
        name = self.record(3600)
        recorder = self.seen()
        [session_id] = take_in.begin(self.db, [take_in.Wish(recorder.id or 0, name)], self.who, lambda i: None)
        self.meter.tell("vanish", after_bytes=20_000)
        take_in.run(database.engine(self.url), session_id)
        self.meter.tell("come back")
        self.db.expire_all()
        with self.assertRaisesRegex(ConflictError, "holds a session that was not taken in"):
            self.give(self.person("Ida Brandvik"))

    def test_one_that_keeps_a_single_recording_says_that_it_would_be_lost(self) -> None:
        self.record(3600)
        recorder = self.seen()
        recorder.keeps_one = True
        self.db.add(recorder)
        self.db.commit()
        draft = drafts.draft(self.db, recorder.id or 0, None)
        slip = hand_out.Slip(recorder.id or 0, self.person("Ida Brandvik").id or 0, draft.settings, draft.revision)
        with self.assertRaisesRegex(ConflictError, "overwrites it at the next start.*it will be lost"):
            hand_out.hand_out(self.db, slip, self.who)

    def test_written_read_back_clock_set_and_on_record(self) -> None:
        self.meter.tell("set", clock_error_s=-250.0)
        given = self.give(self.person(), tags={"place": "crusher hall", "task": " "})
        self.assertAlmostEqual(given.clock_error_s or 0, -250, delta=2)
        self.assertEqual(given.tags, {"place": "crusher hall"})
        with RecorderLink("127.0.0.1", self.meter.link) as link:
            self.assertEqual(link.setup().slip, {"hand_over": str(given.id)})
            self.assertAlmostEqual(link.status().clock, time.time(), delta=1)
        [(slip, recorder, person)] = hand_out.out_now(self.db)
        self.assertEqual((slip.id, recorder.token, person.name), (given.id, "N-07", "Ida Brandvik"))

    def test_next_time_starts_from_what_the_person_had(self) -> None:
        ida = self.person()
        recorder = self.seen()
        settings = NoiseSetup(run_length_min=360).model_dump(mode="json")
        slip = hand_out.Slip(recorder.id or 0, ida.id or 0, settings, recorder.setup_revision, tags={"place": "mill"})
        given = hand_out.hand_out(self.db, slip, self.who)
        hand_out.take_back(self.db, given.id)
        draft = drafts.draft(self.db, recorder.id or 0, ida.id)
        self.assertEqual((draft.settings["run_length_min"], draft.tags), (360, {"place": "mill"}))
        self.assertFalse(any(f.differs for f in draft.fields))

    def test_a_recorder_that_is_out_cannot_go_out(self) -> None:
        self.give(self.person())
        with self.assertRaisesRegex(ConflictError, "with Ida Brandvik"):
            self.give(self.person("Leila Haddad"))

    def test_settings_that_changed_meanwhile_are_not_overwritten(self) -> None:
        recorder = self.seen()
        draft = drafts.draft(self.db, recorder.id or 0, None)
        with RecorderLink("127.0.0.1", self.meter.link) as link:
            link.write_setup({"name": "by somebody else"}, {}, draft.revision)
        slip = hand_out.Slip(recorder.id or 0, self.person().id or 0, draft.settings, draft.revision)
        with self.assertRaisesRegex(ConflictError, "have changed"):
            hand_out.hand_out(self.db, slip, self.who)
        self.db.rollback()
        self.assertEqual(hand_out.out_now(self.db), [])

    def test_a_recorder_that_is_gone_makes_no_slip(self) -> None:
        recorder = self.seen()
        ida = self.person()
        draft = drafts.draft(self.db, recorder.id or 0, ida.id)
        self.meter.tell("vanish")
        with self.assertRaisesRegex(RecorderError, "N-07.*safe"):
            hand_out.hand_out(
                self.db, hand_out.Slip(recorder.id or 0, ida.id or 0, draft.settings, draft.revision), self.who
            )
        self.db.rollback()
        self.assertEqual(hand_out.out_now(self.db), [])
        self.assertFalse(recorders.refresh(self.db, recorder).in_reach)

    def test_wrong_settings_name_the_field(self) -> None:
        recorder = self.seen()
        for path, value, words in (("run_length_min", 0, "Run length"), ("interval_s", 7, "Log every")):
            with self.subTest(path=path), self.assertRaisesRegex(InvalidError, words):
                drafts.draft(
                    self.db, recorder.id or 0, None, drafts.Start(NoiseSetup().model_dump(mode="json") | {path: value})
                )

    def test_two_people_at_once_only_one_gets_it(self) -> None:
        recorder = self.seen()
        wearers = [self.person(f"Person {i}") for i in range(4)]
        draft = drafts.draft(self.db, recorder.id or 0, None)
        done: list[object] = []

        def give(person_id: int) -> None:
            with Db(database.engine(self.url)) as db:
                try:
                    slip = hand_out.Slip(recorder.id or 0, person_id, draft.settings, draft.revision)
                    done.append(hand_out.hand_out(db, slip, None))
                except ProblemError as problem:
                    done.append(problem)

        threads = [threading.Thread(target=give, args=(p.id,)) for p in wearers]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(sum(isinstance(d, HandOver) for d in done), 1)
        self.db.expire_all()
        self.assertEqual(len(self.db.exec(select(HandOver)).all()), 1)


class Locked(MeterTest):
    meter_options: ClassVar[dict[str, Any]] = {"passcode": "2718"}

    def test_a_passcode_is_asked_for_and_checked(self) -> None:
        with self.assertRaises(PasscodeNeededError):
            self.give(self.person())
        self.db.rollback()
        with self.assertRaises(PasscodeNeededError) as caught:
            self.give(self.person("Leila Haddad"), passcode="1")
        self.assertEqual(caught.exception.code, "wrong-passcode")
        self.db.rollback()
        self.assertEqual(self.give(self.person("Asha Rao"), passcode="2718").returned_at, None)


class Names(DatabaseTest):
    """What a recorder shows of a person: a code unless somebody chose a name, and never the one of whoever had it before."""

    def setUp(self) -> None:
        super().setUp()
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        ensemble = Ensemble(folder, 7200.0)
        self.addCleanup(ensemble.stop)
        ensemble.launch((StandIn("W-01", "TW-000001", "Watch 1", kind="training", auto_start=False),), False)
        self.watch = ensemble.running["W-01"]

    def seen(self) -> Recorder:
        return recorders.heard(self.db, Announcement("TW-000001", "127.0.0.1", self.watch.link))

    def given(self, person: Person, **chosen: str) -> dict[str, object]:
        recorder = self.seen()
        draft = drafts.draft(self.db, recorder.id or 0, person.id)
        slip = hand_out.Slip(recorder.id or 0, person.id or 0, draft.settings | chosen, draft.revision)
        hand_over = hand_out.hand_out(self.db, slip, self.who)
        hand_out.take_back(self.db, hand_over.id)
        return dict(self.watch.tell("state"))

    def test_a_code_is_written_unless_a_name_was_chosen_and_it_is_no_setting(self) -> None:
        arne = self.person("Arne Skogheim", number="TF-0427")
        held = self.given(arne)
        self.assertEqual(held["names"], {"wearer": "TF-0427", "greeting": ""})
        self.assertNotIn("wearer", held["setup"])
        held = self.given(arne, wearer="Arne", greeting="Run well")
        self.assertEqual(held["names"], {"wearer": "Arne", "greeting": "Run well"})
        self.assertEqual(
            self.given(arne)["names"], {"wearer": "Arne", "greeting": "Run well"}, "what was chosen for him stays his"
        )

    def test_the_next_one_never_sees_the_name_of_the_one_before(self) -> None:
        self.given(self.person("Arne Skogheim", number="TF-0427"), wearer="Arne", greeting="Run well")
        held = self.given(self.person("Kari Ulvestad", number="TF-0430"))
        self.assertEqual(held["names"], {"wearer": "TF-0430", "greeting": ""})

    def test_a_session_carries_no_name(self) -> None:
        self.given(self.person("Arne Skogheim", number="TF-0427"), wearer="Arne", greeting="Run well")
        name = self.watch.tell("record", start=time.time() - 9000, length_s=600)["session"]
        data = (self.watch.folder / "sessions" / f"{name}.krec").read_bytes()
        self.assertNotIn(b"Arne", data)
        self.assertNotIn(b"Run well", data)
