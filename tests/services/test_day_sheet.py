"""The sheet of a day: every session of that day on the course, the fastest first, with the figures of its result."""

from __future__ import annotations

import io
from dataclasses import replace

import numpy as np
import pypdf

from kumpel.formats import krec
from kumpel.services.ground import figures
from kumpel.services.register import sessions
from kumpel.services.yard import day_sheet
from kumpel.standins.lap_driver import Mistake, drive, recorded
from kumpel.standins.vehicle_signal import KART, practice_loop
from kumpel.store.tables import Session
from tests.support import DatabaseTest


class DaySheet(DatabaseTest):
    def drive(self, name: str, seed: int, later_s: float, slow: bool = False) -> Session:
        rng = np.random.default_rng(seed)
        always = tuple(Mistake(lap, 9, "slow apex", 0.5) for lap in range(5)) if slow else ()
        made = recorded(drive(practice_loop(), KART, 5, always, 0.02, rng), rng).recording
        row = self.stored(
            krec.write_recording(replace(made, start=made.start + later_s), f"S-{seed}"), self.person(name)
        )
        sessions.change(self.db, row.id or 0, {"tags": {"vehicle": "kart K-1", "run": "practice"}})
        return row

    def test_the_sessions_of_the_day_the_fastest_first(self) -> None:
        slow = self.drive("Jonas Tveter", 1, 0.0, slow=True)
        fast = self.drive("Bela Szenti", 2, 7200.0)
        self.drive("Luc Ferrand", 3, -86_400.0)
        rows = day_sheet.rows_of(self.db, slow.id or 0)
        self.assertEqual([each.row.session.id for each in rows], [fast.id, slow.id])
        self.assertEqual([each.laps for each in rows], [5, 5])
        name, made = day_sheet.pdf(self.db, slow.id or 0)
        self.assertEqual(name, f"{sessions.wall_start(slow):%Y-%m-%d} Practice loop.pdf")
        text = " ".join(" ".join(page.extract_text() for page in pypdf.PdfReader(io.BytesIO(made)).pages).split())
        self.assertNotIn("Luc Ferrand", text)
        for row in (fast, slow):
            outcome = figures.outcome(self.db, row.id or 0)
            assert outcome is not None
            best, theory = (outcome.both.reviewed.figure(k).value for k in ("best", "theoretical"))
            self.assertIn(f"{best:.2f}", text)
            self.assertIn(f"{best - theory:.2f}", text)
        behind = rows[1].best_s - rows[0].best_s
        self.assertIn(f"{behind:+.2f}", text)
        self.assertLess(text.index("Bela Szenti"), text.index("Jonas Tveter"))
        self.assertIn("2 sessions, 2 drivers", text)
