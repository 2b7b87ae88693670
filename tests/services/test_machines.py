"""Ports and folders of another machine: found there, taken in there, set up and cleared from here."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
import time
from pathlib import Path

from sqlmodel import select

from kumpel.config import ROOT
from kumpel.demo.ensemble import Ensemble, Running, StandIn
from kumpel.services.ground import settings
from kumpel.services.ground.problems import RecorderError
from kumpel.services.hand_out import drafts, hand_out
from kumpel.services.recorders import networks
from kumpel.services.take_in import take_in
from kumpel.services.work.jobs import Jobs
from kumpel.store.cluster import free_port
from kumpel.store.tables import LookoutTerm, Recorder, Session
from tests.support import SCOPE, ServerTest, mother, recording_file

FAR = "ambulance-2"
SERIAL = "AE-000001"


class OfAnother(ServerTest):
    """This server sees no port; another one, on a machine of its own, sees one and a folder."""

    watch = "0"

    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="kumpel-far-"))
        self.addCleanup(shutil.rmtree, self.folder, ignore_errors=True)
        ensemble = Ensemble(self.folder / "memory", 1.0)
        self.addCleanup(ensemble.stop)
        ensemble.launch(
            (
                StandIn(
                    "R-01",
                    SERIAL,
                    "Defibrillator",
                    kind="resuscitation",
                    auto_start=False,
                    rest={"port": str(self.folder / "ports"), "bytes_per_s": 2e5},
                ),
            ),
            False,
        )
        self.running: Running = ensemble.running["R-01"]
        self.stick = self.folder / "STICK"
        self.stick.mkdir()
        settings.keep(self.db, settings.PORTS.key, "site", "", [str(self.folder / "ports" / "*")], 0, self.who)
        settings.keep(self.db, settings.FOLDERS.key, "site", "", [str(self.stick)], 0, self.who)
        about = {"KUMPEL_DATABASE_URL": self.url, "KUMPEL_WATCH": "1", "KUMPEL_SCOPE": SCOPE, "KUMPEL_MACHINE": FAR}
        log = self.enterContext(tempfile.TemporaryFile())
        self.far = mother().server(free_port(), {**os.environ, **about, "PYTHONPATH": str(ROOT / "src")}, log)
        self.addCleanup(self.far.wait, 12)
        self.addCleanup(self.far.terminate)

    def there(self, serial: str) -> Recorder | None:
        self.db.rollback()
        self.db.expire_all()
        return self.db.exec(select(Recorder).where(Recorder.serial == serial, Recorder.in_reach)).first()

    def taken_in(self) -> Session | None:
        self.db.rollback()
        self.db.expire_all()
        return self.db.exec(select(Session).where(Session.state == "stored")).first()

    def begin(self, recorder: Recorder, name: str) -> None:
        jobs = Jobs(self.url)
        jobs.open()
        self.addCleanup(jobs.close)
        take_in.begin(self.db, [take_in.Wish(recorder.id or 0, name)], self.who, jobs.start_take_in)

    def test_a_port_is_used_from_here_and_what_is_on_it_is_taken_in_there(self) -> None:
        self.eventually(lambda: self.there(SERIAL), 30)
        recorder = self.there(SERIAL)
        assert recorder is not None
        self.assertEqual(recorder.machine, FAR)
        [shown] = self.client().get("/api/recorders").json()
        self.assertTrue(shown["place"].endswith(FAR), shown["place"])
        person = self.person()
        draft = drafts.draft(self.db, recorder.id or 0, person.id)
        slip = hand_out.Slip(recorder.id or 0, person.id or 0, draft.settings, draft.revision)
        given = hand_out.hand_out(self.db, slip, self.who)
        on_it = json.loads((self.running.folder / "state.json").read_text())
        self.assertEqual(on_it["slip"]["hand_over"], str(given.id))
        self.running.tell("record", start=time.time() - 900, length_s=540)
        self.eventually(lambda: (row := self.there(SERIAL)) is not None and row.inventory, 30)
        recorder = self.there(SERIAL)
        assert recorder is not None
        name = recorder.inventory[0]["id"]
        self.begin(recorder, name)
        self.eventually(self.taken_in, 30)
        self.assertEqual(take_in.clear(self.db, recorder.id or 0, [name]), [name])
        self.eventually(lambda: self.running.tell("state")["sessions"] == 0)
        self.far.terminate()
        self.far.wait(12)
        with self.assertRaises(RecorderError) as told:
            hand_out.write_only(self.db, recorder.id or 0, draft.settings, draft.revision, True)
        self.assertIn(f"the part of Kumpel on {FAR}, which it is plugged into, does not answer", told.exception.detail)

    def test_a_folder_is_read_there_and_cleared_from_here(self) -> None:
        (self.stick / "shift.krec").write_bytes(recording_file(3600))
        self.eventually(lambda: self.stick_there() is not None, 30)
        recorder = self.stick_there()
        assert recorder is not None
        name = recorder.inventory[0]["id"]
        self.begin(recorder, name)
        self.eventually(self.taken_in, 30)
        take_in.clear(self.db, recorder.id or 0, [name])
        self.assertFalse((self.stick / "shift.krec").exists())

    def stick_there(self) -> Recorder | None:
        """The folder, once what is in it was seen."""
        self.db.rollback()
        self.db.expire_all()
        found = self.db.exec(select(Recorder).where(Recorder.machine == FAR, Recorder.serial != SERIAL)).first()
        return found if found is not None and found.inventory else None

    def places(self) -> list[tuple[str, int, str]]:
        self.db.rollback()
        self.db.expire_all()
        return [
            (each.name, each.in_reach, each.missing)
            for each in networks.looked_in(self.db)
            if each.what in ("port", "folder")
        ]

    def test_what_is_plugged_in_there_is_seen_from_here_and_so_is_when_nobody_looks_there(self) -> None:
        self.eventually(lambda: self.there(SERIAL), 30)
        (self.stick / "shift.krec").write_bytes(recording_file(600))
        port = next((self.folder / "ports").iterdir()).name
        both = [(f"port {port} of {FAR}", 1, ""), (f"STICK of {FAR}", 1, "")]
        self.eventually(lambda: self.places() == both, 30)
        shutil.rmtree(self.stick)
        self.eventually(lambda: self.places()[1] == (f"STICK of {FAR}", 0, "no stick or card is in"), 30)
        self.far.terminate()
        self.far.wait(12)
        self.assertIn((f"cables of {FAR}", 0, "the part of Kumpel there does not run"), self.places())

    def areas(self) -> dict[str, str]:
        self.db.rollback()
        self.db.expire_all()
        return {row.area: row.machine for row in self.db.exec(select(LookoutTerm)).all()}

    def test_each_machine_has_a_lookout_of_its_own_and_one_leads_for_the_networks(self) -> None:
        self.eventually(lambda: self.areas() == {"": FAR, FAR: FAR}, 30)
