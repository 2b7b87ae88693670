"""Recorders on a serial port and in a folder: found, taken in, cleared by the same door as those on a network."""

from __future__ import annotations

import os
import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from unittest import mock

from sqlmodel import select

from kumpel.api import answers
from kumpel.demo.ensemble import Ensemble, StandIn
from kumpel.formats import edf_write, gpx, krec
from kumpel.kinds.noise import NoiseSetup
from kumpel.link.errors import LinkError
from kumpel.link.networks import folders_at, ports_at
from kumpel.services.ground import settings
from kumpel.services.ground.problems import ConflictError, InvalidError, RecorderError
from kumpel.services.hand_out import drafts, hand_out
from kumpel.services.recorders import bays, folder_link, networks
from kumpel.services.recorders.folder_link import FolderLink
from kumpel.services.register import sessions
from kumpel.services.take_in import take_in
from kumpel.services.work.jobs import Jobs
from kumpel.services.work.watch import Lookout
from kumpel.standins import oximetry_signal
from kumpel.standins.signals import SIGNALS
from kumpel.store import database
from kumpel.store.tables import Recorder, Session, Writing
from tests.support import DatabaseTest, recording_file


class Looking(DatabaseTest):
    """A lookout that runs, and folders to look into."""

    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="kumpel-paths-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        self.jobs = Jobs(self.url)
        self.jobs.open()
        self.addCleanup(self.jobs.close)

    def look_at(self, word: settings.SettingWord, pattern: Path) -> None:
        settings.keep(self.db, word.key, "site", "", [str(pattern)], 0, self.who)
        lookout = Lookout(self.url, self.jobs)
        lookout.start()
        self.addCleanup(lookout.stop)

    def soon(self, holds: Callable[[], bool], seconds: float = 15.0) -> None:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            self.db.expire_all()
            self.db.rollback()
            if holds():
                return
            time.sleep(0.1)
        self.fail("did not become true")

    def one(self) -> Recorder:
        return self.db.exec(select(Recorder)).one()

    def in_reach(self) -> bool:
        return any(r.in_reach for r in self.db.exec(select(Recorder)).all())

    def standings(self) -> dict[str, str]:
        return {f.about or f.trouble: f.standing for bay in bays.bays(self.db) for f in bay.sessions}

    def take(self) -> list[bool]:
        """Everything new, read."""
        recorder = self.one()
        wishes = [
            take_in.Wish(recorder.id or 0, f.recorder_session)
            for bay in bays.bays(self.db)
            for f in bay.sessions
            if f.standing == "new"
        ]
        ids = take_in.begin(self.db, wishes, self.who, lambda session_id: None)
        done = [take_in.run(database.engine(self.url), each) for each in ids]
        self.db.expire_all()
        return done


class Cable(Looking):
    def setUp(self) -> None:
        super().setUp()
        ensemble = Ensemble(self.folder / "memory", 1.0)
        self.addCleanup(ensemble.stop)
        rest = {"port": str(self.folder / "ports"), "bytes_per_s": 2e5}
        ensemble.launch((StandIn("R-01", "AE-000001", "Defibrillator", kind="resuscitation", rest=rest),), False)
        self.running = ensemble.running["R-01"]

    def test_plugged_in_taken_in_cleared_pulled_out(self) -> None:
        self.running.tell("record", start=time.time() - 900, length_s=540)
        self.look_at(settings.PORTS, self.folder / "ports" / "*")
        self.soon(self.in_reach)
        recorder = self.one()
        self.assertEqual((recorder.token, recorder.port), ("R-01", 0))
        self.assertEqual([p.in_reach for p in networks.looked_in(self.db) if p.what == "port"], [1])
        # The lookout goes on asking meanwhile; the port is one client's at a time, and nobody takes it for gone.
        self.assertEqual(self.take(), [True])
        self.assertTrue(self.one().in_reach)
        session = self.db.exec(select(Session)).one()
        self.assertEqual((session.kind, session.state), ("resuscitation", "stored"))
        self.assertEqual(len(take_in.clear(self.db, recorder.id or 0, [session.recorder_session])), 1)
        self.running.tell("vanish")
        self.soon(lambda: not self.in_reach())
        self.running.tell("come back")
        self.soon(self.in_reach)

    def test_missing_equipment_is_told_from_a_missing_recorder(self) -> None:
        """A port without a recorder, one that may not be opened, no adapter at all, no stick."""

        def said() -> list[tuple[str, str, bool]]:
            return [(p.name, p.missing, p.empty) for p in networks.looked_in(self.db) if p.what in ("port", "folder")]

        self.running.tell("vanish")
        alone = self.folder / "alone"
        alone.mkdir()
        ours, theirs = os.openpty()
        self.addCleanup(os.close, ours)
        self.addCleanup(os.close, theirs)
        (alone / "adapter-1").symlink_to(os.ttyname(theirs))
        self.look_at(settings.PORTS, alone / "*")
        self.assertEqual(said(), [("port adapter-1", "", False)])
        with mock.patch("os.access", return_value=False):
            [(_, missing, empty)] = said()
        self.assertRegex(missing, r"its user has to be in the group “\w+”")
        self.assertFalse(empty)
        (alone / "adapter-1").unlink()
        self.assertEqual(said(), [("cables", "no adapter is plugged into the server", True)])
        self.look_at(settings.FOLDERS, self.folder / "STICK-4")
        self.assertIn(("STICK-4", "no stick or card is in", True), said())

    def test_a_dock_without_power_is_told_from_recorders_that_are_out(self) -> None:
        rows = [
            Recorder(
                serial=f"NM-9{i}",
                kind="noise",
                token=f"N-9{i}",
                name="",
                in_reach=i > 0,
                status={"place": f"Dock B, bay {i}"},
            )
            for i in range(3)
        ]
        self.db.add_all(rows)
        self.db.commit()

        def docks() -> list[tuple[str, str]]:
            return [(p.name, p.missing) for p in networks.looked_in(self.db) if p.what == "dock"]

        self.assertEqual(docks(), [])
        for row in rows:
            row.in_reach = False
        self.db.commit()
        [(name, missing)] = docks()
        self.assertEqual(name, "Dock B")
        self.assertIn("none of its 3 recorders answers", missing)

    def test_a_port_that_is_not_listed_is_never_opened(self) -> None:
        other = self.folder / "other"
        other.mkdir()
        next((self.folder / "ports").iterdir()).rename(other / "R-01")
        with mock.patch("kumpel.link.wires.serial.Serial", side_effect=AssertionError("opened")) as opened:
            self.look_at(settings.PORTS, self.folder / "ports" / "*")
            time.sleep(2.5)
        opened.assert_not_called()
        self.assertFalse(self.in_reach())


CSV = "time [s],SpO2 [%],Pulse [bpm]\n" + "".join(f"{i},{95 + i % 3},{60 + i % 5}\n" for i in range(900))


class Card(Looking):
    def setUp(self) -> None:
        super().setUp()
        self.card = self.folder / "STICK"
        (self.card / "night").mkdir(parents=True)

    def link(self) -> FolderLink:
        return FolderLink(str(self.card))

    def rested(self) -> list[folder_link.FileSession]:
        """What is listed once every size has rested."""
        with mock.patch.object(folder_link, "RESTS_S", 0.0):
            self.link().sessions()
            return self.link().sessions()

    def test_files_of_every_format_come_in_by_the_same_door_and_are_cleared_by_name(self) -> None:
        noise = recording_file(3600)
        (self.card / "shift.krec").write_bytes(noise)
        (self.card / "night" / "o2.csv").write_text(CSV)
        (self.card / "notes.txt").write_text("not a session")
        self.look_at(settings.FOLDERS, self.folder / "STI*")
        self.soon(lambda: len(self.standings()) == 2)
        recorder = self.one()
        self.assertEqual((recorder.name, recorder.status["place"]), ("STICK", "STICK"))
        self.assertEqual(self.take(), [True, True], [s.trouble for s in self.db.exec(select(Session)).all()])
        rows = {s.kind: s for s in self.db.exec(select(Session)).all()}
        self.assertEqual(set(rows), {"noise", "oximetry"})
        self.assertEqual(b"".join(sessions.original(database.engine(self.url), rows["noise"].id or 0)), noise)
        self.assertEqual(take_in.stored_hash(self.db, rows["noise"].id or 0), rows["noise"].sha256)
        cleared = take_in.clear(self.db, recorder.id or 0, [rows["oximetry"].recorder_session])
        self.assertEqual(len(cleared), 1)
        self.assertEqual(
            sorted(p.name for p in self.card.rglob("*.*")), ["kumpel-recorder.json", "notes.txt", "shift.krec"]
        )
        shutil.rmtree(self.card)
        self.soon(lambda: not self.in_reach())

    def test_a_night_as_edf_and_a_run_as_gpx_are_sessions_on_it(self) -> None:
        night, run = SIGNALS["oximetry"](4).recording, SIGNALS["training"](4).recording
        (self.card / "night" / "o2.edf").write_bytes(edf_write.write(night))
        (self.card / "run.gpx").write_bytes(gpx.write(run, "Hill run"))
        self.look_at(settings.FOLDERS, self.folder / "STI*")
        self.soon(lambda: len(self.standings()) == 2)
        self.assertEqual(self.take(), [True, True], [s.trouble for s in self.db.exec(select(Session)).all()])
        rows = {s.kind: s for s in self.db.exec(select(Session)).all()}
        self.assertEqual(set(rows), {"oximetry", "training"})
        for kind, made in (("oximetry", night), ("training", run)):
            self.assertEqual(rows[kind].started_at.timestamp(), made.start, kind)
            self.assertAlmostEqual(rows[kind].length_s, made.length_s, delta=2, msg=kind)
        cleared = take_in.clear(self.db, self.one().id or 0, [row.recorder_session for row in rows.values()])
        self.assertEqual(len(cleared), 2)
        self.assertEqual([p.name for p in self.card.rglob("*.*")], ["kumpel-recorder.json"])

    def test_a_folder_is_neither_set_up_nor_handed_out(self) -> None:
        (self.card / "shift.krec").write_bytes(recording_file(3600))
        self.look_at(settings.FOLDERS, self.folder / "STI*")
        self.soon(lambda: len(self.standings()) == 1)
        stick, ida = self.one(), self.person()
        usual = NoiseSetup().model_dump(mode="json")
        slip = hand_out.Slip(stick.id or 0, ida.id or 0, usual, 0, despite="a test")
        for tried in (
            lambda: drafts.draft(self.db, stick.id or 0, ida.id),
            lambda: hand_out.hand_out(self.db, slip, self.who),
            lambda: hand_out.write_only(self.db, stick.id or 0, usual, 0, False),
        ):
            with self.assertRaisesRegex(ConflictError, "is a folder of files"):
                tried()
        self.assertEqual(self.db.exec(select(Writing)).all(), [])
        shown = answers.recorder(self.db, stick)
        self.assertEqual((shown.sets_up, shown.battery), (False, None))

    def test_a_file_that_is_still_being_copied_waits_until_its_size_rests(self) -> None:
        data = recording_file(3600)
        path = self.card / "half.krec"
        path.touch()
        link = self.link()
        for part in range(1, 5):
            path.write_bytes(data[: len(data) * part // 4])
            self.assertEqual(link.sessions(), [])
        with mock.patch.object(folder_link, "RESTS_S", 0.0):
            [found] = link.sessions()
        self.assertEqual((found.complete, found.length_s, found.kind), (True, 3600.0, "noise"))

    def test_what_cannot_be_read_waits_with_its_reason(self) -> None:
        (self.card / "cut.krec").write_bytes(recording_file(3600)[:5000])
        (self.card / "columns.csv").write_text("a;b;c\n1;2;3\n4;5;6\n")
        found = {each.trouble.split(":")[0]: each for each in self.rested()}
        self.assertEqual(set(found), {"cut.krec", "columns.csv"})
        self.assertTrue(all(not each.complete and len(each.trouble) > 20 for each in found.values()))

    def test_links_are_not_followed_and_nothing_deeper_than_three(self) -> None:
        secret = self.folder / "secret.krec"
        secret.write_bytes(recording_file(3600))
        (self.card / "link.krec").symlink_to(secret)
        (self.card / "folder").symlink_to(self.folder)
        deep = self.card / "a" / "b" / "c"
        deep.mkdir(parents=True)
        (deep / "deep.krec").write_bytes(recording_file(3600))
        (self.card / ".hidden.krec").write_bytes(recording_file(3600))
        (self.card / "kumpel-recorder.json").symlink_to(self.folder / "elsewhere.json")
        with self.assertRaisesRegex(LinkError, "no file that could be a session"):
            self.link()
        (self.card / "own.krec").write_bytes(recording_file(1800))
        self.assertEqual([each.length_s for each in self.rested()], [1800.0])
        self.assertFalse((self.folder / "elsewhere.json").exists(), "its small file is not written through a link")

    def test_a_small_file_that_is_none_holds_up_nobody(self) -> None:
        """A pipe that nobody writes into, a device without end, a huge file in place of the small one."""
        (self.card / "shift.krec").write_bytes(recording_file(1800))
        name = self.card / "kumpel-recorder.json"
        for make in (
            lambda: os.mkfifo(name),
            lambda: name.symlink_to("/dev/zero"),
            lambda: name.write_text('{"serial": "FD-1"' + " " * 50_000_000 + "}"),
            lambda: name.write_text("[1, 2"),
        ):
            name.unlink(missing_ok=True)
            make()
            began = time.monotonic()
            self.assertRegex(self.link().serial, "^FD-")
            self.assertLess(time.monotonic() - began, 1.0)

    def test_a_folder_beside_others_is_not_written_into_before_it_holds_something(self) -> None:
        for i in range(30):
            (self.folder / f"TREE{i}").mkdir()
        with self.assertRaises(InvalidError):
            self.look_at(settings.FOLDERS, self.folder / "**")
        self.look_at(settings.FOLDERS, self.folder / "TREE*")
        time.sleep(4.0)
        self.assertEqual([p for p in self.folder.rglob("*") if p.is_file()], [])
        self.db.expire_all()
        self.assertEqual(self.db.exec(select(Recorder)).all(), [])
        (self.folder / "elsewhere").mkdir()
        (self.folder / "elsewhere" / "shift.krec").write_bytes(recording_file(1800))
        (self.folder / "TREELINK").symlink_to(self.folder / "elsewhere")
        self.assertNotIn(str(self.folder / "TREELINK"), folders_at([str(self.folder / "TREE*")]))

    def test_the_same_stick_is_the_same_recorder_and_a_read_only_one_has_a_number_too(self) -> None:
        (self.card / "shift.krec").write_bytes(recording_file(1800))
        first = self.link().serial
        moved = self.card.rename(self.folder / "other-place")
        self.assertEqual(FolderLink(str(moved)).serial, first)
        bare = self.folder / "bare"
        bare.mkdir()
        (bare / "shift.krec").write_bytes(recording_file(1800))
        with mock.patch.object(Path, "open", side_effect=PermissionError("read only")):
            one, two = FolderLink(str(bare)), FolderLink(str(bare))
        self.assertEqual((one.serial, one.can_write), (two.serial, False))
        self.assertEqual([p.name for p in bare.iterdir()], ["shift.krec"])

    def test_a_file_that_was_changed_since_is_not_removed(self) -> None:
        path = self.card / "shift.krec"
        path.write_bytes(recording_file(3600))
        self.look_at(settings.FOLDERS, self.card)
        self.soon(lambda: "new" in self.standings().values())
        self.take()
        session = self.db.exec(select(Session)).one()
        path.write_bytes(recording_file(7200, start=1_795_000_000.0))
        with self.assertRaises((ConflictError, RecorderError)):
            take_in.clear(self.db, self.one().id or 0, [session.recorder_session])
        self.assertTrue(path.exists())

    def test_a_transfer_goes_on_where_it_stopped(self) -> None:
        made = oximetry_signal.make(oximetry_signal.usual_night(3, 10, 7200.0))
        data = krec.write_recording(made.recording, "N-1")
        (self.card / "night.krec").write_bytes(data)
        [found] = self.rested()
        with mock.patch.object(folder_link, "RESTS_S", 0.0):
            pieces = list(self.link().pieces(found.id, 0, 1))
            self.assertGreater(len(pieces), 4)
            rest = list(self.link().pieces(found.id, pieces[2].next, 1))
        self.assertEqual(b"".join(p.items for p in pieces), data)
        self.assertEqual(b"".join(p.items for p in rest), data[pieces[2].next :])


class Patterns(DatabaseTest):
    def test_paths_are_named_from_the_root_and_never_back_up(self) -> None:
        for wrong in ("ports/*", "/", "/dev/../etc/*", "/**/x-*", "/media/**", "/media/*/STICK", "/home/?/a/*"):
            with self.assertRaises(InvalidError, msg=wrong):
                settings.keep(self.db, settings.PORTS.key, "site", "", [wrong], 0, self.who)
        self.assertEqual(ports_at(["/nothing/here/*"]), [])

    def test_a_device_is_no_folder_and_a_folder_no_port(self) -> None:
        self.assertEqual((folders_at(["/dev/nul*"]), ports_at(["/dev/null"])), ([], ["/dev/null"]))
        self.assertEqual((folders_at(["/tmp"]), ports_at(["/tmp"])), ([], []), "a path names something below the root")
